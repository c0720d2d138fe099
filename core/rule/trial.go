package rule

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// Entry is one entry of the logbook, as far as rules are concerned.
type Entry struct {
	At     day.Moment
	Piece  ref.Piece
	By     ref.Person
	Events string // as Lines writes them
	State  string // as Record writes it
}

// Touch is a moment at which something was recorded on a running leg without an entry
// of its own: words in the copy, a step that was ticked.
type Touch struct {
	At    day.Moment
	Piece ref.Piece
	By    ref.Person
}

// Wait is a stretch of time in which a query waited for an answer; To is 0 while it does.
type Wait struct {
	Piece    ref.Piece
	For      ref.Person
	From, To day.Moment
}

// Past is what a rule is tried on.
type Past struct {
	From, To day.Moment // the span of the trial
	Desk     *plan.Desk
	Way      func(id ref.Route) *route.Route
	Staff    func(person ref.Person) relay.Access
	Usual    func(route ref.Route, leg string) ref.Person
}

// Would is one thing the rule would have done.
type Would struct {
	At    day.Moment
	Event Event
	Title string
	Leg   string // the name of the leg it was about
}

// Trial tries one rule. Entries go in by Add, in the order of the logbook, from the last
// one of each piece before the span on; Touches and Waits are set before.
type Trial struct {
	Rule    Rule
	Past    Past
	Touches map[ref.Piece][]Touch // by piece, in the order of time
	Waits   map[ref.Piece][]Wait  // by piece
	Would   []Would
	pieces  map[ref.Piece]*track
	timed   bool
}

// track is one piece while a rule is tried.
type track struct {
	state State
	since day.Moment
	laid  map[string]overlay // over what really was, by what it is of
	fired map[fired]bool
}

type fired struct {
	leg string
	run int
	at  day.Moment // of the beginning of a wait
}

// overlay is what a trial changed: as long as what really was stays as it was then.
type overlay struct{ was, is string }

// unknown stands for a person that only the day itself would have told.
const unknown = -1

// NewTrial prepares a trial of a rule without gaps.
func NewTrial(r Rule, p Past) *Trial {
	return &Trial{Rule: r, Past: p, pieces: map[ref.Piece]*track{}, timed: r.When.Timed(), Touches: map[ref.Piece][]Touch{}, Waits: map[ref.Piece][]Wait{}}
}

// Add goes on with the next entry.
func (t *Trial) Add(e Entry) error {
	old := t.pieces[e.Piece]
	// What house rules did in the same moment belongs to the act before: events of time
	// are asked about after it.
	if old != nil && t.timed && !(e.By == 0 && e.At == old.since) {
		t.pass(old, e.Piece, e.At)
	}
	if !t.timed && (e.At < t.Past.From || !strings.Contains(e.Events, string(t.Rule.When)+"\t")) && (old == nil || len(old.laid) == 0) {
		return nil // nothing of it matters
	}
	state, err := ReadState(e.State, t.Past.Way)
	if err != nil {
		return err
	}
	x := old
	if x == nil {
		x = &track{laid: map[string]overlay{}, fired: map[fired]bool{}}
		t.pieces[e.Piece] = x
	}
	x.state, x.since = state, e.At
	if t.timed || e.At < t.Past.From || e.At > t.Past.To {
		return nil
	}
	events, err := ReadLines(e.Events)
	if err != nil {
		return err
	}
	for _, ev := range events {
		if ev.Kind == t.Rule.When {
			ev.At, ev.By, ev.Piece = e.At, e.By, e.Piece
			t.ask(x, ev)
		}
	}
	return nil
}

// End goes on to the end of the span, and gives all that the rule would have done in
// the order of time.
func (t *Trial) End() []Would {
	if t.timed {
		for _, id := range slices.Sorted(maps.Keys(t.pieces)) {
			t.pass(t.pieces[id], id, t.Past.To)
		}
	}
	slices.SortStableFunc(t.Would, func(a, b Would) int { return int(a.At - b.At) })
	return t.Would
}

// pass lets time pass on a piece up to a moment.
func (t *Trial) pass(x *track, piece ref.Piece, to day.Moment) {
	for _, touch := range t.Touches[piece] {
		if touch.At > x.since && touch.At < to {
			t.times(x, piece, touch.At)
			for l := range x.state.Piece.Every() {
				if l.State == relay.Running && l.Holder == touch.By {
					l.TouchedAt = touch.At
				}
			}
			x.since = touch.At
		}
	}
	t.times(x, piece, to)
}

// times asks the rule about the events of time between the last record and a moment.
func (t *Trial) times(x *track, piece ref.Piece, to day.Moment) {
	to = min(to, t.Past.To)
	if t.Rule.When == Unanswered {
		t.waits(x, piece, to)
		return
	}
	for t.next(x, piece, to) {
	}
}

// next asks the rule about the events of time of the earliest moment that is left, of the
// legs as they would be by then, and says whether there was one.
func (t *Trial) next(x *track, piece ref.Piece, to day.Moment) bool {
	if p := &x.state.Piece; p.Stage != relay.UnderWay && !p.AfterOpen() {
		return false
	}
	var first []Event
	state := t.laidOver(x)
	for l := range state.Piece.Every() {
		at, ok := HappensAt(t.Rule.When, t.Rule.N, l, t.Past.Desk)
		if !ok || at > to || at <= t.Past.From || x.fired[fired{leg: l.Key, run: l.Run}] {
			continue
		}
		at = max(at, x.since)
		if len(first) > 0 && at < first[0].At {
			first = nil
		}
		if len(first) == 0 || at == first[0].At {
			first = append(first, Event{Kind: t.Rule.When, Leg: l.Key, To: l.Holder, N: t.Rule.N, Piece: piece, At: at})
		}
	}
	for _, e := range first {
		x.fired[fired{leg: e.Leg, run: x.state.Piece.Leg(e.Leg).Run}] = true
		t.ask(x, e)
	}
	return len(first) > 0
}

func (t *Trial) waits(x *track, piece ref.Piece, to day.Moment) {
	for _, w := range t.Waits[piece] {
		at := AnswerOwed(t.Rule.N, w.From, t.Past.Desk)
		key := fired{at: w.From}
		if at > to || at <= t.Past.From || at < x.since || w.To != 0 && at >= w.To || x.fired[key] || x.state.Piece.Stage != relay.UnderWay {
			continue
		}
		x.fired[key] = true
		t.ask(x, Event{Kind: Unanswered, To: w.For, N: t.Rule.N, Piece: piece, At: at})
	}
}

// ask asks the rule about an event, and notes what it would do.
func (t *Trial) ask(x *track, e Event) {
	state := t.laidOver(x)
	h := &Happening{Event: e, State: &state, Desk: t.Past.Desk, Staff: t.Past.Staff}
	if !t.Rule.Matches(h) {
		return
	}
	w := Would{At: e.At, Event: e, Title: state.Piece.Title}
	if l := state.Piece.Leg(e.Leg); l != nil {
		w.Leg = l.Name
	}
	t.Would = append(t.Would, w)
	for i := range t.Rule.Then {
		t.lay(x, &state, e, &t.Rule.Then[i])
	}
}

// lay notes what an action changes, over what really was.
func (t *Trial) lay(x *track, s *State, e Event, a *Action) {
	l := s.Piece.Leg(e.Leg)
	if a.Leg != "" {
		l = s.Leg(a.Leg)
	}
	switch a.Do {
	case SetField:
		if a.Field == "tag" {
			x.put("tag "+a.Value, "", a.Value)
			return
		}
		x.put(a.Field, factOf(&x.state, a.Field), a.Value)
	case Give:
		if l == nil || l.Done() {
			return
		}
		var to ref.Person = unknown
		switch a.To[0] {
		case ToUsual:
			to = t.Past.Usual(s.Piece.RouteID, l.Key)
		case ToOwner:
			to = s.Piece.Owner
		case ToRoom, ToLast:
		default:
			n, _ := strconv.ParseInt(a.To[0], 10, 64)
			to = ref.Person(n)
		}
		was := x.state.Piece.Leg(l.Key)
		x.put("holder "+l.Key, id(was.Holder), id(to))
		if l.State == relay.Running && l.Holder != to {
			x.put("touched "+l.Key, id(int64(was.TouchedAt)), id(int64(e.At)))
		}
	case SetDue:
		if l == nil || l.Done() {
			return
		}
		cal := t.Past.Desk.Calendar
		due := cal.Day(cal.Start(e.At.Date(t.Past.Desk.Zone)) + day.Boundary(a.Days))
		x.put("pin "+l.Key, id(int64(x.state.Piece.Leg(l.Key).Pin)), id(int64(due)))
	}
}

func (x *track) put(what, was, is string) {
	if was != is {
		x.laid[what] = overlay{was, is}
	}
}

// factOf gives what stands in a field of a piece.
func factOf(s *State, field string) string {
	switch field {
	case "priority":
		return strconv.Itoa(int(s.Piece.Priority))
	case "topic":
		return id(s.Piece.TopicID)
	case "campaign":
		return id(s.Piece.CampaignID)
	case "owner":
		return id(s.Piece.Owner)
	}
	n, err := strconv.ParseInt(strings.TrimPrefix(field, FieldPrefix), 10, 64)
	if err != nil {
		return ""
	}
	return s.Values[ref.Field(n)]
}

// laidOver gives the piece as it would be by then.
func (t *Trial) laidOver(x *track) State {
	if len(x.laid) == 0 {
		return x.state
	}
	out := State{x.state.Piece, maps.Clone(x.state.Values)}
	out.Piece.Legs = slices.Clone(out.Piece.Legs)
	again := false
	for what, o := range x.laid {
		kind, key, _ := strings.Cut(what, " ")
		n, _ := strconv.ParseInt(o.is, 10, 64)
		switch l := out.Piece.Leg(key); {
		case kind == "tag":
			if !slices.Contains(out.Piece.TagList(), key) {
				out.Piece.Tags = strings.Join(append(out.Piece.TagList(), key), ",")
			}
		case kind == "holder" && l != nil && id(l.Holder) == o.was:
			l.Holder, again = ref.Person(n), true
		case kind == "pin" && l != nil && id(int64(l.Pin)) == o.was:
			l.Pin, again = day.Date(n), true
		case kind == "touched" && l != nil && id(int64(l.TouchedAt)) == o.was:
			l.TouchedAt = day.Moment(n) // it was given to somebody then, whose days are counted from there
			l.HeldDay = l.TouchedAt.Date(t.Past.Desk.Zone)
		case key != "" || factOf(&x.state, what) != o.was:
			delete(x.laid, what) // somebody changed it otherwise
		default:
			setFact(&out, what, o.is, n)
		}
	}
	if again { // dates follow whoever runs a leg
		out.Piece.Legs = t.Past.Desk.Set(out.Piece.Legs, out.Piece.GoesOut.Date(t.Past.Desk.Zone))
	}
	return out
}

func setFact(s *State, field, value string, n int64) {
	switch field {
	case "priority":
		s.Piece.Priority = relay.Priority(n)
	case "topic":
		s.Piece.TopicID = ref.Topic(n)
	case "campaign":
		s.Piece.CampaignID = ref.Campaign(n)
	case "owner":
		s.Piece.Owner = ref.Person(n)
	default:
		if s.Values == nil {
			s.Values = map[ref.Field]string{}
		}
		if f, err := strconv.ParseInt(strings.TrimPrefix(field, FieldPrefix), 10, 64); err == nil {
			s.Values[ref.Field(f)] = value
		}
	}
}
