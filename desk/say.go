package desk

import (
	"fmt"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Plural writes a number with its noun: "1 day", "2 days".
func Plural(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// Names joins names or phrases as one says them: "Ruth and Hollis".
func Names(xs []string) string {
	if n := len(xs); n > 1 {
		return strings.Join(xs[:n-1], ", ") + " and " + xs[n-1]
	}
	return strings.Join(xs, "")
}

// Short writes a date as "Thu 3 Dec"; no date as "no day yet".
func Short(d day.Date) string {
	if d.IsZero() {
		return "no day yet"
	}
	return d.Format("Mon 2 Jan")
}

// At writes a moment on the desk's clocks as "Thu 3 Dec, 08:00"; none as "no day yet".
func (b *Books) At(m day.Moment, desk int64) string {
	if m.IsZero() {
		return "no day yet"
	}
	return m.In(b.Zones[desk]).Format("Mon 2 Jan, 15:04")
}

// SayPace says in a few words how a piece stands: "2 days short".
func SayPace(s store.Standing) string {
	switch s.Pace {
	case plan.InHand:
		return Plural(s.InHand, "day") + " in hand"
	case plan.Short:
		return Plural(-s.InHand, "day") + " short"
	case plan.NoRoom:
		return "No room"
	case "":
		return "Not worked out yet"
	}
	return strings.ToUpper(string(s.Pace[:1])) + string(s.Pace[1:])
}

// SayCause says why a piece is short, from its stored cause.
func (b *Books) SayCause(r store.Row) string {
	c := CauseOf(r.Standing)
	l := r.Leg(c.Leg)
	if l == nil {
		return "There is not enough time left for the legs to come"
	}
	h := b.Houses[r.DeskID]
	since := Short(l.StartedAt.Date(h.Zone))
	late := ""
	if c.Late > 0 {
		late = ", " + Plural(c.Late, "day") + " past due"
	}
	name := b.Name(l.Holder)
	switch c.Why {
	case plan.Open:
		return fmt.Sprintf("Nobody has %s yet%s", l.Name, late)
	case plan.Away:
		return fmt.Sprintf("%s has had %s since %s%s, and is away meanwhile", name, l.Name, since, late)
	case plan.Late:
		return fmt.Sprintf("With %s since %s%s", name, since, late)
	}
	return fmt.Sprintf("%s with %s needs longer than there is time", l.Name, name)
}

// actor says who acted.
func (b *Books) actor(id int64) string {
	if id == 0 {
		return "Green Baton"
	}
	return b.Person(id).Name
}

// sayEvent says in the words of the logbook what happened; who did it comes before it.
func (a *act) sayEvent(was, is *relay.Piece, e relay.Event) string {
	l := was.Leg(e.Leg)
	switch e.Kind {
	case relay.Created:
		return "made the piece"
	case relay.PassedOn:
		return "passed " + l.Name + a.onTo(was, is) + a.early(l, is.Leg(e.Leg).EndDay, is.DeskID)
	case relay.SentBack:
		return fmt.Sprintf("sent it back to %s, with %s", l.Name, a.b.Name(e.To))
	case relay.LeftOut:
		return "skipped " + l.Name
	case relay.Needed:
		return "brought " + l.Name + " back"
	case relay.Given:
		if e.To == 0 {
			return fmt.Sprintf("opened %s to whoever takes it", l.Name)
		}
		return fmt.Sprintf("gave %s to %s", l.Name, a.b.Name(e.To))
	case relay.Taken:
		return "took " + l.Name
	case relay.WentOut:
		return "sent it out on " + a.b.Channel(is.ChannelID).Name
	case relay.Missed:
		return "did not send it out: it was not ready at its time"
	case relay.Withdrew:
		return "withdrew it from " + a.b.Channel(is.ChannelID).Name
	case relay.Placed:
		if is.GoesOut == 0 {
			return "took its day away"
		}
		return "set its day to " + a.b.At(is.GoesOut, is.DeskID)
	}
	return ""
}

// onTo names those to whom a pass hands on: " to Ruth, pictures".
func (a *act) onTo(was, is *relay.Piece) string {
	var next []string
	for i := range is.Legs {
		if l := &is.Legs[i]; l.State == relay.Running && was.Legs[i].State == relay.Waiting {
			next = append(next, a.b.Name(l.Holder)+", "+l.Name)
		}
	}
	if len(next) == 0 {
		return ""
	}
	return " to " + strings.Join(next, " and to ")
}

// early says by how many working days a leg was passed before or after it was due.
func (a *act) early(l *relay.Leg, end day.Date, desk int64) string {
	if l.Due == 0 {
		return ""
	}
	cal := a.b.Houses[desk].Calendar
	switch n := int(cal.End(end) - cal.End(l.Due)); {
	case n > 0:
		return ", " + Plural(n, "day") + " late"
	case n < 0:
		return ", " + Plural(-n, "day") + " early"
	}
	return ""
}

// differ writes what differs between a piece as it was and as it is, one side
// each, for the logbook.
func (a *act) differ(was, is *relay.Piece) (before, after string) {
	var x, y []string
	note := func(name, from, to string) {
		if from != to {
			x, y = append(x, name+": "+from), append(y, name+": "+to)
		}
	}
	note("goes out", a.b.At(was.GoesOut, was.DeskID), a.b.At(is.GoesOut, is.DeskID))
	note("stage", string(was.Stage), string(is.Stage))
	note("title", was.Title, is.Title)
	note("owner", a.b.Name(was.Owner), a.b.Name(is.Owner))
	note("channel", a.b.Channel(was.ChannelID).Name, a.b.Channel(is.ChannelID).Name)
	note("words", fmt.Sprintf("%d to %d", was.WordsFrom, was.WordsTo), fmt.Sprintf("%d to %d", is.WordsFrom, is.WordsTo))
	note("brief", was.Brief, is.Brief)
	note("description", was.Summary, is.Summary)
	for i := range is.Legs {
		note(is.Legs[i].Name, a.sayLeg(&was.Legs[i]), a.sayLeg(&is.Legs[i]))
	}
	return strings.Join(x, "\n"), strings.Join(y, "\n")
}

func (a *act) sayLeg(l *relay.Leg) string {
	s := fmt.Sprintf("%s, %s, %s", l.State, a.b.Name(l.Holder), Plural(l.Need(), "day"))
	if l.Due != 0 {
		s += ", due " + l.Due.String()
	}
	return s
}
