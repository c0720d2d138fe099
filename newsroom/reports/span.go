package reports

import (
	"fmt"
	"time"

	"greenbaton/core/day"
)

// Long is how long a span is.
type Long string

// The spans.
const (
	Month   Long = "month"
	Quarter Long = "quarter"
	Year    Long = "year"
)

// Span is a month, a quarter of the year or a year.
type Span struct {
	Long     Long
	From, To day.Date
}

// SpanOf gives the span of a length in which a day lies.
func SpanOf(long Long, on day.Date) Span {
	s := Span{Long: long}
	switch long {
	case Month:
		s.From = on.MonthStart()
		s.To = s.From.AddMonths(1) - 1
	case Year:
		s.From = day.NewDate(on.Year(), time.January, 1)
		s.To = day.NewDate(on.Year(), time.December, 31)
	default:
		s.Long, s.From = Quarter, on.QuarterStart()
		s.To = s.From.AddMonths(3) - 1
	}
	return s
}

// Next gives the span behind it, Before the one in front of it.
func (s Span) Next() Span   { return SpanOf(s.Long, s.To+1) }
func (s Span) Before() Span { return SpanOf(s.Long, s.From-1) }

// Says names the span: November 2026, October to December 2026, 2026.
func (s Span) Says() string {
	switch s.Long {
	case Month:
		return s.From.Format("January 2006")
	case Year:
		return s.From.Format("2006")
	}
	return fmt.Sprintf("%s to %s", s.From.Format("January"), s.To.Format("January 2006"))
}

// Contains reports whether a day lies in it.
func (s Span) Contains(d day.Date) bool { return s.From <= d && d <= s.To }

// around gives between which moments it lies in any zone, which is asked before what costs more.
func (s Span) around() (from, to day.Moment) {
	return day.Wall(s.From-2, 0, time.UTC), day.Wall(s.To+3, 0, time.UTC)
}
