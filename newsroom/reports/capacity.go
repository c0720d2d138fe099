package reports

import (
	"context"
	"math"
	"slices"

	"greenbaton/core/capacity"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Changed is what of a desk would be otherwise when it is asked what it can carry.
type Changed struct {
	Mix   map[ref.Format]float64 // pieces a month; those that are not in it are as they were lately
	More  string                 // the role of one more who works 35 hours a week, none for nobody
	Away  ref.Person             // somebody who is away for some weeks more, 0 for nobody
	Weeks int
}

// Carried is what a desk can carry.
type Carried struct {
	Times  float64 // of the mix, by running it
	Bound  float64 // and by the bound that it never exceeds
	Limits []string
	Lacks  []string // roles that nobody runs
}

// Capacity is what a desk can carry of a mix, and what it would if something were otherwise.
type Capacity struct {
	Mix     []MixRow
	Now     Carried
	Then    Carried
	Changed bool
	Roles   []string
	People  []store.Person
	Months  int
}

// MixRow is how many pieces of a format a month are in the mix.
type MixRow struct {
	Format store.Format
	Lately float64 // went out in the last three months, a month
	Wanted float64 // that are asked about
}

// capacityMonths is over how many months a desk is run: what is under way at the end counts for
// nothing, which weighs less over a longer time.
const capacityMonths = 6

// fullWeek is what one more person works, in minutes a day from Monday to Friday.
const fullWeek = 420

// Carries works out what a desk can carry over the coming months, for its leads and staff.
func (h Room) Carries(ctx context.Context, who ref.Person, desk ref.Desk, c Changed) (Capacity, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Capacity{}, err
	}
	if err := maySee(b, who, desk); err != nil {
		return Capacity{}, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return Capacity{}, err
	}
	today := h.Now().Date(b.Zones[desk])
	lately := map[ref.Format]float64{}
	for _, e := range entries {
		if e.DeskID == desk && e.Stage == relay.Out {
			if on := e.OutAt.Date(b.Zones[desk]); on > today.AddMonths(-3) && on <= today {
				lately[e.FormatID] += 1. / 3
			}
		}
	}
	out := Capacity{Roles: b.RolesOf(desk), Months: capacityMonths}
	var now, then []capacity.Format
	for _, f := range b.FormatsOf(desk) {
		row := MixRow{Format: f, Lately: lately[f.ID], Wanted: lately[f.ID]}
		if n, ok := c.Mix[f.ID]; ok {
			row.Wanted = min(1000, max(0, n))
		}
		out.Changed = out.Changed || math.Abs(row.Wanted-row.Lately) > .05
		out.Mix = append(out.Mix, row)
		legs := legsOf(b.Latest(f.ID).Way)
		now = append(now, capacity.Format{Wanted: row.Lately * capacityMonths, Legs: legs})
		then = append(then, capacity.Format{Wanted: row.Wanted * capacityMonths, Legs: legs})
	}
	until := today.AddMonths(capacityMonths)
	people := crew(b, desk, today, until, 0, 0)
	out.Now = carried(people, now)
	changed := people
	if c.Away != 0 && c.Weeks > 0 {
		changed = crew(b, desk, today, until, c.Away, today+day.Date(7*min(c.Weeks, 26)))
		out.Changed = true
	}
	if slices.Contains(out.Roles, c.More) {
		changed = append(slices.Clone(changed), capacity.Person{Roles: []string{c.More}, Minutes: minutesOf(b, desk, today, until)})
		out.Changed = true
	}
	out.Then = carried(changed, then)
	for _, p := range b.OnDesk(desk) {
		if p.Access.May(relay.RunLegs) {
			out.People = append(out.People, p)
		}
	}
	return out, nil
}

func carried(people []capacity.Person, mix []capacity.Format) Carried {
	var c Carried
	c.Times = capacity.Carry(people, mix)
	c.Bound, c.Limits = capacity.Bound(people, mix)
	for _, f := range mix {
		for _, l := range f.Legs {
			nobody := !slices.ContainsFunc(people, func(p capacity.Person) bool { return slices.Contains(p.Roles, l.Role) })
			if f.Wanted > 0 && l.Minutes > 0 && nobody && !slices.Contains(c.Lacks, l.Role) {
				c.Lacks = append(c.Lacks, l.Role)
			}
		}
	}
	return c
}

// legsOf gives the legs of a route as they are run: those that are only run where they are needed
// are left out, and what waits for them waits for what they wait for.
func legsOf(way route.Route) []capacity.Leg {
	at := map[string]int{}
	var out []capacity.Leg
	var before func(keys []string) []int
	before = func(keys []string) []int {
		var to []int
		for _, k := range keys {
			if i, ok := at[k]; ok {
				to = append(to, i)
				continue
			}
			for _, l := range way.Legs {
				if l.Key == k {
					to = append(to, before(l.After)...)
				}
			}
		}
		return to
	}
	for _, l := range way.Legs {
		if l.Skip == route.SkipUnless {
			continue
		}
		out = append(out, capacity.Leg{Role: l.Role, Minutes: l.Effort, After: before(l.After)})
		at[l.Key] = len(out) - 1
	}
	return out
}

// crew gives the people of a desk with what they work on each day from one to another, somebody
// away until a day.
func crew(b *newsroom.Setup, desk ref.Desk, from, to day.Date, away ref.Person, until day.Date) []capacity.Person {
	var out []capacity.Person
	for _, p := range b.OnDesk(desk) {
		if len(p.Roles) == 0 {
			continue
		}
		x := capacity.Person{Roles: p.Roles}
		works, cal := p.Minutes(), b.Planned[desk].Holder(p.ID)
		for d := from; d < to; d++ {
			n := 0
			if cal != nil && cal.Working(d) && !(p.ID == away && d < until) {
				n = works[d.Weekday()]
			}
			x.Minutes = append(x.Minutes, n)
		}
		out = append(out, x)
	}
	return out
}

// minutesOf gives what one more person would work on each day from one to another.
func minutesOf(b *newsroom.Setup, desk ref.Desk, from, to day.Date) []int {
	var out []int
	for d := from; d < to; d++ {
		n := 0
		if b.Planned[desk].Calendar.Working(d) {
			n = fullWeek
		}
		out = append(out, n)
	}
	return out
}
