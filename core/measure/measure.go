// Package measure says how figures of pieces are put together and compared: what a piece did
// over its first days, the spread of a group, and whether one group can be told from another.
package measure

import (
	"slices"

	"greenbaton/core/day"
)

// How says how the figures of several days become one.
type How string

// The ways.
const (
	Added    How = "added"
	Averaged How = "averaged" // each day by its weight
	Last     How = "last"     // the newest counts
)

// Better says which way a measure is better.
type Better string

// The ways.
const (
	More    Better = "more"
	Fewer   Better = "fewer"
	Neither Better = ""
)

// Point is the figure of one day, with its weight where it is averaged.
type Point struct {
	Day           day.Date
	Value, Weight float64
}

// Windows are over how many first days pieces are compared.
var Windows = [3]int{1, 7, 28}

// Over puts the figures from one day to another together, both included; false where there is
// none, or where none of those to be averaged has a weight.
func (h How) Over(points []Point, from, to day.Date) (float64, bool) {
	var sum, weight float64
	var last day.Date
	found := false
	for _, p := range points {
		if p.Day < from || p.Day > to {
			continue
		}
		switch h {
		case Averaged:
			sum, weight = sum+p.Value*p.Weight, weight+p.Weight
		case Last:
			if found && p.Day < last {
				continue
			}
			sum, last = p.Value, p.Day
		default:
			sum += p.Value
		}
		found = true
	}
	if h == Averaged {
		if weight == 0 {
			return 0, false
		}
		return sum / weight, true
	}
	return sum, found
}

// Weight gives how much the figures from one day to another weigh together: 1 where they are
// not averaged.
func (h How) Weight(points []Point, from, to day.Date) float64 {
	if h != Averaged {
		return 1
	}
	var out float64
	for _, p := range points {
		if p.Day >= from && p.Day <= to {
			out += p.Weight
		}
	}
	return out
}

// Few is under how many pieces a group is not ranked.
const Few = 5

// Group is the spread of what the pieces of one kind did.
type Group struct {
	Key            string
	N              int
	Median, Q1, Q3 float64
	Lo, Hi         float64 // the interval of 95 % in which the median lies
	Sure           bool    // there are enough for such an interval
}

// Few reports whether there are too few to be ranked.
func (g Group) Few() bool { return g.N < Few }

// NewGroup works out the spread of values; they are sorted by it.
func NewGroup(key string, values []float64) Group {
	slices.Sort(values)
	g := Group{Key: key, N: len(values)}
	if g.N == 0 {
		return g
	}
	g.Median, g.Q1, g.Q3 = Quantile(values, .5), Quantile(values, .25), Quantile(values, .75)
	g.Lo, g.Hi, g.Sure = MedianInterval(values)
	return g
}

// Apart reports whether one group can be told from another: neither is too small, and the
// intervals of their medians do not overlap.
func (g Group) Apart(o Group) bool {
	return !g.Few() && !o.Few() && g.Sure && o.Sure && (g.Lo > o.Hi || g.Hi < o.Lo)
}

// Ranked puts groups in order, the best median first; those too small to be ranked come last,
// the larger first. Where neither way is better, more comes first.
func Ranked(groups []Group, better Better) []Group {
	out := slices.Clone(groups)
	slices.SortStableFunc(out, func(x, y Group) int {
		switch {
		case x.Few() != y.Few():
			return order(x.Few(), y.Few())
		case x.Few():
			return y.N - x.N
		case better == Fewer:
			return order(x.Median > y.Median, x.Median < y.Median)
		}
		return order(x.Median < y.Median, x.Median > y.Median)
	})
	return out
}

// order is 1 where the first comes after, -1 where it comes before.
func order(after, before bool) int {
	switch {
	case after:
		return 1
	case before:
		return -1
	}
	return 0
}
