package rule

import (
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Happening is an event with the piece as it is then.
type Happening struct {
	Event
	State *State
	Desk  *plan.Desk // of the desk, for how the piece stands
	Staff func(person ref.Person) relay.Access
	pace  *plan.Projection
}

// leg is the leg the event is about, nil for none.
func (h *Happening) leg() *relay.Leg {
	if h.Event.Leg == "" {
		return nil
	}
	return h.State.Piece.Leg(h.Event.Leg)
}

// stands is how the piece stands on the day of the event.
func (h *Happening) stands() *plan.Projection {
	if h.pace == nil {
		p := h.Desk.Forward(&h.State.Piece, h.At.Date(h.Desk.Zone))
		h.pace = &p
	}
	return h.pace
}

// Field is a fact that conditions ask about.
type Field struct {
	Key  string
	Name string // as it stands in a sentence: "its priority"
	Kind string // person, format, channel, topic, campaign, leg or role: of the desk; number; text; or choice
	Only Kind   // it is known only of this event
	Says [][2]string
	get  func(*Happening) string // an id, a word or a number
}

func id[T ~int64](n T) string { return strconv.FormatInt(int64(n), 10) }

func legged(f func(*relay.Leg) string) func(*Happening) string {
	return func(h *Happening) string {
		if l := h.leg(); l != nil {
			return f(l)
		}
		return ""
	}
}

// Fields are the facts, in the order in which they are offered.
var Fields = []Field{
	{Key: "format", Name: "its format", Kind: "format", get: func(h *Happening) string { return id(h.State.Piece.FormatID) }},
	{Key: "leg", Name: "the leg", Kind: "leg", get: legged(func(l *relay.Leg) string { return l.Name })},
	{Key: "role", Name: "the role of the leg", Kind: "role", get: legged(func(l *relay.Leg) string { return l.Role })},
	{Key: "holder", Name: "who has the leg", Kind: "person", get: legged(func(l *relay.Leg) string { return id(l.Holder) })},
	{Key: "holds as", Name: "whoever has the leg", Kind: "choice", Says: [][2]string{{"staff", "is staff"}, {"freelance", "is a freelancer"}, {"outside", "is from outside"}, {"lead", "leads"}},
		get: func(h *Happening) string {
			if l := h.leg(); l != nil && l.Holder != 0 {
				return string(h.Staff(l.Holder))
			}
			return ""
		}},
	{Key: "run", Name: "how often the leg has begun", Kind: "number", get: legged(func(l *relay.Leg) string { return strconv.Itoa(l.Run) })},
	{Key: "channel", Name: "its channel", Kind: "channel", get: func(h *Happening) string { return id(h.State.Piece.ChannelID) }},
	{Key: "owner", Name: "its owner", Kind: "person", get: func(h *Happening) string { return id(h.State.Piece.Owner) }},
	{Key: "by", Name: "who did it", Kind: "person", get: func(h *Happening) string { return id(h.By) }},
	{Key: "priority", Name: "its priority", Kind: "choice", Says: [][2]string{{"2", "first"}, {"1", "high"}, {"0", "usual"}, {"-1", "can wait"}}, get: func(h *Happening) string { return strconv.Itoa(int(h.State.Piece.Priority)) }},
	{Key: "topic", Name: "its topic", Kind: "topic", get: func(h *Happening) string { return id(h.State.Piece.TopicID) }},
	{Key: "campaign", Name: "its campaign", Kind: "campaign", get: func(h *Happening) string { return id(h.State.Piece.CampaignID) }},
	{Key: "tag", Name: "one of its tags", Kind: "text", get: func(h *Happening) string { return h.State.Piece.Tags }},
	{Key: "title", Name: "its title", Kind: "text", get: func(h *Happening) string { return h.State.Piece.Title }},
	{Key: "pace", Name: "how it stands", Kind: "choice", Says: [][2]string{{string(plan.InHand), "days in hand"}, {string(plan.NoRoom), "no room"}, {string(plan.Short), "short"}, {string(plan.Unplaced), "without a day"}, {string(plan.Ready), "ready"}},
		get: func(h *Happening) string { return string(h.stands().Pace) }},
	{Key: "in hand", Name: "its days in hand", Kind: "number", get: func(h *Happening) string {
		if h.State.Piece.GoesOut == 0 {
			return ""
		}
		return strconv.Itoa(h.stands().InHand)
	}},
	{Key: "days to go", Name: "the working days until it goes out", Kind: "number", get: func(h *Happening) string {
		if h.State.Piece.GoesOut == 0 {
			return ""
		}
		return strconv.Itoa(h.Desk.Calendar.Count(h.At.Date(h.Desk.Zone), h.State.Piece.GoesOut.Date(h.Desk.Zone)))
	}},
	{Key: "verdict", Name: "the verdict", Kind: "choice", Only: Verdict, Says: [][2]string{{"signed off", "signed off"}, {"with notes", "signed off with notes"}, {"sent back", "sent back"}}, get: func(h *Happening) string { return h.Say }},
	{Key: "fee", Name: "the fee, in whole units of the currency", Kind: "number", Only: Accepted, get: func(h *Happening) string { return strconv.Itoa(h.N) }},
	{Key: "used", Name: "how much of the budget is spent or promised, in per cent", Kind: "number", Only: Spent, get: func(h *Happening) string { return strconv.Itoa(h.N) }},
	{Key: "changed", Name: "what was changed", Kind: "changed", Only: Changed, get: func(h *Happening) string { return h.Event.Field }},
}

// FieldOf gives a fact by its key; of an extra field nothing.
func FieldOf(key string) Field {
	for _, f := range Fields {
		if f.Key == key {
			return f
		}
	}
	return Field{}
}

// Takes reports whether the fact can be asked about in a way.
func (f Field) Takes(op string) bool {
	switch f.Kind {
	case "number":
		return op == AtLeast || op == AtMost || op == Is
	case "text":
		return op == Contains || op == Is || op == IsNot
	}
	return op == Is || op == IsNot
}

// Ops are the ways in which the fact can be asked about.
func (f Field) Ops() []string {
	return slices.DeleteFunc([]string{Is, IsNot, AtLeast, AtMost, Contains}, func(op string) bool { return !f.Takes(op) })
}

func (f Field) choice(v string) bool {
	return slices.ContainsFunc(f.Says, func(s [2]string) bool { return s[0] == v }) || f.Kind == "changed"
}

// holds reports whether a condition holds.
func (c Cond) holds(h *Happening) bool {
	var v string
	list := false
	if id, ok := strings.CutPrefix(c.Field, FieldPrefix); ok {
		n, err := strconv.ParseInt(id, 10, 64)
		if err != nil {
			return false
		}
		v = h.State.Values[ref.Field(n)]
	} else if f := FieldOf(c.Field); f.get != nil {
		v, list = f.get(h), c.Field == "tag"
	}
	same := func(x string) bool {
		if !list {
			return strings.EqualFold(v, strings.TrimSpace(x))
		}
		return slices.ContainsFunc(strings.Split(v, ","), func(t string) bool { return strings.EqualFold(t, strings.TrimSpace(x)) })
	}
	switch c.Op {
	case Is:
		return slices.ContainsFunc(c.Values, same)
	case IsNot:
		return !slices.ContainsFunc(c.Values, same)
	case Contains:
		return strings.Contains(strings.ToLower(v), strings.ToLower(strings.TrimSpace(c.Values[0])))
	}
	is, err1 := strconv.Atoi(v)
	than, err2 := strconv.Atoi(c.Values[0])
	if err1 != nil || err2 != nil {
		return false
	}
	return c.Op == AtLeast && is >= than || c.Op == AtMost && is <= than
}

// Matches reports whether the rule is about what happened, and its conditions hold.
// Of a rule with gaps nothing may be asked.
func (r *Rule) Matches(h *Happening) bool {
	if r.When != h.Kind || r.When.Timed() && r.N != h.N {
		return false
	}
	for i := range r.If {
		switch holds := r.If[i].holds(h); {
		case holds && r.Any:
			return true
		case !holds && !r.Any:
			return false
		}
	}
	return !r.Any || len(r.If) == 0
}

// HappensAt gives the moment at which a timed event of a running leg comes: due in n
// working days at the beginning of that day, counted from the last day before on which its
// holder works where they are off on the day itself, overdue and quiet for n after so many
// working days. It reports false where there is none.
func HappensAt(k Kind, n int, l *relay.Leg, h *plan.Desk) (day.Moment, bool) {
	if l.State != relay.Running {
		return 0, false
	}
	cal := h.Calendar
	begins := func(b day.Boundary) (day.Moment, bool) { return day.Wall(cal.Day(b), 0, h.Zone), true }
	switch k {
	case DueIn:
		if l.Due == 0 {
			return 0, false
		}
		at, _ := begins(cal.Start(h.Keeps(l)) - day.Boundary(n))
		return at, at > l.StartedAt // a leg that begins so close to it is told of by its handing over
	case Overdue:
		if l.Due == 0 {
			return 0, false
		}
		return begins(h.RunsOut(l) + day.Boundary(n-1))
	case Quiet:
		if l.Later { // what is done days after release lies until then
			return 0, false
		}
		return begins(cal.Start(l.TouchedAt.Date(h.Zone)) + day.Boundary(n))
	case NoVerdict:
		if !l.SignOff {
			return 0, false
		}
		return begins(cal.Start(l.StartedAt.Date(h.Zone)) + day.Boundary(n))
	}
	return 0, false
}

// AnswerOwed gives the moment at which a query that waits since another has waited n
// working days.
func AnswerOwed(n int, since day.Moment, h *plan.Desk) day.Moment {
	return day.Wall(h.Calendar.Day(h.Calendar.Start(since.Date(h.Zone))+day.Boundary(n)), 0, h.Zone)
}
