package day

import (
	"math"
	"sort"
	"time"
)

// Boundary is a point between two working days: boundary k is the start of
// working day k and the end of working day k-1.
type Boundary int

// Never is the boundary that is not reached, for a holder who never works.
const Never Boundary = math.MaxInt32

// Weekdays says for each day of the week, Sunday first, whether it is worked.
type Weekdays [7]bool

// MondayToFriday is the usual working week.
var MondayToFriday = Weekdays{false, true, true, true, true, true, false}

// Span is a run of dates, both ends included.
type Span struct{ From, To Date }

// Contains reports whether d lies in the span.
func (s Span) Contains(d Date) bool { return s.From <= d && d <= s.To }

// Calendar is a row of working days. Looking up a date costs one binary search
// over the days off, however far away it is. The zero Calendar has no working day.
type Calendar struct {
	week   Weekdays
	n      int    // working weekdays in a week
	prefix [8]int // working weekdays before each day of a week that begins on Monday
	nth    [7]int // the n-th working weekday of such a week
	off    []int  // the days off, as indexes among the working weekdays, ascending
}

// NewCalendar makes a calendar of the weekdays less the dates off.
func NewCalendar(week Weekdays, off []Date) *Calendar {
	c := &Calendar{week: week}
	for i := range 7 {
		c.prefix[i+1] = c.prefix[i]
		if week[(i+1)%7] {
			c.nth[c.n] = i
			c.n++
			c.prefix[i+1]++
		}
	}
	for _, d := range off {
		if c.n > 0 && week[d.Weekday()] {
			c.off = append(c.off, c.raw(d))
		}
	}
	c.off = compact(c.off)
	return c
}

// For gives the calendar of one person inside c: the days of c on which the
// person works and is not away.
func (c *Calendar) For(week Weekdays, away []Span) *Calendar {
	for i := range week {
		week[i] = week[i] && c.week[i]
	}
	p := NewCalendar(week, nil)
	if p.n == 0 {
		return p
	}
	for _, r := range c.off {
		if d := c.rawDate(r); week[d.Weekday()] {
			p.off = append(p.off, p.raw(d))
		}
	}
	for _, s := range away {
		for r := p.raw(s.From); r < p.raw(s.To+1); r++ {
			p.off = append(p.off, r)
		}
	}
	p.off = compact(p.off)
	return p
}

// Empty reports whether the calendar has no working day at all.
func (c *Calendar) Empty() bool { return c.n == 0 }

// raw counts the working weekdays before d since a fixed Monday, days off not considered.
func (c *Calendar) raw(d Date) int {
	x := int(d) + 3 // Monday 29 December 1969 becomes 0
	return floorDiv(x, 7)*c.n + c.prefix[floorMod(x, 7)]
}

func (c *Calendar) rawDate(r int) Date {
	return Date(floorDiv(r, c.n)*7 + c.nth[floorMod(r, c.n)] - 3)
}

// Working reports whether d is a working day.
func (c *Calendar) Working(d Date) bool {
	if !c.week[d.Weekday()] {
		return false
	}
	r := c.raw(d)
	i := sort.SearchInts(c.off, r)
	return i == len(c.off) || c.off[i] != r
}

// Start gives the boundary at the start of d: the number of working days before
// it. On a day off it is the end of the last working day before it.
func (c *Calendar) Start(d Date) Boundary {
	r := c.raw(d)
	return Boundary(r - sort.SearchInts(c.off, r))
}

// End gives the boundary at the end of d: the number of working days up to and with it.
func (c *Calendar) End(d Date) Boundary { return c.Start(d + 1) }

// Day gives the date of working day k, the one that begins at boundary k. On an
// empty calendar, for Never and for its mirror, it is no date.
func (c *Calendar) Day(k Boundary) Date {
	if c.n == 0 || k >= Never || k <= -Never {
		return 0
	}
	skipped := sort.Search(len(c.off), func(j int) bool { return c.off[j]-j > int(k) })
	return c.rawDate(int(k) + skipped)
}

// Due gives the date on which a leg that ends at boundary k is due: the working day before it.
func (c *Calendar) Due(k Boundary) Date {
	if k >= Never {
		return 0
	}
	return c.Day(k - 1)
}

// Advance gives the boundary by which days of the holder's working days have
// passed since s. A nil holder works on every day of c; an empty one never ends.
func (c *Calendar) Advance(s Boundary, days int, holder *Calendar) Boundary {
	if days <= 0 || s >= Never {
		return s
	}
	if holder == nil || holder == c {
		return s + Boundary(days)
	}
	if holder.Empty() {
		return Never
	}
	last := holder.Day(holder.Start(c.Day(s)) + Boundary(days-1))
	return c.Start(last) + 1
}

// Retreat is the mirror of Advance: the latest boundary from which days of the
// holder's working days pass before e. An empty holder would have had to begin
// before all time; the answer is then -Never.
func (c *Calendar) Retreat(e Boundary, days int, holder *Calendar) Boundary {
	if days <= 0 || e >= Never || e <= -Never {
		return e
	}
	if holder == nil || holder == c {
		return e - Boundary(days)
	}
	if holder.Empty() {
		return -Never
	}
	return c.Start(holder.Day(holder.Start(c.Day(e)) - Boundary(days)))
}

// Count gives the working days from one date to another, the first included, the second not.
func (c *Calendar) Count(from, to Date) int { return int(c.Start(to) - c.Start(from)) }

// NextWorking gives d if it is worked, otherwise the next working day.
func (c *Calendar) NextWorking(d Date) Date { return c.Day(c.Start(d)) }

// Minutes returns the minutes after midnight written as "08:00".
func Minutes(s string) (int, error) {
	t, err := time.Parse("15:04", s)
	return t.Hour()*60 + t.Minute(), err
}

func compact(xs []int) []int {
	sort.Ints(xs)
	out := xs[:0]
	for i, x := range xs {
		if i == 0 || x != xs[i-1] {
			out = append(out, x)
		}
	}
	return out
}
