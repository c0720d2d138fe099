// Package calendar is what somebody's calendar program shows of the work: events that keep their
// name while they change, and are called off when they no longer hold.
package calendar

import (
	"cmp"
	"slices"

	"greenbaton/core/day"
)

// Event is something on a day, or at a time.
type Event struct {
	UID   string     `json:"uid"` // the same as long as it is the same thing
	Title string     `json:"title"`
	Note  string     `json:"note,omitempty"`
	Page  string     `json:"page,omitempty"` // where more of it is
	Day   day.Date   `json:"day"`            // of an event at a time that of its desk
	At    day.Moment `json:"at,omitempty"`   // none where it is all day
	Zone  string     `json:"zone,omitempty"` // IANA's name, of an event at a time
}

// Kept is an event as a calendar has shown it.
type Kept struct {
	Event
	Sequence int        `json:"sequence,omitempty"` // grows with every change (RFC 5545, 3.8.7.4)
	Changed  day.Moment `json:"changed"`            // when it last did
	Off      bool       `json:"off,omitempty"`      // it was called off
}

// Shown is all that a calendar has shown and still shows.
type Shown struct {
	Events []Kept `json:"events"`          // by UID
	Floor  int    `json:"floor,omitempty"` // the sequence with which new events begin: above that of any that was forgotten
}

// Span is what of the past a calendar shows.
type Span struct {
	From     day.Date // the first day that is shown
	OffSince day.Moment
}

// Follow gives what a calendar shows after what it has shown, now that these events hold. One that
// changed has a higher sequence; one that no longer holds is called off, and forgotten when that was
// before the span, or its day is. Sequences of a UID never fall, whatever was forgotten between.
func Follow(was Shown, now []Event, at day.Moment, s Span) Shown {
	is := Shown{Floor: was.Floor}
	old := make(map[string]Kept, len(was.Events))
	for _, k := range was.Events {
		old[k.UID] = k
	}
	for _, e := range now {
		k, known := old[e.UID]
		delete(old, e.UID)
		switch {
		case !known:
			k = Kept{Event: e, Sequence: was.Floor, Changed: at}
		case k.Off || k.Event != e:
			k = Kept{Event: e, Sequence: k.Sequence + 1, Changed: at}
		}
		is.Events = append(is.Events, k)
	}
	for _, k := range old {
		if !k.Off && k.Day >= s.From {
			k.Off, k.Sequence, k.Changed = true, k.Sequence+1, at
		}
		if k.Day < s.From || k.Changed < s.OffSince {
			is.Floor = max(is.Floor, k.Sequence+1)
			continue
		}
		is.Events = append(is.Events, k)
	}
	slices.SortFunc(is.Events, func(a, b Kept) int { return cmp.Compare(a.UID, b.UID) })
	return is
}

// Same reports whether two calendars show the same.
func (s Shown) Same(o Shown) bool { return s.Floor == o.Floor && slices.Equal(s.Events, o.Events) }

// Nearest gives at most so many events, those nearest to a day, so that a calendar stays one that a
// program can read; and whether there were more.
func Nearest(all []Event, today day.Date, most int) ([]Event, bool) {
	if len(all) <= most {
		return all, false
	}
	all = slices.Clone(all)
	far := func(e Event) int {
		if e.Day < today {
			return 2 * int(today-e.Day) // what is over matters less
		}
		return int(e.Day - today)
	}
	slices.SortStableFunc(all, func(a, b Event) int { return cmp.Or(far(a)-far(b), cmp.Compare(a.UID, b.UID)) })
	return all[:most], true
}
