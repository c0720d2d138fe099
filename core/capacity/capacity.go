// Package capacity says how much of a mix of pieces a desk can carry: by running it day by day with
// the people it has, and by a linear bound that no desk exceeds.
package capacity

import (
	"cmp"
	"math"
	"slices"
	"strings"
)

// Person is somebody who runs legs: by the roles they have, with the minutes they work on each of
// the days that are looked at.
type Person struct {
	Roles   []string
	Minutes []int
}

// Leg is what is to be done for a piece by somebody of a role, behind other legs by their place.
type Leg struct {
	Role    string
	Minutes int
	After   []int
}

// Format is a kind of piece, with how many of it are wanted over the days.
type Format struct {
	Wanted float64
	Legs   []Leg
}

// mostRoles is of how many roles the bound is worked out exactly.
const mostRoles = 16

// Bound gives how many times the mix can be done at most, if work could be cut and given to people
// as one likes, and the roles that limit it. Nothing wanted has no bound: it is infinite.
//
// A group of roles can do no more than all who run any of them have minutes; the group that is
// shortest bounds the mix. That it is then possible follows from the theorem of max-flow and min-cut.
func Bound(people []Person, formats []Format) (times float64, roles []string) {
	demand := map[string]float64{}
	for _, f := range formats {
		for _, l := range f.Legs {
			if f.Wanted > 0 && l.Minutes > 0 {
				demand[l.Role] += f.Wanted * float64(l.Minutes)
			}
		}
	}
	var names []string
	for r := range demand {
		names = append(names, r)
	}
	slices.SortFunc(names, func(x, y string) int { // of very many, those that most is wanted of
		return cmp.Or(cmp.Compare(demand[y], demand[x]), strings.Compare(x, y))
	})
	names = names[:min(mostRoles, len(names))]
	runs := make([]uint32, len(people))
	has := make([]float64, len(people))
	for i, p := range people {
		for k, r := range names {
			if slices.Contains(p.Roles, r) {
				runs[i] |= 1 << k
			}
		}
		for _, m := range p.Minutes {
			has[i] += float64(m)
		}
	}
	times = math.Inf(1)
	for set := uint32(1); set < 1<<len(names); set++ {
		need, have := 0.0, 0.0
		for k, r := range names {
			if set&(1<<k) != 0 {
				need += demand[r]
			}
		}
		for i := range people {
			if runs[i]&set != 0 {
				have += has[i]
			}
		}
		if t := have / need; t < times-1e-12 {
			times, roles = t, nil
			for k, r := range names {
				if set&(1<<k) != 0 {
					roles = append(roles, r)
				}
			}
		}
	}
	slices.Sort(roles)
	return times, roles
}

// piece is a piece that is run.
type piece struct {
	format int
	left   []int // minutes of each leg
	who    []int // who has it, -1 for nobody
	done   int   // legs
}

// Carry runs the mix day by day from an empty desk and gives how many times it was done: of each
// format at least so many were finished. Whoever has least before them takes a leg when it begins;
// everybody works at what they took first. It never exceeds the bound.
func Carry(people []Person, formats []Format) float64 {
	days := 0
	for _, p := range people {
		days = max(days, len(p.Minutes))
	}
	d := desk{people: people, formats: formats, queue: make([][]job, len(people)), behind: make([]int, len(people)), finished: make([]int, len(formats)), begun: make([]int, len(formats))}
	for _, f := range formats {
		if f.Wanted > 0 && !d.possible(f) {
			return 0
		}
	}
	for day := range days {
		d.fill()
		for i := range people {
			if day < len(people[i].Minutes) {
				d.work(i, people[i].Minutes[day])
			}
		}
	}
	times := math.Inf(1)
	for i, f := range formats {
		if f.Wanted > 0 {
			times = min(times, float64(d.finished[i])/f.Wanted)
		}
	}
	if math.IsInf(times, 1) {
		return 0
	}
	return times
}

type job struct {
	piece *piece
	leg   int
}

// desk is a desk while it is run.
type desk struct {
	people   []Person
	formats  []Format
	queue    [][]job // what each has, in the order in which they took it
	behind   []int   // and how many minutes that is
	begun    []int   // pieces of each format
	finished []int
	under    int
}

// possible reports whether each leg of a format has somebody to run it.
func (d *desk) possible(f Format) bool {
	for _, l := range f.Legs {
		if l.Minutes > 0 && !slices.ContainsFunc(d.people, func(p Person) bool { return slices.Contains(p.Roles, l.Role) }) {
			return false
		}
	}
	return true
}

// ahead is how many minutes of work everybody is kept supplied with: some two weeks.
const ahead = 10 * 420

// fill begins pieces, of the format that is furthest behind, until whoever begins them has enough.
func (d *desk) fill() {
	for range 200 {
		next, least := -1, math.Inf(1)
		for i, f := range d.formats {
			if f.Wanted > 0 {
				if share := float64(d.begun[i]) / f.Wanted; share < least {
					next, least = i, share
				}
			}
		}
		if next < 0 || d.under > 20+8*len(d.people) {
			return
		}
		f := &d.formats[next]
		p := &piece{format: next, left: make([]int, len(f.Legs)), who: make([]int, len(f.Legs))}
		first := true
		for i, l := range f.Legs {
			p.left[i], p.who[i] = l.Minutes, -1
			if len(l.After) == 0 {
				if k := d.least(l.Role); k >= 0 && d.behind[k] > ahead {
					first = false
				}
			}
		}
		if !first {
			return
		}
		d.begun[next]++
		d.under++
		d.start(p)
	}
}

// least gives who of a role has least before them, -1 where nobody runs it.
func (d *desk) least(role string) int {
	best := -1
	for i := range d.people {
		if slices.Contains(d.people[i].Roles, role) && (best < 0 || d.behind[i] < d.behind[best]) {
			best = i
		}
	}
	return best
}

// start gives the legs of a piece to people whose turn it is; legs that take nothing are done at once.
func (d *desk) start(p *piece) {
	legs := d.formats[p.format].Legs
	for again := true; again; {
		again = false
		for i, l := range legs {
			if p.who[i] != -1 || slices.ContainsFunc(l.After, func(k int) bool { return p.who[k] == -1 || p.left[k] > 0 }) {
				continue
			}
			if l.Minutes == 0 {
				p.who[i] = 0
				p.done++
				again = true
				continue
			}
			k := d.least(l.Role)
			p.who[i] = k
			d.queue[k] = append(d.queue[k], job{p, i})
			d.behind[k] += l.Minutes
		}
	}
	if p.done == len(legs) {
		d.finished[p.format]++
		d.under--
	}
}

// work lets somebody work so many minutes.
func (d *desk) work(who, minutes int) {
	for minutes > 0 && len(d.queue[who]) > 0 {
		j := d.queue[who][0]
		n := min(minutes, j.piece.left[j.leg])
		j.piece.left[j.leg] -= n
		d.behind[who] -= n
		minutes -= n
		if j.piece.left[j.leg] == 0 {
			d.queue[who] = d.queue[who][1:]
			j.piece.done++
			d.start(j.piece)
		}
	}
}
