package load

import (
	"cmp"
	"slices"

	"greenbaton/core/day"
)

// search looks for people for legs. Legs are in the order of their urgency.
type search struct {
	today  day.Date
	legs   []Open
	people []Person
	sheet  *Sheet
	could  [][]int            // of each leg, the people who could run it, by name
	chosen []int              // of each leg, an index of people, or -1
	extra  []map[day.Date]int // of each person, the minutes of the legs they are given
	adds   []Cost             // and what these add to the cost
}

func newSearch(legs []Open, order []int, people []Person, s *Sheet, today day.Date) *search {
	x := &search{today: today, people: people, sheet: s, chosen: make([]int, len(legs)), extra: make([]map[day.Date]int, len(people)), adds: make([]Cost, len(people))}
	byName := make([]int, len(people))
	for i := range people {
		byName[i] = i
		x.extra[i] = map[day.Date]int{}
	}
	slices.SortStableFunc(byName, func(a, b int) int {
		return cmp.Or(cmp.Compare(people[a].Name, people[b].Name), cmp.Compare(people[a].ID, people[b].ID))
	})
	for k, i := range order {
		o := legs[i]
		x.legs = append(x.legs, o)
		var could []int
		for _, p := range byName {
			if people[p].CouldRun(&o, today) {
				could = append(could, p)
			}
		}
		x.could = append(x.could, could)
		x.chosen[k] = -1
	}
	return x
}

// set hands a leg to a person, or takes it back with -1.
func (x *search) set(leg, person int) {
	was := x.chosen[leg]
	x.chosen[leg] = person
	for _, change := range []struct{ person, sign int }{{was, -1}, {person, 1}} {
		if p := change.person; p >= 0 {
			Spread(x.legs[leg].Work, &x.people[p], x.today, func(d day.Date, m int) { x.extra[p][d] += change.sign * m })
			x.adds[p] = x.add(p)
		}
	}
}

// add works out what the legs given to a person add to the cost.
func (x *search) add(person int) (c Cost) {
	p := &x.people[person]
	for d, m := range x.extra[person] {
		if m == 0 {
			continue
		}
		works, was := p.Works(d), x.sheet.At(p.ID, d)
		c.Over += max(0, was+m-works) - max(0, was-works)
		if works > 0 {
			c.Peak = max(c.Peak, (was+m)*1000/works)
		}
	}
	return c
}

// cost works out what the present choice comes to.
func (x *search) cost() Cost {
	var c Cost
	for k, p := range x.chosen {
		switch o := &x.legs[k]; {
		case p < 0:
			c.Left++
		case len(o.Series) == 0 || o.Series[0] != x.people[p].ID:
			c.Lone++
		}
	}
	for _, a := range x.adds {
		c.Over += a.Over
		c.Peak = max(c.Peak, a.Peak)
	}
	return c
}

// greedy gives each leg in turn to whoever costs least then.
func (x *search) greedy() {
	for k, could := range x.could {
		best, least := -1, Cost{}
		for _, p := range could {
			x.set(k, p)
			if c := x.cost(); best < 0 || c.Compare(least) < 0 {
				best, least = p, c
			}
		}
		x.set(k, best)
	}
}

// improve hands single legs over and swaps pairs until nothing helps.
func (x *search) improve() {
	x.greedy()
	now := x.cost()
	better := func() bool {
		if c := x.cost(); c.Compare(now) < 0 {
			now = c
			return true
		}
		return false
	}
	for again := true; again; {
		again = false
		for k := range x.legs {
			for _, p := range x.could[k] {
				was := x.chosen[k]
				if p == was {
					continue
				}
				if x.set(k, p); better() {
					again = true
				} else {
					x.set(k, was)
				}
			}
			for j := k + 1; j < len(x.legs); j++ {
				a, b := x.chosen[k], x.chosen[j]
				if a == b || !slices.Contains(x.could[k], b) || !slices.Contains(x.could[j], a) {
					continue
				}
				x.set(k, b)
				if x.set(j, a); better() {
					again = true
				} else {
					x.set(k, a)
					x.set(j, b)
				}
			}
		}
	}
}

// tryAll tries every combination; of equally good ones the first by name, the
// most urgent leg counting first, is kept.
func (x *search) tryAll() {
	var best []int
	var least Cost
	var try func(k int)
	try = func(k int) {
		if k == len(x.legs) {
			if c := x.cost(); best == nil || c.Compare(least) < 0 {
				best, least = slices.Clone(x.chosen), c
			}
			return
		}
		if len(x.could[k]) == 0 {
			try(k + 1)
			return
		}
		for _, p := range x.could[k] {
			x.set(k, p)
			try(k + 1)
		}
		x.set(k, -1)
	}
	try(0)
	for k, p := range best {
		x.set(k, p)
	}
}
