package rule

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// State is a piece as rules see it: as it was after an act.
type State struct {
	Piece  relay.Piece
	Values map[ref.Field]string // of extra fields, by id
}

// Leg finds a leg by its name, nil for none.
func (s *State) Leg(name string) *relay.Leg {
	for l := range s.Piece.Every() {
		if strings.EqualFold(l.Name, name) {
			return l
		}
	}
	return nil
}

// edition begins what Record writes. Before it, legs were written without the day on which
// they came to whoever had them (editionBefore).
const edition, editionBefore = "2", "1"

// Record writes a state for the logbook: numbers of the piece on the first line, its
// tags and title on the next two, then a line for each leg and each filled-in field.
// What is the same for all pieces of a route is left to the route.
func (s *State) Record() string {
	p := &s.Piece
	var b []byte
	num := func(n int64) { b = strconv.AppendInt(append(b, ' '), n, 10) }
	b = append(b, edition...)
	for _, n := range []int64{int64(p.ID), int64(p.Number), int64(p.DeskID), int64(p.FormatID), int64(p.RouteID), int64(p.ChannelID), int64(p.TopicID), int64(p.CampaignID), int64(p.Owner), int64(p.Priority),
		int64(p.GoesOut), int64(p.MissedAt), int64(p.CreatedAt), int64(p.OutAt), int64(stageNumber(p.Stage)), int64(p.WordsFrom), int64(p.WordsTo)} {
		num(n)
	}
	b = append(append(append(append(b, '\n'), line(p.Tags)...), '\n'), line(p.Title)...)
	for l := range p.Every() {
		if b = append(b, '\n'); l.Later {
			b = append(b, laterMark...)
		}
		b = append(b, l.Key...)
		for _, n := range []int64{int64(slices.Index(states, l.State)), int64(l.Holder), int64(l.Allowance), int64(l.Rework), int64(l.Due), int64(l.Pin), int64(l.NotBefore),
			int64(l.StartDay), int64(l.EndDay), int64(l.StartedAt), int64(l.TouchedAt), int64(l.Run), int64(l.HeldDay)} {
			num(n)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(s.Values)) {
		if v := s.Values[id]; v != "" {
			b = append(append(strconv.AppendInt(append(b, "\n="...), int64(id), 10), ' '), line(v)...)
		}
	}
	return string(b)
}

var states = []relay.State{relay.Waiting, relay.Running, relay.Passed, relay.Skipped}
var stages = []relay.Stage{relay.UnderWay, relay.Out, relay.Withdrawn}

func stageNumber(s relay.Stage) int { return slices.Index(stages, s) }

// line writes a text as one line that can be read back.
func line(s string) string {
	return strings.NewReplacer("\\", "\\\\", "\n", "\\n", "\r", "\\r").Replace(s)
}

func unline(s string) string {
	if !strings.Contains(s, "\\") {
		return s
	}
	return unescape.Replace(s)
}

var unescape = strings.NewReplacer("\\\\", "\\", "\\n", "\n", "\\r", "\r")

// ReadState reads what Record wrote. Names, roles and the order of legs come from the
// route of the piece.
func ReadState(record string, way func(id ref.Route) *route.Route) (State, error) {
	var s State
	p := &s.Piece
	head, rest, _ := strings.Cut(record, "\n")
	var n [17]int64
	ofLeg := numbersOfLeg
	if strings.HasPrefix(head, editionBefore+" ") {
		head, ofLeg = edition+head[1:], numbersOfLeg-1
	}
	if err := numbers(head, edition, n[:]); err != nil {
		return s, err
	}
	p.ID, p.Number, p.DeskID, p.FormatID, p.RouteID, p.ChannelID, p.TopicID, p.CampaignID, p.Owner, p.Priority = ref.Piece(n[0]), int(n[1]), ref.Desk(n[2]), ref.Format(n[3]), ref.Route(n[4]), ref.Channel(n[5]), ref.Topic(n[6]), ref.Campaign(n[7]), ref.Person(n[8]), relay.Priority(n[9])
	p.GoesOut, p.MissedAt, p.CreatedAt, p.OutAt, p.WordsFrom, p.WordsTo = day.Moment(n[10]), day.Moment(n[11]), day.Moment(n[12]), day.Moment(n[13]), int(n[15]), int(n[16])
	if n[14] < 0 || n[14] >= int64(len(stages)) {
		return s, fmt.Errorf("the state of piece %d has no stage", p.ID)
	}
	p.Stage = stages[n[14]]
	tags, rest, _ := strings.Cut(rest, "\n")
	title, rest, _ := strings.Cut(rest, "\n")
	p.Tags, p.Title = unline(tags), unline(title)
	legs := way(p.RouteID)
	p.Legs = make([]relay.Leg, 0, strings.Count(rest, "\n")+1)
	for rest != "" {
		var x string
		x, rest, _ = strings.Cut(rest, "\n")
		if v, ok := strings.CutPrefix(x, "="); ok {
			id, value, _ := strings.Cut(v, " ")
			k, err := strconv.ParseInt(id, 10, 64)
			if err != nil {
				return s, fmt.Errorf("the state of piece %d: %w", p.ID, err)
			}
			if s.Values == nil && value != "" {
				s.Values = map[ref.Field]string{}
			}
			if value != "" {
				s.Values[ref.Field(k)] = unline(value)
			}
			continue
		}
		l, err := readLeg(x, legs, ofLeg)
		if err != nil {
			return s, fmt.Errorf("the state of piece %d: %w", p.ID, err)
		}
		l.PieceID, l.Position = p.ID, len(p.Legs)+len(p.After)
		if l.Later {
			p.After = append(p.After, l)
		} else {
			p.Legs = append(p.Legs, l)
		}
	}
	return s, nil
}

// laterMark stands before the key of a leg after release.
const laterMark = "+"

// numbersOfLeg is how many numbers are written of a leg.
const numbersOfLeg = 13

func readLeg(x string, way *route.Route, written int) (relay.Leg, error) {
	key, _, _ := strings.Cut(x, " ")
	var n [numbersOfLeg]int64
	if err := numbers(x, key, n[:written]); err != nil {
		return relay.Leg{}, err
	}
	key, later := strings.CutPrefix(key, laterMark)
	if n[0] < 0 || n[0] >= int64(len(states)) {
		return relay.Leg{}, fmt.Errorf("leg %s has no state", key)
	}
	l := relay.Leg{Key: key, Name: key, Later: later, State: states[n[0]], Holder: ref.Person(n[1]), Allowance: int(n[2]), Rework: int(n[3]), Due: day.Date(n[4]), Pin: day.Date(n[5]), NotBefore: day.Date(n[6]),
		StartDay: day.Date(n[7]), EndDay: day.Date(n[8]), StartedAt: day.Moment(n[9]), TouchedAt: day.Moment(n[10]), Run: int(n[11]), HeldDay: day.Date(n[12])}
	if way != nil {
		for _, r := range slices.Concat(way.Legs, way.After) {
			if r.Key == key {
				l.Name, l.Role, l.Least, l.Effort, l.After, l.SignOff, l.Words = r.Name, r.Role, min(r.Least, l.Allowance), r.Effort, strings.Join(r.After, ","), r.SignOff, r.Words
			}
		}
	}
	return l, nil
}

// numbers reads the numbers of a line that begins with a word.
func numbers(x, word string, into []int64) error {
	rest, ok := strings.CutPrefix(x, word)
	if !ok || word == "" || rest != "" && rest[0] != ' ' {
		return fmt.Errorf("%q does not begin with %q", x, word)
	}
	for i := range into {
		rest = strings.TrimPrefix(rest, " ")
		f := rest
		if k := strings.IndexByte(rest, ' '); k >= 0 {
			f, rest = rest[:k], rest[k:]
		} else {
			rest = ""
		}
		n, err := strconv.ParseInt(f, 10, 64)
		if err != nil {
			return fmt.Errorf("number %d of %q: %w", i+1, x, err)
		}
		into[i] = n
	}
	if rest != "" {
		return fmt.Errorf("there is more than %d numbers in %q", len(into), x)
	}
	return nil
}

// Event is one thing that happened.
type Event struct {
	Kind  Kind
	Leg   string     // its key
	To    ref.Person // who has it now
	Why   string
	Field string     // that was changed: its key in Fields, or field: and an id
	Say   string     // which verdict
	N     int        // of an event of time
	By    ref.Person // who did it; 0 is the program itself
	Piece ref.Piece  // that it happened to; 0 where it is of a request
	At    day.Moment

	Request ref.Request
	Desk    ref.Desk // that came in, and to which desk; 0 where it is of a piece
}

// Line writes an event for the logbook, where piece, time and who did it are known.
func (e Event) Line() string {
	clean := func(s string) string { return strings.NewReplacer("\t", " ", "\n", " ", "\r", " ").Replace(s) }
	return strings.Join([]string{string(e.Kind), clean(e.Leg), strconv.FormatInt(int64(e.To), 10), clean(e.Field), clean(e.Say), strconv.Itoa(e.N)}, "\t")
}

// Lines writes events, a line each.
func Lines(es []Event) string {
	out := make([]string, len(es))
	for i, e := range es {
		out[i] = e.Line()
	}
	return strings.Join(out, "\n")
}

// ReadLines reads the events of an entry of the logbook.
func ReadLines(lines string) ([]Event, error) {
	var out []Event
	for rest := lines; rest != ""; {
		var x string
		x, rest, _ = strings.Cut(rest, "\n")
		f := strings.Split(x, "\t")
		if len(f) != 6 {
			return nil, fmt.Errorf("%q is no event", x)
		}
		to, err := strconv.ParseInt(f[2], 10, 64)
		if err != nil {
			return nil, fmt.Errorf("%q: %w", x, err)
		}
		n, err := strconv.Atoi(f[5])
		if err != nil {
			return nil, fmt.Errorf("%q: %w", x, err)
		}
		out = append(out, Event{Kind: Kind(f[0]), Leg: f[1], To: ref.Person(to), Field: f[3], Say: f[4], N: n})
	}
	return out, nil
}
