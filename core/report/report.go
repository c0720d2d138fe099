// Package report works out how a desk ran from what was finished: whether pieces went out on their
// day, how long legs took against their allowance, what will likely be out by a day. It knows no
// clock and no data file.
package report

import (
	"math"
	"slices"

	"greenbaton/core/day"
)

// Promise is the day that a piece had when its first leg began.
type Promise struct {
	Day     day.Date
	MovedTo day.Date // the day somebody chose instead while the one before was still to come, 0 for none
}

// Holds gives the day that is held against a piece: the one somebody moved it to in time, otherwise the first.
func (p Promise) Holds() day.Date {
	if p.MovedTo != 0 {
		return p.MovedTo
	}
	return p.Day
}

// Then gives the promise after a piece was placed on a day: one that is placed anew before its day
// was past is held to the new day, one that is placed later is still held to the one it missed.
func (p Promise) Then(placed, today day.Date) Promise {
	switch {
	case placed == 0:
		return p
	case p.Day == 0:
		return Promise{Day: placed}
	case today > p.Holds():
		return p
	case placed == p.Day:
		p.MovedTo = 0
	default:
		p.MovedTo = placed
	}
	return p
}

// Fate is how a piece went out, measured by its day.
type Fate string

// The fates.
const (
	OnDay Fate = "on its day"
	Late  Fate = "late"
	Moved Fate = "moved" // by somebody's decision in time, and out by the new day: neither
)

// FateOf says how a piece that went out on a day did by its promise, and how many working days it
// was late. Without a promise, it is on its day.
func FateOf(p Promise, out day.Date, cal *day.Calendar) (Fate, int) {
	switch {
	case p.Day == 0 || out <= p.Day:
		return OnDay, 0
	case out <= p.Holds():
		return Moved, 0
	}
	if cal == nil || cal.Empty() {
		return Late, int(out - p.Holds())
	}
	return Late, max(1, cal.Count(p.Holds()+1, out+1))
}

// Even gives where something stands that comes evenly from one day to another: the share of the
// target that the time gone by today is of the whole.
func Even(target float64, from, to, today day.Date) float64 {
	switch {
	case today < from || to < from:
		return 0
	case today >= to:
		return target
	}
	return target * float64(today-from+1) / float64(to-from+1)
}

// Sum is what is likely in all, with the interval of 80 %.
type Sum struct{ Likely, Lo, Hi float64 }

// never is a chance that is not reckoned with.
const never = 1e-18

// Chances sums the chances of things of which each comes or does not: the likely number and the
// interval in which it lies with 80 %, by the exact distribution of the sum of them.
func Chances(sofar int, chances []float64) Sum {
	dist, from := []float64{1}, 0 // of how many come, from so many on; what is next to never is left out
	mean := 0.0
	for _, p := range chances {
		p = min(1, max(0, p))
		mean += p
		dist = append(dist, 0)
		for k := len(dist) - 1; k > 0; k-- {
			dist[k] = dist[k]*(1-p) + dist[k-1]*p
		}
		dist[0] *= 1 - p
		for len(dist) > 1 && dist[0] < never {
			dist, from = dist[1:], from+1
		}
		for len(dist) > 1 && dist[len(dist)-1] < never {
			dist = dist[:len(dist)-1]
		}
	}
	at := func(share float64) float64 {
		sum := 0.0
		for k, q := range dist {
			if sum += q; sum >= share-1e-12 {
				return float64(from + k)
			}
		}
		return float64(from + len(dist) - 1)
	}
	n := float64(sofar)
	return Sum{n + mean, n + at(.1), n + at(.9)}
}

// Spread is what one more piece brings: its median, and how far the middle half lies apart.
type Spread struct{ Median, Q1, Q3 float64 }

// z80 is the quantile of the normal distribution on both sides of which a tenth lies, and
// quartile the one at a quarter.
const z80, quartile = 1.2815515655446004, 0.6744897501960817

// Coming sums what is so far and what pieces to come would bring at their medians, each by its
// chance of coming. The interval takes them as independent, and their spread from the middle half
// as if it were normal: wide, and said so.
func Coming(sofar float64, pieces []Spread, chances []float64) Sum {
	mean, variance := 0.0, 0.0
	for i, s := range pieces {
		p := min(1, max(0, chances[i]))
		sd := (s.Q3 - s.Q1) / (2 * quartile)
		mean += p * s.Median
		variance += p*sd*sd + p*(1-p)*s.Median*s.Median
	}
	half := z80 * math.Sqrt(variance)
	return Sum{sofar + mean, max(sofar, sofar+mean-half), sofar + mean + half}
}

// Took is how long the runs of a leg took, in working days.
type Took struct {
	N         int
	Half      float64 // half of them took no longer
	FourFifth float64 // four of five
	Over      int     // runs that took longer than their allowance
}

// Often tells whether a leg often runs over: at least one run of four. Common practice, no source.
func (t Took) Often() bool { return t.N > 0 && t.Over*4 >= t.N }

// RanOver reports whether a leg took more working days than it was allowed; one that is allowed
// none ends on the day it begins.
func RanOver(days, allowed int) bool { return days > max(1, allowed) }

// TookOf sums runs up: days each took, with the days each was allowed.
func TookOf(days, allowed []int, quantile func(sorted []float64, p float64) float64) Took {
	t := Took{N: len(days)}
	sorted := make([]float64, len(days))
	for i, d := range days {
		sorted[i] = float64(d)
		if RanOver(d, allowed[i]) {
			t.Over++
		}
	}
	slices.Sort(sorted)
	t.Half, t.FourFifth = quantile(sorted, .5), quantile(sorted, .8)
	return t
}
