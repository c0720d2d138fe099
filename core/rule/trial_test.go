package rule

import (
	"reflect"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// A leg that the rule itself would have given to another is quiet from then on, not from
// what was last recorded on it: what would have been done lies over what was.
func TestWhatATrialWouldGiveIsQuietFromThen(t *testing.T) {
	s := sample()
	s.Piece.Stage = relay.UnderWay
	s.Piece.Legs = s.Piece.Legs[:2]
	for i, touched := range []string{"2026-11-02", "2026-11-03"} { // a Monday and the Tuesday after it
		l := &s.Piece.Legs[i]
		l.State, l.Run, l.Holder = relay.Running, 1, ref.Person(i+1)
		l.StartedAt, l.TouchedAt = wall(touched, 9*60), wall(touched, 9*60)
	}
	first, second := s.Piece.Legs[0], s.Piece.Legs[1]

	quiet := func(then Action) (days []string) {
		trial := NewTrial(Rule{When: Quiet, N: 2, Then: []Action{then}}, Past{From: wall("2026-11-01", 0), To: wall("2026-11-20", 0), Desk: london, Way: routes})
		if err := trial.Add(Entry{At: wall("2026-11-03", 9*60), Piece: 1, Events: "", State: s.Record()}); err != nil {
			t.Fatal(err)
		}
		for _, w := range trial.End() {
			days = append(days, w.At.Date(london.Zone).String()+" "+w.Leg)
		}
		return days
	}
	for _, c := range []struct {
		then Action
		want []string
	}{
		{Action{Do: Tell, To: []string{TellLeads}}, []string{"2026-11-04 " + first.Name, "2026-11-05 " + second.Name}},
		{Action{Do: Give, Leg: second.Name, To: []string{"6"}}, []string{"2026-11-04 " + first.Name, "2026-11-06 " + second.Name}},
		{Action{Do: Give, Leg: second.Name, To: []string{id(second.Holder)}}, []string{"2026-11-04 " + first.Name, "2026-11-05 " + second.Name}}, // has it already
	} {
		if got := quiet(c.then); !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s %v: %v, want %v", c.then.Do, c.then.To, got, c.want)
		}
	}
}

// Whoever would have been given a leg has it from then on: their days are counted from there.
func TestWhoIsGivenALegInATrialHasItFromThen(t *testing.T) {
	tr := Trial{Past: Past{Desk: &plan.Desk{Calendar: day.NewCalendar(day.MondayToFriday, nil), Zone: time.UTC}}}
	x := &track{state: sample(), laid: map[string]overlay{}}
	was := x.state.Piece.Leg("draft")
	given := wall("2026-11-25", 600)
	x.put("holder draft", id(was.Holder), "4")
	x.put("touched draft", id(int64(was.TouchedAt)), id(int64(given)))
	s := tr.laidOver(x)
	if l := s.Piece.Leg("draft"); l.Holder != 4 || l.From() != at("2026-11-25") {
		t.Errorf("%d has it from %s", l.Holder, l.From())
	}
}
