package load

import (
	"cmp"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Open is a leg that somebody is to be found for.
type Open struct {
	Work
	Role   string
	Series []ref.Person // who ran the last ones of this kind, the latest first
}

// Candidate is somebody who could run a leg, and what it would do to them.
type Candidate struct {
	Person ref.Person
	Over   int  // minutes over their hours that the leg would add
	Peak   int  // the fullest of the leg's days, in thousandths of what they work on it
	Last   bool // they ran the last one in the series
	Days   int  // the working days of theirs it would fall on
}

// reach is within how many days somebody has to work again to run a leg that is
// overdue: whoever is away for longer is not there for it.
const reach = 7

// CouldRun reports whether a person is eligible for a leg: by role, by desk, and
// by not being away for all of it. One that is overdue is for whoever works on one of
// the days that come; one that is due before it begins has that day.
func (p *Person) CouldRun(o *Open, today day.Date) bool {
	days := p.DaysAt(o.Desk)
	if !slices.Contains(p.Roles, o.Role) || !slices.Contains(p.Desks, o.Desk) || days == nil || days.Empty() {
		return false
	}
	today = o.today(today)
	from := max(today, o.From)
	to := max(from, o.Due)
	if o.Due < today {
		to = from + reach - 1
	}
	return days.Count(from, to+1) > 0
}

// weigh works out what a leg would do to a person who has what is in a diary.
func weigh(o *Open, p *Person, today day.Date, has func(day.Date) int) Candidate {
	c := Candidate{Person: p.ID, Last: len(o.Series) > 0 && o.Series[0] == p.ID}
	Spread(o.Work, p, today, func(d day.Date, m int) {
		works, was := p.Works(d), has(d)
		c.Over += max(0, was+m-works) - max(0, was-works)
		if works > 0 {
			c.Peak = max(c.Peak, (was+m)*1000/works)
		}
		c.Days++
	})
	return c
}

// Suggest gives those who could run a leg, the best first: fewest minutes over,
// then the lowest peak, then who ran the last one in the series, then by name.
// What the sheet holds of the leg itself is not counted against its holder.
func Suggest(o Open, people []Person, s *Sheet, today day.Date) []Candidate {
	var out []Candidate
	name := map[ref.Person]string{}
	for i := range people {
		p := &people[i]
		if !p.CouldRun(&o, today) {
			continue
		}
		name[p.ID] = p.Name
		has := func(d day.Date) int { return s.At(p.ID, d) }
		if p.ID == o.Person {
			own := map[day.Date]int{}
			Spread(o.Work, p, today, func(d day.Date, m int) { own[d] += m })
			has = func(d day.Date) int { return s.At(p.ID, d) - own[d] }
		}
		out = append(out, weigh(&o, p, today, has))
	}
	slices.SortStableFunc(out, func(a, b Candidate) int {
		return cmp.Or(cmp.Compare(a.Over, b.Over), cmp.Compare(a.Peak, b.Peak), -compareBool(a.Last, b.Last),
			cmp.Compare(name[a.Person], name[b.Person]), cmp.Compare(a.Person, b.Person))
	})
	return out
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// Cost is what a proposal for several legs comes to; less is better, in the order
// of its fields.
type Cost struct {
	Left int // legs for which nobody is eligible
	Over int // minutes over that the legs add
	Peak int // the fullest day of any of their holders, in thousandths
	Lone int // legs not given to who ran the last one in their series
}

// Compare orders costs.
func (c Cost) Compare(d Cost) int {
	return cmp.Or(cmp.Compare(c.Left, d.Left), cmp.Compare(c.Over, d.Over), cmp.Compare(c.Peak, d.Peak), cmp.Compare(c.Lone, d.Lone))
}

// Proposal gives each open leg a person, 0 where nobody is eligible.
type Proposal struct {
	People []ref.Person
	Cost   Cost
	Least  Cost // no proposal costs less; it is Cost where there is none better
}

// exact is up to how many combinations all of them are tried.
const exact = 4096

// Propose finds people for several open legs at once. The legs are taken by due
// date, each is given to whoever costs least, and then single legs are handed
// over and pairs swapped until nothing helps; then something better is looked for by
// branch and bound, for so many steps. Where there are few combinations, all of them are
// tried. The same input gives the same proposal.
func Propose(legs []Open, people []Person, s *Sheet, today day.Date) Proposal {
	order := make([]int, len(legs))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(legs[a].Due, legs[b].Due) })
	x := newSearch(legs, order, people, s, today)
	combinations := 1
	for _, c := range x.could {
		if combinations *= max(1, len(c)); combinations > exact {
			break
		}
	}
	out := Proposal{People: make([]ref.Person, len(legs))}
	if combinations <= exact {
		x.tryAll()
		out.Least = x.cost()
	} else {
		x.improve()
		out.Least = x.branch(mostSteps)
	}
	out.Cost = x.cost()
	for k, i := range order {
		if x.chosen[k] >= 0 {
			out.People[i] = people[x.chosen[k]].ID
		}
	}
	return out
}
