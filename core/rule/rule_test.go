package rule

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// names are what is known on the desk of these tests.
type names map[string]string

func (n names) Name(kind, key string) (string, bool) {
	if kind == "leg" || kind == "role" {
		return key, n[kind+" "+key] != ""
	}
	v, ok := n[kind+" "+key]
	return v, ok
}

var desk = names{
	"person 1": "Maren", "person 6": "Ruth", "format 1": "Feature", "format 2": "Recipe", "format 3": "Audio", "channel 1": "Web", "topic 4": "Mills", "field 9": "Series",
	"leg Pictures": "x", "leg Draft": "x", "role pictures": "x",
}

var london = func() *plan.Desk {
	zone, err := time.LoadLocation("Europe/London")
	if err != nil {
		panic(err)
	}
	return &plan.Desk{Calendar: day.NewCalendar(day.MondayToFriday, nil), Zone: zone, Quiet: 3, Holder: func(ref.Person) *day.Calendar { return nil }}
}()

func at(date string) day.Date {
	d, err := day.ParseDate(date)
	if err != nil {
		panic(err)
	}
	return d
}

func wall(date string, minutes int) day.Moment { return day.Wall(at(date), minutes, london.Zone) }

func is(field string, values ...string) Cond { return Cond{Field: field, Op: Is, Values: values} }

func TestARuleReadsAsOneSentence(t *testing.T) {
	for want, r := range map[string]Rule{
		"When a feature enters Pictures and nobody has it, give it to whoever has most room, and tell the owner “x”.": {When: Begins,
			If: []Cond{is("format", "1"), is("leg", "Pictures"), is("holder", "0")}, Then: []Action{{Do: Give, To: []string{ToRoom}}, {Do: Tell, To: []string{TellOwner}, Words: "x"}}},
		"When …, ….":               {},
		"When a piece is made, ….": {When: Created},
		"When a leg of an audio is due in … working days, tell ….": {When: DueIn, N: -1, If: []Cond{is("format", "3")}, Then: []Action{{Do: Tell}}},
		"When Draft of a piece has been overdue for 2 working days and its days in hand is at most 0, tell whoever has it and the leads.": {When: Overdue, N: 2,
			If: []Cond{is("leg", "Draft"), {Field: "in hand", Op: AtMost, Values: []string{"0"}}}, Then: []Action{{Do: Tell, To: []string{TellHolder, TellLeads}}}},
		"When a piece is made, if its format is Feature or its channel is Web, tag it “winter”.": {When: Created, Any: true,
			If: []Cond{is("format", "1"), is("channel", "1")}, Then: []Action{{Do: SetField, Field: "tag", Value: "winter"}}},
		"When a feature or a recipe is sent back and it is not with Ruth, make Draft due today, add “one” and “two” to the checklist of it, and make a recipe that follows it, “x”.": {When: SentBack,
			If:   []Cond{is("format", "1", "2"), {Field: "holder", Op: IsNot, Values: []string{"6"}}},
			Then: []Action{{Do: SetDue, Leg: "Draft"}, {Do: AddSteps, Words: "one\n\ntwo\n"}, {Do: FollowUp, Format: 2, Words: "x"}}},
		"When a field of a piece is changed and what was changed is its priority or Series and its topic is not none, set its priority to high, and set Series to “A”.": {When: Changed,
			If:   []Cond{is("changed", "priority", "field:9"), {Field: "topic", Op: IsNot, Values: []string{"0"}}},
			Then: []Action{{Do: SetField, Field: "priority", Value: "1"}, {Do: SetField, Field: "field:9", Value: "A"}}},
		"When nothing was recorded on a leg of a piece for 1 working day and Series is empty, give it to Ruth.": {When: Quiet, N: 1, If: []Cond{is("field:9", "")}, Then: []Action{{Do: Give, To: []string{"6"}}}},
	} {
		if got := r.Say(desk); got != want {
			t.Errorf("\n got %s\nwant %s", got, want)
		}
	}
}

func TestWhatIsMissingIsNamedInItsPlace(t *testing.T) {
	whole := Rule{When: Begins, If: []Cond{is("leg", "Pictures")}, Then: []Action{{Do: Give, To: []string{"6"}}}}
	if gaps := whole.Gaps(desk); len(gaps) > 0 {
		t.Fatalf("a whole rule has gaps: %v", gaps)
	}
	for name, x := range map[string]struct {
		change func(*Rule)
		where  string
		text   string
	}{
		"nothing happens":       {func(r *Rule) { r.When = "" }, "when", "choose what has to happen"},
		"no days":               {func(r *Rule) { r.When = Overdue }, "when", "how many working days"},
		"no action":             {func(r *Rule) { r.Then = nil }, "then", "what is to be done"},
		"empty action":          {func(r *Rule) { r.Then[0] = Action{} }, "then 0", "what is to be done"},
		"empty condition":       {func(r *Rule) { r.If[0] = Cond{} }, "if 0", "what is asked"},
		"no comparison":         {func(r *Rule) { r.If[0].Op = Contains }, "if 0", "how it is compared"},
		"no value":              {func(r *Rule) { r.If[0].Values = nil }, "if 0", "compared with"},
		"a leg that is gone":    {func(r *Rule) { r.If[0].Values = []string{"Listening"} }, "if 0", "no longer there"},
		"a person who left":     {func(r *Rule) { r.Then[0].To = []string{"7"} }, "then 0", "no longer on the desk"},
		"no number":             {func(r *Rule) { r.If[0] = Cond{"run", AtLeast, []string{"two"}} }, "if 0", "write a number"},
		"the leg of no leg":     {func(r *Rule) { r.When = Created }, "then 0", "choose the leg"},
		"a verdict of no event": {func(r *Rule) { r.If[0] = is("verdict", "sent back") }, "if 0", "only known of"},
		"unknown words":         {func(r *Rule) { r.Then[0] = Action{Do: Tell, To: []string{TellOwner}, Words: "{price}"} }, "then 0", "no field {price}"},
		"no words":              {func(r *Rule) { r.Then[0] = Action{Do: Tell, To: []string{TellOwner}} }, "then 0", "write what is said"},
		"a field that is gone":  {func(r *Rule) { r.Then[0] = Action{Do: SetField, Field: "field:3"} }, "then 0", "no longer in use"},
		"legs of a request":     {func(r *Rule) { r.When, r.If = Requested, nil }, "then 0", "has no legs yet"},
	} {
		r := whole
		r.If, r.Then = append([]Cond(nil), whole.If...), append([]Action(nil), whole.Then...)
		x.change(&r)
		gaps := r.Gaps(desk)
		if len(gaps) == 0 || gaps[0].Where != x.where || !strings.Contains(gaps[0].Text, x.text) {
			t.Errorf("%s: %v", name, gaps)
		}
	}
}

func TestARuleIsReadAsItWasStored(t *testing.T) {
	r := Rule{When: Overdue, N: 2, Any: true, If: []Cond{is("leg", "Draft")}, Then: []Action{{Do: Tell, To: []string{"6"}, Words: "a"}}}
	got, err := Read(r.Data())
	if err != nil || !reflect.DeepEqual(got, r) {
		t.Errorf("%+v, %v", got, err)
	}
}

// sample is a piece with a draft that runs and pictures to come.
func sample() State {
	return State{Piece: relay.Piece{ID: 5, Number: 12, DeskID: 1, FormatID: 1, RouteID: 3, ChannelID: 1, Owner: 1, Title: "A \\ line\nand another", Tags: "mill,bread", Priority: -1, Stage: relay.UnderWay,
		GoesOut: wall("2026-12-03", 480), Legs: []relay.Leg{
			{PieceID: 5, Key: "draft", Name: "Draft", Role: "write", Holder: 3, Allowance: 5, Least: 3, Due: at("2026-11-27"), State: relay.Running, StartDay: at("2026-11-20"), StartedAt: wall("2026-11-19", 900), TouchedAt: wall("2026-11-23", 600), Run: 1, HeldDay: at("2026-11-23")},
			{PieceID: 5, Position: 1, Key: "pics", Name: "Pictures", Role: "pictures", Allowance: 2, Least: 1, After: "draft", Due: at("2026-12-01"), State: relay.Waiting, SignOff: true},
		}}, Values: map[ref.Field]string{9: "People of the mill\n", 2: "7"}}
}

var way = &route.Route{Legs: []route.Leg{{Key: "draft", Name: "Draft", Role: "write", Least: 3}, {Key: "pics", Name: "Pictures", Role: "pictures", Least: 1, After: []string{"draft"}, SignOff: true}}}

func routes(ref.Route) *route.Route { return way }

func TestAStateIsReadAsItWasRecorded(t *testing.T) {
	s := sample()
	got, err := ReadState(s.Record(), routes)
	if err != nil || !reflect.DeepEqual(got, s) {
		t.Errorf("\n got %+v\nwant %+v\n%v", got, s, err)
	}
}

// As states were written before it was noted when a leg came to whoever has it.
func TestAStateOfBeforeIsRead(t *testing.T) {
	want := sample()
	var before []string
	for i, l := range strings.Split(want.Record(), "\n") {
		switch {
		case i == 0:
			l = editionBefore + l[1:]
		case strings.HasPrefix(l, "draft ") || strings.HasPrefix(l, "pics "):
			l = l[:strings.LastIndexByte(l, ' ')]
		}
		before = append(before, l)
	}
	want.Piece.Legs[0].HeldDay = 0
	got, err := ReadState(strings.Join(before, "\n"), routes)
	if err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("\n got %+v\nwant %+v\n%v", got, want, err)
	}
}

func FuzzStates(f *testing.F) {
	s := sample()
	f.Add(s.Record())
	f.Add("1 2")
	f.Fuzz(func(t *testing.T, record string) {
		s, err := ReadState(record, routes)
		if err != nil {
			return
		}
		again, err := ReadState(s.Record(), routes)
		if err != nil || !reflect.DeepEqual(again, s) {
			t.Errorf("%q: read again as %+v, not %+v: %v", record, again, s, err)
		}
	})
}

func TestConditions(t *testing.T) {
	s := sample()
	ask := func(e Event, c Cond) bool {
		e.At = wall("2026-11-24", 600)
		h := &Happening{Event: e, State: &s, Desk: london, Staff: func(ref.Person) relay.Access { return relay.Freelance }}
		r := Rule{When: e.Kind, If: []Cond{c}}
		return r.Matches(h)
	}
	draft := Event{Kind: Passed, Leg: "draft", By: 3}
	for _, x := range []struct {
		e    Event
		c    Cond
		want bool
	}{
		{draft, is("format", "1", "2"), true}, {draft, is("format", "2"), false}, {draft, is("leg", "draft"), true}, {draft, is("leg", "Pictures"), false},
		{draft, is("holder", "3"), true}, {draft, is("holder", "0"), false}, {Event{Kind: Begins, Leg: "pics"}, is("holder", "0"), true},
		{draft, is("holds as", "freelance"), true}, {draft, Cond{"holds as", IsNot, []string{"freelance"}}, false},
		{draft, is("by", "3"), true}, {draft, is("priority", "-1"), true}, {draft, Cond{"priority", IsNot, []string{"-1"}}, false},
		{draft, is("tag", "Bread"), true}, {draft, is("tag", "brea"), false}, {draft, Cond{"tag", Contains, []string{"brea"}}, true}, {draft, Cond{"title", Contains, []string{"ANOTHER"}}, true},
		{draft, Cond{"run", AtLeast, []string{"2"}}, false}, {draft, Cond{"run", AtLeast, []string{"1"}}, true}, {draft, is("run", "1"), true},
		{draft, is("pace", string(plan.InHand)), true}, {draft, is("pace", string(plan.Short)), false}, {draft, Cond{"days to go", AtMost, []string{"7"}}, true}, {draft, Cond{"days to go", AtMost, []string{"6"}}, false},
		{draft, is("field:2", "7"), true}, {draft, is("field:8", ""), true}, {draft, Cond{"field:8", IsNot, []string{""}}, false},
		{Event{Kind: Verdict, Leg: "pics", Say: "sent back"}, is("verdict", "sent back"), true}, {Event{Kind: Changed, Field: "field:9"}, is("changed", "field:9", "title"), true},
	} {
		if got := ask(x.e, x.c); got != x.want {
			t.Errorf("%v %v: %v", x.e, x.c, got)
		}
	}
	if h := (&Happening{Event: draft, State: &s, Desk: london}); !(&Rule{When: Passed, Any: true, If: []Cond{is("format", "7"), is("leg", "Draft")}}).Matches(h) || (&Rule{When: Passed, If: []Cond{is("format", "7"), is("leg", "Draft")}}).Matches(h) {
		t.Error("any and all are mixed up")
	}
}

// Friday 27 November 2026 is the due date; there is a weekend behind it.
func TestWhenEventsOfTimeCome(t *testing.T) {
	s := sample()
	l := &s.Piece.Legs[0]
	for _, x := range []struct {
		k    Kind
		n    int
		want string
	}{
		{DueIn, 0, "2026-11-27"}, {DueIn, 2, "2026-11-25"}, {DueIn, 6, "2026-11-19"}, {Overdue, 1, "2026-11-30"}, {Overdue, 3, "2026-12-02"}, {Quiet, 3, "2026-11-26"}, {Quiet, 5, "2026-11-30"},
	} {
		got, ok := HappensAt(x.k, x.n, l, london)
		if want := x.k != DueIn || x.n != 6; ok != want { // it began after that
			t.Errorf("%s %d: %v", x.k, x.n, ok)
		}
		if got != wall(x.want, 0) {
			t.Errorf("%s %d comes %s, want %s", x.k, x.n, got.In(london.Zone), x.want)
		}
	}
	if _, ok := HappensAt(NoVerdict, 2, l, london); ok {
		t.Error("a leg that signs nothing off has verdicts")
	}
	if _, ok := HappensAt(Quiet, 2, &s.Piece.Legs[1], london); ok {
		t.Error("a leg that waits is quiet")
	}
}

// wild is a world in which everything brings about anything, on old pieces and new.
type wild struct {
	rules []Rule
	r     *rand.Rand
	n     int
	next  ref.Piece
}

func (w *wild) Rules(Event) []Rule { return w.rules }
func (w *wild) Look(e Event) (*Happening, error) {
	s := sample()
	s.Piece.ID = e.Piece
	return &Happening{Event: e, State: &s, Desk: london}, nil
}
func (w *wild) Carry(*Rule, *Happening) ([]Event, error) {
	w.n++
	var out []Event
	for range w.r.IntN(4) {
		piece := ref.Piece(1 + w.r.IntN(3))
		if w.r.IntN(3) == 0 {
			w.next++
			piece = w.next
		}
		out = append(out, Event{Kind: Kinds[w.r.IntN(len(Kinds))], Piece: piece, Leg: "draft"})
	}
	return out, nil
}

// Whatever the rules are and bring about, following them ends, no rule has two turns at a
// piece, and what was stopped is said.
func TestFollowingRulesEnds(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 7))
		var rules []Rule
		for i := range 1 + r.IntN(60) {
			rules = append(rules, Rule{ID: ref.Rule(i + 1), When: Kinds[r.IntN(len(Kinds))]})
		}
		w := &counted{wild: wild{rules: rules, r: r, next: 10}, turns: map[turn]int{}}
		if _, err := Follow(Event{Kind: rules[0].When, Piece: 1, Leg: "draft"}, w); err != nil {
			t.Fatal(err)
		}
		if w.n > Most {
			t.Fatalf("seed %d: rules did something %d times", seed, w.n)
		}
		for k, n := range w.turns {
			if n > 1 {
				t.Fatalf("seed %d: rule %d had %d turns at piece %d", seed, k.rule, n, k.piece)
			}
		}
	}
}

type counted struct {
	wild
	turns map[turn]int
}

func (w *counted) Carry(r *Rule, h *Happening) ([]Event, error) {
	w.turns[turn{r.ID, h.Piece}]++
	return w.wild.Carry(r, h)
}

// chain is a world in which each rule brings about the event of the next on a new piece.
type chain struct {
	rules []Rule
	deep  int
}

func (c *chain) Rules(Event) []Rule { return c.rules }
func (c *chain) Look(e Event) (*Happening, error) {
	s := sample()
	return &Happening{Event: e, State: &s, Desk: london}, nil
}
func (c *chain) Carry(_ *Rule, h *Happening) ([]Event, error) {
	c.deep++
	return []Event{{Kind: Created, Piece: h.Piece + 1}}, nil
}

func TestAChainIsCutAtItsDeepest(t *testing.T) {
	c := &chain{rules: []Rule{{ID: 1, When: Created}}}
	cuts, err := Follow(Event{Kind: Created, Piece: 1}, c)
	if err != nil || c.deep != Deepest || len(cuts) != 1 || cuts[0].Event.Piece != Deepest+1 {
		t.Errorf("%d deep, cut %v, %v", c.deep, cuts, err)
	}
}

func BenchmarkTwoHundredRules(b *testing.B) {
	var rules []Rule
	for i := range 200 {
		rules = append(rules, Rule{ID: ref.Rule(i), When: Begins, If: []Cond{is("format", "1"), {Field: "pace", Op: IsNot, Values: []string{"ready"}}, is("leg", fmt.Sprint("Leg ", i))}})
	}
	w := &wild{rules: rules}
	for b.Loop() {
		if _, err := Follow(Event{Kind: Begins, Piece: 1, Leg: "draft"}, w); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkReadStates(b *testing.B) {
	s := sample()
	record := s.Record()
	b.SetBytes(int64(len(record)))
	for b.Loop() {
		if _, err := ReadState(record, routes); err != nil {
			b.Fatal(err)
		}
	}
}
