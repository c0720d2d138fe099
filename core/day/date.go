package day

import (
	"fmt"
	"time"
)

// Date is a calendar day without a time zone, as days since 1 January 1970.
// The zero Date stands for "no date".
type Date int32

// NewDate gives the Date of a year, month and day of the proleptic Gregorian calendar.
func NewDate(year int, month time.Month, dayOfMonth int) Date {
	return Date(floorDiv(int(time.Date(year, month, dayOfMonth, 0, 0, 0, 0, time.UTC).Unix()), 86400))
}

// ParseDate reads a date written as in ISO 8601, "2026-11-24".
func ParseDate(s string) (Date, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return 0, fmt.Errorf("%q is not a date written like 2026-11-24", s)
	}
	return NewDate(t.Date()), nil
}

func (d Date) utc() time.Time { return time.Unix(int64(d)*86400, 0).UTC() }

// IsZero reports whether d stands for "no date".
func (d Date) IsZero() bool { return d == 0 }

// Weekday gives the day of the week.
func (d Date) Weekday() time.Weekday { return time.Weekday(floorMod(int(d)+4, 7)) }

// Year gives the calendar year.
func (d Date) Year() int { return d.utc().Year() }

// Month gives the month.
func (d Date) Month() time.Month { return d.utc().Month() }

// Week gives the week of ISO 8601 that d lies in, and the year of that week.
func (d Date) Week() (year, week int) { return d.utc().ISOWeek() }

// Monday gives the first day of the week of ISO 8601 that d lies in.
func (d Date) Monday() Date { return d - Date(floorMod(int(d)+3, 7)) }

// MonthStart gives the first day of the month that d lies in.
func (d Date) MonthStart() Date { return NewDate(d.Year(), d.Month(), 1) }

// QuarterStart gives the first day of the quarter of the year that d lies in.
func (d Date) QuarterStart() Date { return NewDate(d.Year(), (d.Month()-1)/3*3+1, 1) }

// AddMonths gives the day so many months later; in a month without it, its last day.
func (d Date) AddMonths(n int) Date {
	y, m, dom := d.utc().Date()
	last := NewDate(y, m+time.Month(n)+1, 0)
	return min(NewDate(y, m+time.Month(n), dom), last)
}

// Format writes d in the layout of package time.
func (d Date) Format(layout string) string { return d.utc().Format(layout) }

// String writes d as in ISO 8601; no date is an empty string.
func (d Date) String() string {
	if d.IsZero() {
		return ""
	}
	return d.Format(time.DateOnly)
}

// MarshalText writes d as in ISO 8601.
func (d Date) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads a date as in ISO 8601; an empty text is no date.
func (d *Date) UnmarshalText(b []byte) error {
	if len(b) == 0 {
		*d = 0
		return nil
	}
	v, err := ParseDate(string(b))
	*d = v
	return err
}

// Moment is an instant in seconds since 1 January 1970 UTC. The zero Moment
// stands for "no time".
type Moment int64

// MomentOf gives the Moment of a time, cut to the second.
func MomentOf(t time.Time) Moment {
	if t.IsZero() {
		return 0
	}
	return Moment(t.Unix())
}

// IsZero reports whether m stands for "no time".
func (m Moment) IsZero() bool { return m == 0 }

// In gives m as a time in the zone.
func (m Moment) In(zone *time.Location) time.Time { return time.Unix(int64(m), 0).In(zone) }

// Date gives the calendar day on which m falls in the zone; no time gives no date.
func (m Moment) Date(zone *time.Location) Date {
	if m.IsZero() {
		return 0
	}
	return NewDate(m.In(zone).Date())
}

// Wall gives the instant at which the clocks of the zone show the given
// minutes after midnight on a date. A time that the spring change skips is read
// with the offset before the gap, and one that the autumn change repeats is the
// first of the two, as RFC 5545 section 3.3.5 says.
func Wall(d Date, minutes int, zone *time.Location) Moment {
	naive := int64(d)*86400 + int64(minutes)*60
	// The offset in force a day earlier is the one before any change on this day.
	_, before := time.Unix(naive-86400, 0).In(zone).Zone()
	_, after := time.Unix(naive+86400, 0).In(zone).Zone()
	early := naive - int64(before)
	if before == after {
		return Moment(early)
	}
	if _, off := time.Unix(early, 0).In(zone).Zone(); off == before {
		return Moment(early)
	}
	late := naive - int64(after)
	if _, off := time.Unix(late, 0).In(zone).Zone(); off == after {
		return Moment(late)
	}
	return Moment(early)
}

func floorDiv(a, b int) int {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

func floorMod(a, b int) int { return a - floorDiv(a, b)*b }
