package load

import (
	"cmp"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Free is somebody who has time.
type Free struct {
	Person  ref.Person
	Minutes int
	Leg     int // an open leg that would not take them over, by its place in the list; -1 for none
}

// leastFree is how many minutes count as free.
const leastFree = 4 * 60

// FreeHands gives those who have at least half of their time between today and a
// date, most time first but those for whom an open leg fits before the others. A leg
// goes to one of them only; the legs given first are the more urgent.
func FreeHands(people []Person, open []Open, s *Sheet, today, until day.Date) []Free {
	var out []Free
	at := map[ref.Person]*Person{}
	for i := range people {
		p := &people[i]
		works := 0
		for d := today; d <= until; d++ {
			works += p.Works(d)
		}
		if free := s.Free(p, today, until); free >= leastFree && 2*free >= works {
			at[p.ID] = p
			out = append(out, Free{p.ID, free, -1})
		}
	}
	slices.SortStableFunc(out, func(x, y Free) int { return cmp.Compare(y.Minutes, x.Minutes) })
	taken := make([]bool, len(open))
	for i := range out {
		p := at[out[i].Person]
		has := func(d day.Date) int { return s.At(p.ID, d) }
		for k := range open {
			if !taken[k] && p.CouldRun(&open[k], today) && weigh(&open[k], p, today, has).Over == 0 {
				out[i].Leg, taken[k] = k, true
				break
			}
		}
	}
	slices.SortStableFunc(out, func(x, y Free) int { return compareBool(y.Leg >= 0, x.Leg >= 0) })
	return out
}
