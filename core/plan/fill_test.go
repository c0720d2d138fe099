package plan

import (
	"math/rand/v2"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

func TestLegsGoToWhoRanTheLastOneOrHasMostRoom(t *testing.T) {
	b := randomBoard(rand.New(rand.NewPCG(61, 62)), 0)
	b.Worked = load.Add(b.People, []load.Work{{Person: 1, Minutes: 30000, From: b.Today(1), Due: date("2026-12-18")}}, b.Today(1), b.Today(1)+LoadDays)
	r := route.Route{Legs: []route.Leg{
		{Key: "last", Role: "r", Usual: route.LastInSeries, Allowance: 2, Effort: 300}, {Key: "room", Role: "r", Usual: route.MostRoom, Allowance: 2, Effort: 300, After: []string{"last"}},
		{Key: "gone", Role: "r", Usual: route.LastInSeries, Allowance: 1, Effort: 60, After: []string{"room"}}, {Key: "named", Role: "r", Usual: route.MostRoom, Allowance: 1, Effort: 60, After: []string{"gone"}},
	}}
	p := relay.Piece{DeskID: 1, Stage: relay.UnderWay, GoesOut: day.Wall(date("2026-12-18"), 480, time.UTC), Legs: relay.NewLegs(r)}
	series := func(leg string) []ref.Person { return map[string][]ref.Person{"last": {99, 3, 2}, "gone": {99}}[leg] }
	b.FillIn(&p, r, func(leg string) bool { return leg == "named" }, series)
	for key, want := range map[string]ref.Person{"last": 3, "room": 2, "gone": 2, "named": 0} { // 99 is not here any more; Ben comes first of those with most room
		if got := p.Leg(key).Holder; got != want {
			t.Errorf("%s goes to %d, want %d", key, got, want)
		}
	}
	if p.Legs[0].Due == 0 {
		t.Error("it has no due dates")
	}
	p.Leg("named").Holder, p.Leg("named").Effort = 1, 6000
	w := b.Weigh(&p, series)
	if w.Fits["named"].Over == 0 || w.Better["named"].Person == 1 || len(w.People) == 0 {
		t.Errorf("%+v", w)
	}
}
