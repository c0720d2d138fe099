package format

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"greenbaton/core/day"
)

// DaysOff is a span of days in a calendar on which somebody is not there.
type DaysOff struct {
	From, To day.Date // both are in it
	Title    string
	Free     bool // whose calendar it is, is not busy by it: rather a note than an absence
}

// What of a calendar is read at most.
const (
	maxCalendar = 4 << 20 // bytes
	maxEvents   = 20_000
	maxNested   = 8
	maxDaysOff  = 400
)

// wholeDay is how long an event with times is at least for a day off.
const wholeDay = 20 * time.Hour

// ReadDaysOff reads the days off of a calendar (RFC 5545) that reach into a span of days: what lasts
// all day, once or again and again, and is not called off. Times without a zone are those of zone.
// Left is how many events it left out because they do not last a whole day. An error is a sentence
// that says what to do.
func ReadDaysOff(ctx context.Context, data []byte, zone *time.Location, from, to day.Date) (out []DaysOff, left int, err error) {
	if err := boundsOfCalendar(data); err != nil {
		return nil, 0, err
	}
	defer func() { // of the reader, over what others wrote
		if p := recover(); p != nil {
			out, err = nil, errors.New("This calendar cannot be read. Export it again, as iCalendar (.ics).")
		}
	}()
	c, err := ics.ParseCalendar(bytes.NewReader(data))
	if err != nil {
		return nil, 0, errors.New("This is no whole calendar. Export it again, as iCalendar (.ics).")
	}
	r := daysReader{zone: zone, from: from, to: to, other: map[string]bool{}}
	for _, e := range c.Events() {
		if id := value(e, ics.ComponentPropertyRecurrenceId); id != "" {
			r.other[value(e, ics.ComponentPropertyUniqueId)+" "+id[:min(8, len(id))]] = true
		}
	}
	for _, e := range c.Events() {
		if err := ctx.Err(); err != nil {
			return nil, 0, errors.New("This calendar takes too long to read. Export a shorter span of it.")
		}
		r.add(e)
		if len(r.out) > maxDaysOff {
			return nil, 0, fmt.Errorf("There are more than %d absences in it. Export a shorter span, or only those of yourself.", maxDaysOff)
		}
	}
	return merged(r.out), r.left, nil
}

// boundsOfCalendar refuses what is no calendar, or more than is read.
func boundsOfCalendar(data []byte) error {
	switch {
	case len(data) == 0:
		return errors.New("This calendar is empty. Choose the file again.")
	case len(data) > maxCalendar:
		return fmt.Errorf("This calendar is larger than %d MB. Export a shorter span of it.", maxCalendar>>20)
	case !bytes.Contains(data[:min(len(data), 2000)], []byte("BEGIN:VCALENDAR")):
		return errors.New("This is no calendar. It is a file that ends in .ics, and begins with BEGIN:VCALENDAR.")
	}
	events, depth := 0, 0
	for line := range bytes.Lines(data) {
		switch {
		case bytes.HasPrefix(line, []byte("BEGIN:")):
			events++
			depth++
		case bytes.HasPrefix(line, []byte("END:")):
			depth--
		}
		if depth > maxNested {
			return errors.New("This calendar is nested more deeply than calendars are. Export it again.")
		}
	}
	if events > maxEvents {
		return fmt.Errorf("There are more than %d events in this calendar. Export a shorter span of it.", maxEvents)
	}
	return nil
}

func value(e *ics.VEvent, name ics.ComponentProperty) string {
	if p := e.GetProperty(name); p != nil {
		return strings.TrimSpace(p.Value)
	}
	return ""
}

// daysReader gathers the days off of a calendar.
type daysReader struct {
	zone     *time.Location
	from, to day.Date
	other    map[string]bool // days of what comes again on which it is otherwise, by UID and day
	out      []DaysOff
	left     int
}

func (r *daysReader) add(e *ics.VEvent) {
	start, allDay, ok := r.moment(e.GetProperty(ics.ComponentPropertyDtStart))
	if !ok || strings.EqualFold(value(e, ics.ComponentPropertyStatus), "CANCELLED") {
		return
	}
	length := r.length(e, start, allDay)
	if !allDay && length < wholeDay {
		r.left++
		return
	}
	x := DaysOff{Title: cut(oneLine(ics.FromText(value(e, ics.ComponentPropertySummary))), 80), Free: strings.EqualFold(value(e, ics.ComponentPropertyTransp), "TRANSPARENT")}
	uid := value(e, ics.ComponentPropertyUniqueId)
	for _, at := range r.starts(e, start, length) {
		if value(e, ics.ComponentPropertyRecurrenceId) == "" && r.other[uid+" "+at.Format("20060102")] {
			continue
		}
		x.From = day.NewDate(at.Date())
		x.To = max(x.From, day.NewDate(at.Add(length-time.Second).Date()))
		if x.To >= r.from && x.From <= r.to && len(r.out) <= maxDaysOff {
			r.out = append(r.out, x)
		}
	}
}

// moment reads a day or a time; a day is midnight in UTC, so that days are as long as they are.
func (r *daysReader) moment(p *ics.IANAProperty) (at time.Time, allDay, ok bool) {
	if p == nil {
		return at, false, false
	}
	text := strings.TrimSpace(p.Value)
	if len(text) == 8 {
		at, err := time.Parse("20060102", text)
		return at, true, err == nil
	}
	zone := r.zone
	if utc, is := strings.CutSuffix(text, "Z"); is {
		text, zone = utc, time.UTC
	} else if id := p.ICalParameters["TZID"]; len(id) > 0 {
		if z, err := time.LoadLocation(id[0]); err == nil {
			zone = z
		}
	}
	at, err := time.ParseInLocation("20060102T150405", text, zone)
	return at.In(r.zone), false, err == nil
}

// length gives how long an event lasts.
func (r *daysReader) length(e *ics.VEvent, start time.Time, allDay bool) time.Duration {
	if end, _, ok := r.moment(e.GetProperty(ics.ComponentPropertyDtEnd)); ok && end.After(start) {
		return min(end.Sub(start), 3*366*24*time.Hour)
	}
	if d, ok := durationOf(value(e, ics.ComponentPropertyDuration)); ok {
		return d
	}
	if allDay {
		return 24 * time.Hour
	}
	return 0
}

// durationOf reads a length as RFC 5545, 3.3.6, has it, of days and weeks and of times.
func durationOf(s string) (time.Duration, bool) {
	s, ok := strings.CutPrefix(strings.TrimPrefix(s, "+"), "P")
	if !ok {
		return 0, false
	}
	units := map[rune]time.Duration{'W': 7 * 24 * time.Hour, 'D': 24 * time.Hour, 'H': time.Hour, 'M': time.Minute, 'S': time.Second}
	var sum, n time.Duration
	for _, c := range s {
		switch {
		case c >= '0' && c <= '9' && n < 1e6:
			n = n*10 + time.Duration(c-'0')
		case c == 'T':
		case units[c] != 0:
			sum, n = sum+n*units[c], 0
		default:
			return 0, false
		}
	}
	return sum, sum > 0 && sum < 3*366*24*time.Hour
}

// starts gives when an event begins: once, or each time that its rule brings it into the span.
func (r *daysReader) starts(e *ics.VEvent, start time.Time, length time.Duration) []time.Time {
	text := value(e, ics.ComponentPropertyRrule)
	if text == "" {
		return []time.Time{start}
	}
	o, err := rrule.StrToROptionInLocation(text, start.Location())
	if err != nil || o.Freq > rrule.DAILY { // days off do not come by the hour
		return []time.Time{start}
	}
	last := time.Unix(int64(r.to+1)*86400, 0)
	if o.Until.IsZero() || o.Until.After(last) {
		o.Until = last
	}
	o.Dtstart = start
	rule, err := rrule.NewRRule(*o)
	if err != nil {
		return []time.Time{start}
	}
	var set rrule.Set
	set.RRule(rule)
	set.DTStart(start)
	for _, p := range e.GetProperties(ics.ComponentPropertyExdate) {
		for t := range strings.SplitSeq(p.Value, ",") {
			one := *p
			one.Value = t
			if at, _, ok := r.moment(&one); ok {
				set.ExDate(at)
			}
		}
	}
	first := time.Unix(int64(r.from)*86400, 0).Add(-length - 24*time.Hour)
	all := set.Between(first, last, true)
	return all[:min(len(all), maxDaysOff+1)]
}

// merged puts days off in order, and those of one title that touch into one.
func merged(all []DaysOff) []DaysOff {
	slices.SortFunc(all, func(a, b DaysOff) int {
		return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.To, b.To), cmp.Compare(a.Title, b.Title))
	})
	var out []DaysOff
	for _, x := range all {
		if n := len(out); n > 0 && out[n-1].Title == x.Title && out[n-1].Free == x.Free && x.From <= out[n-1].To+1 {
			out[n-1].To = max(out[n-1].To, x.To)
			continue
		}
		out = append(out, x)
	}
	return out
}

// cut gives at most so many characters of a text.
func cut(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
