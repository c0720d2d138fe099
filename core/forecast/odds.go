package forecast

import (
	"cmp"
	"slices"

	"greenbaton/core/day"
)

// Odds is how likely a piece is ready by which place, kept small.
type Odds struct {
	Runs  int // from how many runs
	lands []landed
}

// landed is how many runs of a piece landed up to a place.
type landed struct {
	at   day.Boundary
	upTo int
}

// OddsOf gives the odds from where runs landed, which are ascending.
func OddsOf(lands []day.Boundary) Odds {
	o := Odds{Runs: len(lands)}
	for i, at := range lands {
		if i == len(lands)-1 || lands[i+1] != at {
			o.lands = append(o.lands, landed{at, i + 1})
		}
	}
	return o
}

// By gives the chance of landing up to a place, 0 to 1; 0 where nothing was run.
func (o *Odds) By(at day.Boundary) float64 {
	i, _ := slices.BinarySearchFunc(o.lands, at+1, func(l landed, at day.Boundary) int { return cmp.Compare(l.at, at) })
	if i == 0 {
		return 0
	}
	return float64(o.lands[i-1].upTo) / float64(o.Runs)
}

// Where many pieces are summed up, all of them together are run so often, and each this often at least:
// how far the sum is off for it stays below what the sum itself is unsure by.
const allRuns, leastRuns = 200_000, 100

// RunsFor gives how often each of so many pieces is run.
func RunsFor(pieces int) int {
	return min(Runs, max(leastRuns, allRuns/max(1, pieces)))
}
