package forecast

import (
	"math/rand/v2"
	"slices"
	"testing"

	"greenbaton/core/day"
)

// What is kept of runs gives the same chances as the runs themselves.
func TestOddsAreThoseOfTheRuns(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for range 200 {
		var lands []day.Boundary
		for range 1 + rng.IntN(60) {
			lands = append(lands, day.Boundary(100+rng.IntN(20)))
		}
		slices.Sort(lands)
		o := OddsOf(lands)
		for at := day.Boundary(98); at < 123; at++ {
			n := 0
			for _, l := range lands {
				if l <= at {
					n++
				}
			}
			if got, want := o.By(at), float64(n)/float64(len(lands)); got != want {
				t.Fatalf("%v: by %d it is %v, want %v", lands, at, got, want)
			}
		}
	}
}

// Many pieces are run fewer times each, and a few as often as one alone.
func TestManyPiecesAreRunFewerTimes(t *testing.T) {
	for pieces, want := range map[int]int{0: 2000, 1: 2000, 100: 2000, 200: 1000, 2000: 100, 50_000: 100} {
		if got := RunsFor(pieces); got != want {
			t.Errorf("%d pieces are run %d times, want %d", pieces, got, want)
		}
	}
}
