package day

import (
	"fmt"
	"slices"
	"time"

	"github.com/teambition/rrule-go"
)

// Slot is a recurring day and time at which a channel publishes.
type Slot struct {
	Rule  string // days, as a recurrence rule of RFC 5545: "FREQ=WEEKLY;BYDAY=MO,WE"
	Start Date   // the first day the rule is counted from
	At    int    // minutes after midnight, by the desk's clocks
}

// Rest is what becomes of a slot on a day off: it rests, unless its channel says otherwise.
type Rest string

// What channels say of slots on days off.
const (
	Rests  Rest = ""       // nothing goes out
	Anyway Rest = "anyway" // it goes out all the same
	Before Rest = "before" // on the last working day before
	After  Rest = "after"  // on the first working day after
)

// Free are the days on which a desk has off, of those it works otherwise or not, and its
// working days.
type Free struct {
	Off      func(Date) bool
	Calendar *Calendar
}

// On gives the day on which a slot of a day goes out, or false where it rests.
func (r Rest) On(d Date, free Free) (Date, bool) {
	if free.Off == nil || !free.Off(d) || r == Anyway {
		return d, true
	}
	switch r {
	case Before:
		return free.Calendar.Due(free.Calendar.End(d)), true
	case After:
		return free.Calendar.NextWorking(d), true
	}
	return d, false
}

// mostMoved is how many days a slot is moved at most to lie on a working day.
const mostMoved = 60

// TimesWith gives the instants of the slot after a moment and up to another as Times does,
// with what becomes of those on days off. Several that are moved to one day are one.
func (s Slot) TimesWith(after, to Moment, zone *time.Location, rest Rest, free Free) ([]Moment, error) {
	dates, err := s.Dates(after.Date(zone)-mostMoved, to.Date(zone)+mostMoved)
	var out []Moment
	for _, d := range dates {
		on, goes := rest.On(d, free)
		if m := Wall(on, s.At, zone); goes && m > after && m <= to {
			out = append(out, m)
		}
	}
	slices.Sort(out)
	return slices.Compact(out), err
}

// Check reports what is wrong with the slot's rule or time, or nil.
func (s Slot) Check() error {
	if s.At < 0 || s.At >= 24*60 {
		return fmt.Errorf("a slot's time lies between 00:00 and 23:59")
	}
	_, err := s.rule()
	return err
}

// rule reads the recurrence rule, counted by wall clocks: an UNTIL in it is read
// by the desk's clocks too.
func (s Slot) rule() (*rrule.RRule, error) {
	opt, err := rrule.StrToROption(s.Rule)
	if err != nil {
		return nil, fmt.Errorf("the recurrence rule %q is not understood: %w", s.Rule, err)
	}
	opt.Dtstart = s.Start.utc().Add(time.Duration(s.At) * time.Minute)
	return rrule.NewRRule(*opt)
}

// Dates gives the days of the slot from one date to another, both included.
func (s Slot) Dates(from, to Date) ([]Date, error) {
	r, err := s.rule()
	if err != nil {
		return nil, err
	}
	var out []Date
	for _, t := range r.Between(from.utc(), (to + 1).utc().Add(-time.Second), true) {
		out = append(out, NewDate(t.Date()))
	}
	return out, nil
}

// Times gives the instants of the slot after a moment and up to another, by the
// clocks of the zone on each of its days.
func (s Slot) Times(after, to Moment, zone *time.Location) ([]Moment, error) {
	dates, err := s.Dates(after.Date(zone)-1, to.Date(zone)+1)
	var out []Moment
	for _, d := range dates {
		if m := Wall(d, s.At, zone); m > after && m <= to {
			out = append(out, m)
		}
	}
	return out, err
}
