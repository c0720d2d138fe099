package format

import (
	"io"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"

	"greenbaton/core/calendar"
	"greenbaton/core/day"
)

// ICal writes a calendar as RFC 5545 has it: days as dates, times with their zone, which is
// described from one year before the first of them to one after the last. Host is put behind the
// names of events, so that no other program has the same.
func ICal(w io.Writer, name, host string, events []calendar.Kept) error {
	c := ics.NewCalendar()
	c.SetProductId("-//Green Baton//Calendar//EN")
	c.SetMethod(ics.MethodPublish)
	c.SetCalscale("GREGORIAN")
	c.SetName(oneLine(name))
	c.SetXWRCalName(oneLine(name))
	c.SetRefreshInterval("PT1H") // RFC 7986
	for _, z := range zonesOf(events) {
		c.Components = append(c.Components, z)
	}
	if len(events) == 0 { // a calendar holds one component at least (RFC 5545, 3.6)
		z := ics.NewTimezone("Etc/UTC")
		z.Components = append(z.Components, observance(time.Time{}, time.Unix(0, 0).UTC()))
		c.Components = append(c.Components, z)
	}
	for _, k := range events {
		e := c.AddEvent(k.UID + "@" + host)
		changed := time.Unix(int64(k.Changed), 0).UTC()
		e.SetDtStampTime(changed)
		e.SetModifiedAt(changed)
		e.SetSequence(k.Sequence)
		e.SetSummary(oneLine(k.Title))
		if k.Note != "" {
			e.SetDescription(k.Note)
		}
		if k.Page != "" {
			e.SetURL(k.Page)
		}
		if k.At == 0 {
			e.SetProperty(ics.ComponentPropertyDtStart, k.Day.Format("20060102"), ics.WithValue("DATE"))
			e.SetProperty(ics.ComponentPropertyDtEnd, (k.Day + 1).Format("20060102"), ics.WithValue("DATE"))
		} else if wall, ok := wallOf(k.At, k.Zone); ok {
			e.SetProperty(ics.ComponentPropertyDtStart, wall.Format("20060102T150405"), ics.WithTZID(k.Zone))
		} else {
			e.SetStartAt(time.Unix(int64(k.At), 0))
		}
		e.SetTimeTransparency(ics.TransparencyTransparent) // nobody is busy for it
		if e.SetStatus(ics.ObjectStatusConfirmed); k.Off {
			e.SetStatus(ics.ObjectStatusCancelled)
		}
	}
	return c.SerializeTo(w, ics.WithNewLineWindows)
}

// wallOf gives what the clocks of a zone show at a time, where that says which time it is: of an hour
// that comes twice it is the first (RFC 5545, 3.3.5), so that the second is not said so.
func wallOf(at day.Moment, name string) (time.Time, bool) {
	zone, err := time.LoadLocation(name)
	if err != nil || name == "" || zone == time.UTC {
		return time.Time{}, false
	}
	wall := at.In(zone)
	return wall, day.Wall(day.NewDate(wall.Date()), wall.Hour()*60+wall.Minute(), zone)+day.Moment(wall.Second()) == at
}

// oneLine leaves out what a line of a calendar cannot hold.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// zonesOf describes the zones in which events are, over the years in which they are.
func zonesOf(events []calendar.Kept) []*ics.VTimezone {
	type span struct{ from, to day.Moment }
	spans := map[string]span{}
	var names []string
	for _, k := range events {
		if k.At == 0 || k.Zone == "" {
			continue
		}
		s, known := spans[k.Zone]
		if !known {
			names, s = append(names, k.Zone), span{k.At, k.At}
		}
		spans[k.Zone] = span{min(s.from, k.At), max(s.to, k.At)}
	}
	var out []*ics.VTimezone
	for _, n := range names {
		zone, err := time.LoadLocation(n)
		if err != nil || zone == time.UTC {
			continue
		}
		z := ics.NewTimezone(n)
		const year = 366 * 86400
		at, end := time.Unix(int64(spans[n].from)-year, 0).In(zone), time.Unix(int64(spans[n].to)+year, 0)
		for {
			begin, next := at.ZoneBounds()
			z.Components = append(z.Components, observance(begin, at))
			if next.IsZero() || next.After(end) {
				break
			}
			at = next
		}
		out = append(out, z)
	}
	return out
}

// observance describes from when on which offset holds in a zone; begin is no time where it always
// did.
func observance(begin, at time.Time) ics.Component {
	name, is := at.Zone()
	before := is
	if begin.IsZero() {
		begin = time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC).Add(-time.Duration(is) * time.Second)
	} else {
		_, before = begin.Add(-time.Second).Zone()
	}
	var base *ics.ComponentBase
	var out ics.Component
	if at.IsDST() {
		d := &ics.Daylight{}
		base, out = &d.ComponentBase, d
	} else {
		s := &ics.Standard{}
		base, out = &s.ComponentBase, s
	}
	// Its beginning is written as the clocks showed it before (RFC 5545, 3.6.5).
	base.SetProperty(ics.ComponentPropertyDtStart, begin.UTC().Add(time.Duration(before)*time.Second).Format("20060102T150405"))
	base.SetProperty("TZOFFSETFROM", offset(before))
	base.SetProperty("TZOFFSETTO", offset(is))
	base.SetProperty("TZNAME", name)
	return out
}

// offset writes an offset of a zone as RFC 5545, 3.3.14, has it.
func offset(seconds int) string {
	sign := "+"
	if seconds < 0 {
		sign, seconds = "-", -seconds
	}
	s := sign + time.Unix(int64(seconds), 0).UTC().Format("1504")
	if seconds%60 != 0 {
		s += time.Unix(int64(seconds), 0).UTC().Format("05")
	}
	return s
}
