package relay

import (
	"errors"
	"math/rand/v2"
	"testing"

	"greenbaton/core/route"
)

// A parked piece stays so whatever is changed of its plan, until it is begun; it then begins
// just as if it were made at that moment.
func TestAParkedPieceBeginsWhenItIsSaid(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 14))
	s := scene("2026-11-24")
	for range 20_000 {
		way := randomRoute(r)
		p := Piece{Stage: UnderWay, RouteID: 1, Legs: NewLegs(way)}
		needed := map[string]bool{}
		for _, l := range way.Legs {
			needed[l.Key] = r.IntN(2) == 0
		}
		parked := Park(p, needed)
		if len(parked.Events) != 1 || parked.Events[0].Kind != Created || !parked.Piece.Parked() && !parked.Piece.Ready() {
			t.Fatalf("parked comes to %+v", parked)
		}
		is := parked.Piece
		if is.Ready() {
			continue
		}
		for range r.IntN(5) {
			m, err := Move{}, error(nil)
			l := is.Legs[r.IntN(len(is.Legs))]
			switch r.IntN(4) {
			case 0:
				m, err = SkipLeg(is, l.Key, "", s)
			case 1:
				m, err = NeedLeg(is, l.Key, s)
			case 2:
				m, err = Overlap(is, l.Key, s)
			default:
				m, err = Reroute(is, randomRoute(r), is.RouteID+1, s)
			}
			if err != nil {
				continue
			}
			if is = m.Piece; is.Ready() { // all of it was skipped: there is nothing to begin
				break
			}
			if len(is.Running()) > 0 {
				t.Fatalf("it began by itself: %+v", m.Events)
			}
		}
		m, err := Begin(is, s)
		if is.Ready() {
			if err == nil {
				t.Fatal("a ready piece began")
			}
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range m.Piece.Legs {
			if runs := l.State == Running; runs != (is.Leg(l.Key).State == Waiting && is.free(is.Leg(l.Key))) {
				t.Fatalf("%s runs: %v", l.Key, runs)
			}
		}
		if _, err := Begin(m.Piece, s); !errors.Is(err, ErrNotNow) {
			t.Fatalf("begun twice: %v", err)
		}
	}
}

func randomRoute(r *rand.Rand) route.Route {
	out := route.Route{}
	for i := range 1 + r.IntN(5) {
		l := route.Leg{Key: string(rune('a' + i)), Name: "Leg", Allowance: 1 + r.IntN(3), Skip: []route.Skip{route.SkipNever, route.SkipMay, route.SkipUnless}[r.IntN(3)], Beside: r.IntN(2) == 0}
		for k := range i {
			if r.IntN(2) == 0 {
				l.After = append(l.After, string(rune('a'+k)))
			}
		}
		out.Legs = append(out.Legs, l)
	}
	return out
}
