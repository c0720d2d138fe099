package newsroom

import (
	"fmt"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// At writes a moment on the desk's clocks as "Thu 3 Dec, 08:00"; none as "no day yet".
func (b *Setup) At(m day.Moment, desk ref.Desk) string {
	if m.IsZero() {
		return "no day yet"
	}
	return m.In(b.Zones[desk]).Format("Mon 2 Jan, 15:04")
}

// AtOn writes a time as At does, with its year where that is another than of a day.
func (b *Setup) AtOn(m day.Moment, desk ref.Desk, today day.Date) string {
	if t := m.In(b.Zones[desk]); !m.IsZero() && today != 0 && t.Year() != today.Year() && (m.Date(b.Zones[desk]) < today-300 || m.Date(b.Zones[desk]) > today+300) {
		return t.Format("Mon 2 Jan 2006, 15:04")
	}
	return b.At(m, desk)
}

// SayPace says in a few words how a piece stands: "2 days short".
func SayPace(s store.Standing) string {
	switch s.Pace {
	case plan.Ready:
		if s.IsScheduled {
			return "Scheduled"
		}
	case plan.InHand:
		return english.Plural(s.InHand, "day") + " in hand"
	case plan.Short:
		return english.Plural(-s.InHand, "day") + " short"
	case plan.NoRoom:
		return "No room"
	case "":
		return "Not worked out yet"
	}
	return english.UpperFirst(string(s.Pace))
}

// SayPriority says how much a piece matters.
func SayPriority(p relay.Priority) string {
	switch p {
	case relay.First:
		return "First"
	case relay.High:
		return "High"
	case relay.CanWait:
		return "Can wait"
	}
	return "Usual"
}

// SayWhat says which verdict somebody gave, after their name.
func SayWhat(s relay.Say) string {
	switch s {
	case relay.SignedIt:
		return "signed it off"
	case relay.WithNotes:
		return "signed it off with notes"
	}
	return "sent it back"
}

// SayCause says why a piece is short, from its stored cause: "Petra has had the
// draft 3 days longer than planned, and is away Thursday".
func (b *Setup) SayCause(r store.Row) string {
	c := CauseOf(r.Standing)
	l := r.Leg(c.Leg)
	if l == nil {
		return "There is not enough time left for the legs to come"
	}
	leg, name := "the "+strings.ToLower(l.Name), b.Name(l.Holder)
	late := english.Plural(c.Late, "day")
	since := english.Date(l.Since(b.Planned[r.DeskID].Zone))
	began := english.Plural(c.Before, "day") + " after it was due"
	switch {
	case c.Before > 0 && c.Why == plan.Open:
		return fmt.Sprintf("Nobody has %s, which began %s", leg, began)
	case c.Before > 0 && c.Late == 0:
		return fmt.Sprintf("%s began %s; %s has had it since %s%s", english.UpperFirst(leg), began, name, since, b.sayAbsent(l.Holder, c, r.WorkedOut))
	case c.Why == plan.Open && c.Late > 0:
		return fmt.Sprintf("Nobody has %s, which is %s past due", leg, late)
	case c.Why == plan.Open:
		return fmt.Sprintf("Nobody has %s yet", leg)
	case c.Late > 0:
		return fmt.Sprintf("%s has had %s %s longer than planned%s", name, leg, late, b.sayAbsent(l.Holder, c, r.WorkedOut))
	case c.Why == plan.Away:
		return fmt.Sprintf("%s has had %s since %s%s", name, leg, since, b.sayAbsent(l.Holder, c, r.WorkedOut))
	}
	takes := fmt.Sprintf("%s with %s takes %s more", english.UpperFirst(leg), name, english.Plural(c.Days, "day"))
	if r.Pace == plan.NoRoom {
		return takes + ", and not one is to spare"
	}
	return takes + ", longer than there is time"
}

// sayAbsent says when a holder is away, or does not work, before a leg could end.
func (b *Setup) sayAbsent(holder ref.Person, c plan.Cause, today day.Date) string {
	if c.From == 0 {
		return ""
	}
	verb := "does not work"
	for _, a := range b.Absences {
		if a.PersonID == holder && a.FromDay <= c.From && c.From <= a.ToDay {
			verb = "is away"
		}
	}
	switch {
	case c.From == today && c.To == today:
		return ", and " + verb + " today"
	case c.From == c.To && c.From < today+7:
		return ", and " + verb + " " + c.From.Format("Monday")
	case c.From == c.To:
		return ", and " + verb + " " + english.Date(c.From)
	}
	return fmt.Sprintf(", and %s %s to %s", verb, english.Date(c.From), english.Date(c.To))
}

// Actor says who acted.
func (b *Setup) Actor(id ref.Person) string {
	if id == 0 {
		return "Green Baton"
	}
	return b.Person(id).Name
}

// SayEvent says in the words of the logbook what happened; who did it comes before it.
func (a *Command) SayEvent(was, is *relay.Piece, e relay.Event) string {
	l := was.Leg(e.Leg)
	switch e.Kind {
	case relay.Created:
		return "made the piece"
	case relay.Added:
		return "added " + is.Leg(e.Leg).Name + " to what is done after release"
	case relay.Scheduled:
		return "scheduled it for " + a.Setup.At(is.GoesOut, is.DeskID)
	case relay.Unscheduled:
		return "took back that it was scheduled"
	case relay.Closed:
		return "nothing is left to do at it"
	case relay.Begun:
		return "let it begin"
	case relay.PassedOn:
		return "passed " + l.Name + a.onTo(was, is) + a.early(l, is.Leg(e.Leg).EndDay, is.DeskID)
	case relay.SentBack:
		return fmt.Sprintf("sent it back to %s, with %s%s", l.Name, a.Setup.Name(e.To), sayLifted(relay.Lifted(was, is)))
	case relay.LeftOut:
		return "skipped " + l.Name
	case relay.Needed:
		return "brought " + l.Name + " back"
	case relay.Given:
		if e.To == 0 {
			return fmt.Sprintf("opened %s to whoever takes it", l.Name)
		}
		return fmt.Sprintf("gave %s to %s", l.Name, a.Setup.Name(e.To))
	case relay.Taken:
		return "took " + l.Name
	case relay.Offered:
		return fmt.Sprintf("offered %s to %s", l.Name, a.Setup.OfferedTo(is.Leg(e.Leg))) // for what is not for everybody who reads it
	case relay.GaveBack:
		return "gave " + l.Name + " back"
	case relay.Lost:
		return fmt.Sprintf("opened %s again, because nothing was recorded by %s", l.Name, a.Setup.Name(e.From))
	case relay.WentOut:
		return "sent it out on " + a.Setup.Channel(is.ChannelID).Name
	case relay.Missed:
		return "did not send it out: it was not ready at its time"
	case relay.Withdrew:
		return "withdrew it from " + a.Setup.Channel(is.ChannelID).Name
	case relay.Placed:
		if is.GoesOut == 0 {
			return "took its day away"
		}
		return "set its day to " + a.Setup.At(is.GoesOut, is.DeskID)
	case relay.Rerouted:
		if was.FormatID != is.FormatID {
			return a.Setup.SaySentOn(is.FormatID)
		}
	}
	return sayAdjusted(is, e)
}

// sayAdjusted says what was changed in the plan of a piece.
func sayAdjusted(is *relay.Piece, e relay.Event) string {
	l := is.Leg(e.Leg)
	switch e.Kind {
	case relay.Allowed:
		return fmt.Sprintf("gave %s %s", l.Name, english.Plural(l.Need(), "day"))
	case relay.Pinned:
		if l.Pin == 0 {
			return fmt.Sprintf("let the due date of %s follow from the day again", l.Name)
		}
		return fmt.Sprintf("pinned %s to %s", l.Name, english.Date(l.Pin))
	case relay.Held:
		if l.NotBefore == 0 {
			return fmt.Sprintf("let %s begin when its turn comes", l.Name)
		}
		return fmt.Sprintf("kept %s from beginning before %s", l.Name, english.Date(l.NotBefore))
	case relay.Overlaps:
		return fmt.Sprintf("let %s run side by side with what it waited for", l.Name)
	case relay.Reported:
		return fmt.Sprintf("noted %s of work left in %s", english.Hours(l.Remaining()), l.Name)
	case relay.Rerouted:
		return "moved it to the new version of its route"
	case relay.Restored:
		return "took a change back"
	}
	return ""
}

// onTo names those to whom a pass hands on: " to Ruth, pictures".
func (a *Command) onTo(was, is *relay.Piece) string {
	var next []string
	for l := range is.Every() {
		if l.State == relay.Running && was.Leg(l.Key) != nil && was.Leg(l.Key).State == relay.Waiting {
			next = append(next, a.Setup.Name(l.Holder)+", "+l.Name)
		}
	}
	if len(next) == 0 {
		return ""
	}
	return " to " + strings.Join(next, " and to ")
}

// sayLifted says which due dates set by hand no longer hold.
func sayLifted(legs []relay.Leg) string {
	switch len(legs) {
	case 0:
		return ""
	case 1:
		return "; the due date set by hand no longer holds (" + sayPins(legs) + ")"
	}
	return "; the due dates set by hand no longer hold (" + sayPins(legs) + ")"
}

// SayLifts says which due dates set by hand fall away where a piece is sent back over them;
// nothing if there are none.
func SayLifts(p *relay.Piece) string {
	legs := relay.MayLift(p)
	if len(legs) == 0 {
		return ""
	}
	return "Due dates set by hand fall away where it is run again: " + sayPins(legs) + "."
}

func sayPins(legs []relay.Leg) string {
	all := make([]string, len(legs))
	for i, l := range legs {
		all[i] = l.Name + ", " + english.Date(l.Pin)
	}
	return strings.Join(all, "; ")
}

// early says by how many working days a leg was passed before or after it was due.
func (a *Command) early(l *relay.Leg, end day.Date, desk ref.Desk) string {
	if l.Due == 0 {
		return ""
	}
	cal := a.Setup.Planned[desk].Calendar
	switch n := int(cal.End(end) - cal.End(l.Due)); {
	case n > 0:
		return ", " + english.Plural(n, "day") + " late"
	case n < 0:
		return ", " + english.Plural(-n, "day") + " early"
	}
	return ""
}

// Differ writes what differs between a piece as it was and as it is, one side
// each, for the logbook.
func (a *Command) Differ(was, is *relay.Piece) (before, after string) {
	var x, y []string
	note := func(name, from, to string) {
		if from != to {
			x, y = append(x, name+": "+from), append(y, name+": "+to)
		}
	}
	note("goes out", a.Setup.At(was.GoesOut, was.DeskID), a.Setup.At(is.GoesOut, is.DeskID))
	note("stage", string(was.Stage), string(is.Stage))
	note("title", was.Title, is.Title)
	note("owner", a.Setup.Name(was.Owner), a.Setup.Name(is.Owner))
	note("channel", a.Setup.Channel(was.ChannelID).Name, a.Setup.Channel(is.ChannelID).Name)
	note("topic", a.Setup.Topic(was.TopicID).Name, a.Setup.Topic(is.TopicID).Name)
	note("campaign", a.Setup.Campaign(was.CampaignID).Name, a.Setup.Campaign(is.CampaignID).Name)
	note("priority", SayPriority(was.Priority), SayPriority(is.Priority))
	note("tags", was.Tags, is.Tags)
	note("words", fmt.Sprintf("%d to %d", was.WordsFrom, was.WordsTo), fmt.Sprintf("%d to %d", is.WordsFrom, is.WordsTo))
	note("brief", was.Brief, is.Brief)
	note("description", was.Summary, is.Summary)
	note("address", was.Slug, is.Slug)
	note("route", fmt.Sprint("version ", a.Setup.Route(was.RouteID).Version), fmt.Sprint("version ", a.Setup.Route(is.RouteID).Version))
	for l := range is.Every() {
		if old := was.Leg(l.Key); old != nil {
			note(l.Name, a.SayLeg(old), a.SayLeg(l))
		} else {
			note(l.Name, "none", a.SayLeg(l))
		}
	}
	for l := range was.Every() {
		if is.Leg(l.Key) == nil {
			note(l.Name, a.SayLeg(l), "gone")
		}
	}
	return strings.Join(x, "\n"), strings.Join(y, "\n")
}

// SayLeg says who has a leg and for how long.
func (a *Command) SayLeg(l *relay.Leg) string {
	s := fmt.Sprintf("%s, %s, %s", l.State, a.Setup.Name(l.Holder), english.Plural(l.Need(), "day"))
	if l.Due != 0 {
		s += ", due " + l.Due.String()
	}
	if l.Pin != 0 {
		s += ", pinned"
	}
	if l.NotBefore != 0 {
		s += ", not before " + l.NotBefore.String()
	}
	if l.Worked != 0 {
		s += ", " + english.Hours(l.Remaining()) + " left"
	}
	return s
}

// OfferedTo says to whom a leg is open.
func (b *Setup) OfferedTo(l *relay.Leg) string {
	var names []string
	for _, id := range l.OfferedTo() {
		names = append(names, b.Name(id))
	}
	if len(names) == 0 {
		return "whoever runs " + l.Role
	}
	return english.And(names)
}

// ForFee says what a leg is paid, as it goes on after another sentence, to who takes legs for fees or
// may see them; nothing to others, and for none.
func (b *Setup) ForFee(d ref.Desk, l *relay.Leg, who ref.Person) string {
	if l.Fee == 0 || !b.Person(who).Access.May(relay.TakeForFee) && !b.SeesFees(who, d) {
		return ""
	}
	return ", for " + b.SayFee(d, l.Fee)
}

// SaySentOn says that a piece was sent on to a format.
func (b *Setup) SaySentOn(format ref.Format) string {
	f := b.Format(format)
	return fmt.Sprintf("sent it on to %s, as a %s", b.Desk(f.DeskID).Name, strings.ToLower(f.Name))
}

// RequestByID reads a request.
func (a *Command) RequestByID(id ref.Request) (store.Request, error) {
	all, err := store.Requests(a, a.Tx, "WHERE id = ?", id)
	if err == nil && len(all) == 0 {
		err = store.ErrNone
	}
	return FirstOf(all), err
}

// MisfitText says why an edit does not fit, without the words of the program.
func MisfitText(err error) string {
	text := err.Error()
	if prefix := copy.ErrMisfit.Error() + ": "; len(text) > len(prefix) && text[:len(prefix)] == prefix {
		return text[len(prefix):]
	}
	return text
}

// SayDue writes the day on which a leg is due and, where whoever has it is off then, the
// last day before on which they work.
func (b *Setup) SayDue(p *relay.Piece, l *relay.Leg) string {
	if keeps := b.Planned[p.DeskID].Keeps(l); keeps != l.Due {
		return fmt.Sprintf("%s (%s’s last day before it is %s)", english.Date(l.Due), b.Name(l.Holder), english.Date(keeps))
	}
	return english.Date(l.Due)
}
