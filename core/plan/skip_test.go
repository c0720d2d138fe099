package plan

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/relay"
)

// onItsWay is a random piece of which some legs are passed and some run.
func onItsWay(r *rand.Rand, h *Desk, today day.Date) relay.Piece {
	p := relay.Piece{ID: 1, Stage: relay.UnderWay, Legs: randomPiece(r, h), GoesOut: day.Wall(today+day.Date(r.IntN(40)), 480, time.UTC)}
	for i := range p.Legs {
		l := &p.Legs[i]
		ready := true
		for k := range p.Before(l.Key) {
			ready = ready && p.Leg(k).Done()
		}
		if l.State == relay.Waiting && ready {
			l.State, l.Run, l.StartDay = relay.Running, 1, today-day.Date(r.IntN(9))
			if r.IntN(3) > 0 {
				l.State, l.EndDay = relay.Passed, today-day.Date(r.IntN(3))
			}
		}
	}
	return p
}

// A skipped leg that nothing waits for takes no part, wherever it stands and whatever date
// was set for it by hand: the piece stands as it does without it. A leg skipped at the end
// took days in hand away where it waited for nothing.
func TestASkippedLegThatLeadsNowhereTakesNoPart(t *testing.T) {
	h := week(t)
	late := relay.Piece{Stage: relay.UnderWay, GoesOut: day.Wall(date("2026-11-20"), 480, time.UTC), Legs: network("draft 2, extra 1")}
	late.Legs[0].State, late.Legs[0].StartDay, late.Legs[0].EndDay, late.Legs[1].State = relay.Passed, date("2026-11-16"), date("2026-11-17"), relay.Skipped
	if pr := h.Forward(&late, date("2026-11-25")); pr.InHand != 2 {
		t.Errorf("%d in hand, want 2", pr.InHand)
	}
	r := rand.New(rand.NewPCG(17, 8))
	for range 20_000 {
		today := date("2026-11-16") + day.Date(r.IntN(30))
		p := onItsWay(r, h, today)
		if !slices.ContainsFunc(p.Legs, func(l relay.Leg) bool { return l.State != relay.Skipped }) {
			continue
		}
		more := p
		more.Legs = slices.Clone(p.Legs)
		for n := range 1 + r.IntN(3) {
			l := relay.Leg{Position: len(more.Legs), Key: string(rune('u' + n)), Allowance: r.IntN(5), State: relay.Skipped, Pin: today - 20 + day.Date(r.IntN(40))}
			var after []string
			for _, x := range more.Legs {
				if r.IntN(3) == 0 {
					after = append(after, x.Key)
				}
			}
			l.After = strings.Join(after, ",")
			more.Legs = append(more.Legs, l)
		}
		was, is := h.Forward(&p, today), h.Forward(&more, today)
		if was.InHand != is.InHand || was.Pace != is.Pace || was.Lands != is.Lands {
			t.Fatalf("with skipped legs it has %d in hand, %s, and lands at %d; without %d, %s, %d\n%+v", is.InHand, is.Pace, is.Lands, was.InHand, was.Pace, was.Lands, more.Legs)
		}
		dues := h.Set(more.Legs, p.GoesOut.Date(time.UTC))
		for i, l := range h.Set(p.Legs, p.GoesOut.Date(time.UTC)) {
			if dues[i].Due != l.Due {
				t.Fatalf("%s is due %s with skipped legs, %s without", l.Key, dues[i].Due, l.Due)
			}
		}
	}
}

// A same-day leg is shown on the day on which the last of those before it is due; no leg ends
// before it begins.
func TestASameDayLegIsOnTheDayOfItsPredecessor(t *testing.T) {
	h := week(t)
	r := rand.New(rand.NewPCG(17, 9))
	seen := 0
	for seen < 20_000 {
		today := date("2026-11-16") + day.Date(r.IntN(30))
		p := onItsWay(r, h, today)
		pr := h.Forward(&p, today)
		for i := range p.Legs {
			l := &p.Legs[i]
			from, to := h.Window(pr.Start[i], pr.End[i])
			if from > to {
				t.Fatalf("%s is from %s to %s", l.Key, from, to)
			}
			var last day.Date
			for k := range i {
				if l.WaitsFor(p.Legs[k].Key) {
					_, ends := h.Window(pr.Start[k], pr.End[k])
					last = max(last, ends)
				}
			}
			if l.State == relay.Waiting && l.Allowance == 0 && last >= today {
				if seen++; from != last || to != last {
					t.Fatalf("%s is from %s to %s, what it waits for ends on %s", l.Key, from, to, last)
				}
			}
		}
	}
}
