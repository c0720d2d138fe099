package format

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	author "github.com/emersion/go-ical"

	"greenbaton/core/day"
)

func calendarOf(events ...string) []byte {
	var b strings.Builder
	b.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Somebody//EN\r\n")
	for i, e := range events {
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nDTSTAMP:20261101T090000Z\r\n")
		if !strings.Contains(e, "UID:") {
			fmt.Fprintf(&b, "UID:%d\r\n", i)
		}
		b.WriteString(strings.ReplaceAll(e, "|", "\r\n") + "\r\nEND:VEVENT\r\n")
	}
	return []byte(b.String() + "END:VCALENDAR\r\n")
}

// Days off are read from what calendar programs export: whole days, once and again, by the rules of
// RFC 5545; an end that is a day is not in it (3.6.1), and a day without an end is one (3.6.1).
func TestDaysOffAreReadFromCalendars(t *testing.T) {
	london, _ := time.LoadLocation("Europe/London")
	from, to := day.NewDate(2026, 11, 24), day.NewDate(2027, 11, 24)
	for name, x := range map[string]struct {
		events []string
		want   string
		left   int
	}{
		"one day":                     {[]string{"DTSTART;VALUE=DATE:20261201|SUMMARY:Dentist\\, then home"}, "2026-12-01..2026-12-01 Dentist, then home", 0},
		"a week, its end not in it":   {[]string{"DTSTART;VALUE=DATE:20261221|DTEND;VALUE=DATE:20261226|SUMMARY:Away"}, "2026-12-21..2026-12-25 Away", 0},
		"by its length":               {[]string{"DTSTART;VALUE=DATE:20261221|DURATION:P1W|SUMMARY:Away"}, "2026-12-21..2026-12-27 Away", 0},
		"a meeting is none":           {[]string{"DTSTART:20261201T090000Z|DTEND:20261201T170000Z|SUMMARY:Meeting"}, "", 1},
		"from midnight to midnight":   {[]string{"DTSTART;TZID=Europe/London:20261201T000000|DTEND;TZID=Europe/London:20261203T000000|SUMMARY:Away"}, "2026-12-01..2026-12-02 Away", 0},
		"in another zone":             {[]string{"DTSTART;TZID=America/New_York:20261201T000000|DTEND;TZID=America/New_York:20261202T000000|SUMMARY:Away"}, "2026-12-01..2026-12-02 Away", 0},
		"called off":                  {[]string{"DTSTART;VALUE=DATE:20261201|STATUS:CANCELLED|SUMMARY:Away"}, "", 0},
		"past":                        {[]string{"DTSTART;VALUE=DATE:20260801|SUMMARY:Away"}, "", 0},
		"begun and not over":          {[]string{"DTSTART;VALUE=DATE:20261120|DTEND;VALUE=DATE:20261126|SUMMARY:Away"}, "2026-11-20..2026-11-25 Away", 0},
		"free":                        {[]string{"DTSTART;VALUE=DATE:20261201|TRANSP:TRANSPARENT|SUMMARY:Market day"}, "2026-12-01..2026-12-01 Market day free", 0},
		"each Friday, but one":        {[]string{"DTSTART;VALUE=DATE:20261204|RRULE:FREQ=WEEKLY;COUNT=4|EXDATE;VALUE=DATE:20261211|SUMMARY:Off"}, "2026-12-04..2026-12-04 Off\n2026-12-18..2026-12-18 Off\n2026-12-25..2026-12-25 Off", 0},
		"two left out in one line":    {[]string{"DTSTART;VALUE=DATE:20261204|RRULE:FREQ=WEEKLY;COUNT=4|EXDATE;VALUE=DATE:20261211,20261218|SUMMARY:Off"}, "2026-12-04..2026-12-04 Off\n2026-12-25..2026-12-25 Off", 0},
		"until a day":                 {[]string{"DTSTART;VALUE=DATE:20261204|RRULE:FREQ=WEEKLY;UNTIL=20261212|SUMMARY:Off"}, "2026-12-04..2026-12-04 Off\n2026-12-11..2026-12-11 Off", 0},
		"one of them on another day":  {[]string{"UID:a|DTSTART;VALUE=DATE:20261204|RRULE:FREQ=WEEKLY;COUNT=2|SUMMARY:Off", "UID:a|RECURRENCE-ID;VALUE=DATE:20261211|DTSTART;VALUE=DATE:20261210|SUMMARY:Off"}, "2026-12-04..2026-12-04 Off\n2026-12-10..2026-12-10 Off", 0},
		"those that touch are one":    {[]string{"DTSTART;VALUE=DATE:20261201|SUMMARY:Off", "DTSTART;VALUE=DATE:20261202|SUMMARY:Off", "DTSTART;VALUE=DATE:20261203|SUMMARY:Ill"}, "2026-12-01..2026-12-02 Off\n2026-12-03..2026-12-03 Ill", 0},
		"each day for years is one":   {[]string{"DTSTART;VALUE=DATE:20200101|RRULE:FREQ=DAILY|SUMMARY:Off"}, "2026-11-24..2027-11-24 Off", 0},
		"by the second":               {[]string{"DTSTART;VALUE=DATE:20261201|RRULE:FREQ=SECONDLY|SUMMARY:Off"}, "2026-12-01..2026-12-01 Off", 0},
		"folded, and without a title": {[]string{"DTSTART;VALUE=\r\n DATE:20261201"}, "2026-12-01..2026-12-01 ", 0},
		"a day that never was":        {[]string{"DTSTART;VALUE=DATE:20261301|SUMMARY:Off"}, "", 0},
	} {
		got, left, err := ReadDaysOff(t.Context(), calendarOf(x.events...), london, from, to)
		var lines []string
		for _, d := range got {
			s := fmt.Sprintf("%s..%s %s", d.From, d.To, d.Title)
			if d.Free {
				s += " free"
			}
			lines = append(lines, s)
		}
		if is := strings.Join(lines, "\n"); err != nil || is != x.want || left != x.left {
			t.Errorf("%s: %v, %d left out\n%s\nnot\n%s", name, err, left, is, x.want)
		}
	}
}

// What another library writes (github.com/emersion/go-ical) is read.
func TestDaysOffOfAnotherWriterAreRead(t *testing.T) {
	c := author.NewCalendar()
	c.Props.SetText(author.PropVersion, "2.0")
	c.Props.SetText(author.PropProductID, "-//Other//EN")
	e := author.NewEvent()
	e.Props.SetText(author.PropUID, "x")
	e.Props.SetDateTime(author.PropDateTimeStamp, time.Unix(1_790_000_000, 0))
	e.Props.SetDate(author.PropDateTimeStart, time.Date(2026, 12, 21, 0, 0, 0, 0, time.UTC))
	e.Props.SetDate(author.PropDateTimeEnd, time.Date(2026, 12, 24, 0, 0, 0, 0, time.UTC))
	e.Props.SetText(author.PropSummary, "Away; “Ü”, \\ and\nmore")
	c.Children = append(c.Children, e.Component)
	var b strings.Builder
	if err := author.NewEncoder(&b).Encode(c); err != nil {
		t.Fatal(err)
	}
	got, _, err := ReadDaysOff(t.Context(), []byte(b.String()), time.UTC, 20_000, 40_000)
	if err != nil || len(got) != 1 || got[0].From != day.NewDate(2026, 12, 21) || got[0].To != day.NewDate(2026, 12, 23) || got[0].Title != "Away; “Ü”, \\ and more" {
		t.Errorf("%v %+v", err, got)
	}
}

func TestWhatIsNoCalendarIsRefusedWithASentence(t *testing.T) {
	for name, x := range map[string]struct {
		data []byte
		says string
	}{
		"nothing":       {nil, "is empty"},
		"another file":  {[]byte("PK\x03\x04"), "no calendar"},
		"cut off":       {[]byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTA"), "no whole calendar"},
		"a million":     {[]byte("BEGIN:VCALENDAR\r\n" + strings.Repeat("BEGIN:VEVENT\r\nEND:VEVENT\r\n", 100_000)), "more than 20000 events"},
		"large":         {make([]byte, maxCalendar+1), "larger than 4 MB"},
		"deeply nested": {[]byte("BEGIN:VCALENDAR\r\n" + strings.Repeat("BEGIN:VEVENT\r\n", 9000)), "nested more deeply"},
		"too many days": {calendarOf(manyEvents(500)...), "more than 400 absences"},
	} {
		if _, _, err := ReadDaysOff(t.Context(), x.data, time.UTC, 20_000, 40_000); err == nil || !strings.Contains(err.Error(), x.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	stopped, stop := context.WithCancel(t.Context())
	stop()
	if _, _, err := ReadDaysOff(stopped, calendarOf("DTSTART;VALUE=DATE:20261201"), time.UTC, 20_000, 40_000); err == nil || !strings.Contains(err.Error(), "too long") {
		t.Errorf("%v", err)
	}
}

func manyEvents(n int) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = fmt.Sprintf("DTSTART;VALUE=DATE:%s|SUMMARY:%d", (day.NewDate(2026, 12, 1) + day.Date(2*i)).Format("20060102"), i)
	}
	return out
}

func FuzzReadDaysOff(f *testing.F) {
	f.Add(calendarOf("DTSTART;VALUE=DATE:20261201|SUMMARY:Off", "DTSTART;TZID=Europe/London:20261201T000000|DURATION:P2D|RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"))
	f.Add([]byte("BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART:20261201T000000\nRRULE:FREQ=MONTHLY;BYDAY=5FR;INTERVAL=0\nEND:VEVENT\nEND:VCALENDAR"))
	f.Fuzz(func(t *testing.T, data []byte) {
		got, _, err := ReadDaysOff(t.Context(), data, time.UTC, day.NewDate(2026, 11, 24), day.NewDate(2027, 11, 24))
		if err == nil {
			for _, d := range got {
				if d.To < d.From || d.To < day.NewDate(2026, 11, 24) || d.From > day.NewDate(2027, 11, 24) {
					t.Errorf("%+v", d)
				}
			}
		}
	})
}
