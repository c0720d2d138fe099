package load

import (
	"cmp"
	"slices"

	"greenbaton/core/day"
)

// mostSteps is how many steps of branch and bound are taken, some 50 ms for thirty legs
// among forty people.
const mostSteps = 2000

// branching looks for what costs less than the present choice, leg after leg in the order
// of their urgency. What a leg adds to somebody never grows less as they get more, since
// minutes over are convex in the minutes and the fullest day only gets fuller; so the least
// that each leg still to be given adds to anybody now is a bound on what is to come.
type branching struct {
	*search
	adds  [][]Cost // by leg and candidate: what giving it would add now; Peak is that of their days
	best  []int
	least Cost
	steps int
	left  int // legs for which nobody is there
}

// branch makes the choice the best that is found in so many steps, and gives what no choice
// costs less than: the cost of the choice itself if all was looked through.
func (x *search) branch(steps int) Cost {
	b := branching{search: x, adds: make([][]Cost, len(x.legs)), best: slices.Clone(x.chosen), least: x.cost(), steps: steps}
	for k := range x.legs {
		x.set(k, -1)
		b.left += btoi(len(x.could[k]) == 0)
	}
	for k, could := range x.could {
		b.adds[k] = make([]Cost, len(could))
		for i, p := range could {
			b.adds[k][i] = x.adding(k, p)
		}
	}
	root := b.bound(0)
	b.try(0)
	for k, p := range b.best {
		x.set(k, p)
	}
	if b.steps >= 0 || root.Compare(b.least) > 0 {
		return b.least
	}
	return root
}

func btoi(is bool) int {
	if is {
		return 1
	}
	return 0
}

// adding works out what giving a leg to a person would add to what they have now.
func (x *search) adding(leg, person int) (c Cost) {
	p := &x.people[person]
	Spread(x.legs[leg].Work, p, x.today, func(d day.Date, m int) {
		works, was := p.Works(d), x.sheet.At(p.ID, d)+x.extra[person][d]
		c.Over += max(0, was+m-works) - max(0, was-works)
		if works > 0 {
			c.Peak = max(c.Peak, (was+m)*1000/works)
		}
	})
	c.Lone = btoi(!x.last(leg, person))
	return c
}

// last reports whether a person ran the last leg in the series of one.
func (x *search) last(leg, person int) bool {
	o := &x.legs[leg]
	return len(o.Series) > 0 && o.Series[0] == x.people[person].ID
}

// bound gives what the choice costs at least, with the legs before one given.
func (b *branching) bound(from int) Cost {
	c := Cost{Left: b.left}
	for k := range from {
		if p := b.chosen[k]; p >= 0 && !b.last(k, p) {
			c.Lone++
		}
	}
	for _, a := range b.search.adds {
		c.Over += a.Over
		c.Peak = max(c.Peak, a.Peak)
	}
	for k := from; k < len(b.legs); k++ {
		if len(b.adds[k]) == 0 {
			continue
		}
		least := b.adds[k][0]
		for _, a := range b.adds[k][1:] {
			least = Cost{Over: min(least.Over, a.Over), Peak: min(least.Peak, a.Peak), Lone: min(least.Lone, a.Lone)}
		}
		c.Over, c.Peak, c.Lone = c.Over+least.Over, max(c.Peak, least.Peak), c.Lone+least.Lone
	}
	return c
}

// try gives the legs from one on, until the steps are used up, which then are below 0.
func (b *branching) try(k int) {
	if b.steps--; b.steps < 0 {
		return
	}
	if b.bound(k).Compare(b.least) >= 0 {
		return
	}
	if k == len(b.legs) {
		b.best, b.least = slices.Clone(b.chosen), b.cost()
		return
	}
	if len(b.could[k]) == 0 {
		b.try(k + 1)
		return
	}
	turn := make([]int, len(b.could[k]))
	for i := range turn {
		turn[i] = i
	}
	slices.SortStableFunc(turn, func(i, j int) int {
		return cmp.Or(b.adds[k][i].Compare(b.adds[k][j]), cmp.Compare(i, j))
	})
	for _, i := range turn {
		p := b.could[k][i]
		b.set(k, p)
		was := b.again(k, p)
		b.try(k + 1)
		b.set(k, -1)
		for j, a := range was {
			if at := slices.Index(b.could[k+1+j], p); at >= 0 {
				b.adds[k+1+j][at] = a
			}
		}
		if b.steps < 0 {
			return
		}
	}
}

// again works out anew what the legs after one would add to somebody, and gives what it was.
func (b *branching) again(k, p int) []Cost {
	was := make([]Cost, len(b.legs)-k-1)
	for j := k + 1; j < len(b.legs); j++ {
		if at := slices.Index(b.could[j], p); at >= 0 {
			was[j-k-1], b.adds[j][at] = b.adds[j][at], b.adding(j, p)
		}
	}
	return was
}
