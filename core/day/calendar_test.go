package day

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/rickar/cal/v2"
)

func d(s string) Date {
	x, err := ParseDate(s)
	if err != nil {
		panic(err)
	}
	return x
}

// naive is a calendar that walks day by day, to compare with.
type naive struct {
	week Weekdays
	off  map[Date]bool
}

func (n naive) working(x Date) bool { return n.week[x.Weekday()] && !n.off[x] }

func (n naive) count(from, to Date) int {
	c := 0
	for x := from; x < to; x++ {
		if n.working(x) {
			c++
		}
	}
	return c
}

func randomCalendar(r *rand.Rand) (*Calendar, naive) {
	n := naive{off: map[Date]bool{}}
	for n.week == (Weekdays{}) {
		for i := range n.week {
			n.week[i] = r.IntN(3) > 0
		}
	}
	var off []Date
	for range r.IntN(40) {
		x := Date(20_000 + r.IntN(400))
		off, n.off[x] = append(off, x), true
	}
	return NewCalendar(n.week, off), n
}

func TestCalendarAgreesWithWalkingDayByDay(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		c, n := randomCalendar(r)
		base := Date(19_990)
		for range 20 {
			x := base + Date(r.IntN(450))
			if c.Working(x) != n.working(x) {
				t.Fatalf("working %v: %v", x, c.Working(x))
			}
			if got, want := int(c.Start(x)-c.Start(base)), n.count(base, x); got != want {
				t.Fatalf("boundaries between %v and %v: %d, want %d", base, x, got, want)
			}
			if k := c.Start(x); n.working(x) && (c.Day(k) != x || c.Due(k+1) != x || c.End(x) != k+1) {
				t.Fatalf("day of boundary %d is %v, want %v", k, c.Day(k), x)
			}
		}
	}
}

func TestRetreatInvertsAdvance(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 500 {
		c, _ := randomCalendar(r)
		var w Weekdays
		for i := range w {
			w[i] = r.IntN(3) > 0
		}
		from := Date(20_000 + r.IntN(300))
		p := c.For(w, []Span{{from, from + Date(r.IntN(30))}})
		s, days := c.Start(Date(20_000+r.IntN(400))), r.IntN(15)
		e := c.Advance(s, days, p)
		if p.Empty() {
			if days > 0 && e != Never {
				t.Fatal("somebody who never works came to an end")
			}
			continue
		}
		back := c.Retreat(e, days, p)
		if back < s || c.Advance(back, days, p) != e {
			t.Fatalf("advance(%d, %d) = %d, retreat gives %d", s, days, e, back)
		}
		if got := int(p.Start(c.Day(e)) - p.Start(c.Day(s))); days > 0 && got != days {
			t.Fatalf("%d of the holder's days pass, want %d", got, days)
		}
		for k := p.Start(from); k < p.Start(from)+3; k++ { // no day of theirs is a day off
			if x := p.Day(k); !c.Working(x) || !p.Working(x) {
				t.Fatalf("%v is not worked", x)
			}
		}
	}
}

// The examples in the published documentation of the spreadsheet functions
// NETWORKDAYS and WORKDAY, which OASIS OpenFormula 1.2 standardises (values
// from memory). NETWORKDAYS counts both ends, WORKDAY starts after the first day.
func TestWorkingDaysAgreeWithPublishedExamples(t *testing.T) {
	for _, x := range []struct {
		from, to string
		off      []Date
		want     int
	}{
		{"2012-10-01", "2013-03-01", nil, 110},
		{"2012-10-01", "2013-03-01", []Date{d("2012-11-22")}, 109},
		{"2012-10-01", "2013-03-01", []Date{d("2012-11-22"), d("2012-12-04"), d("2013-01-21")}, 107},
	} {
		if got := NewCalendar(MondayToFriday, x.off).Count(d(x.from), d(x.to)+1); got != x.want {
			t.Errorf("%s to %s: %d working days, want %d", x.from, x.to, got, x.want)
		}
	}
	for _, x := range []struct {
		off  []Date
		want string
	}{{nil, "2009-04-30"}, {[]Date{d("2008-11-26"), d("2008-12-04"), d("2009-01-21")}, "2009-05-05"}} {
		c := NewCalendar(MondayToFriday, x.off)
		if got := c.Due(c.Advance(c.End(d("2008-10-01")), 151, nil)); got != d(x.want) {
			t.Errorf("151 working days after 1 October 2008: %v, want %s", got, x.want)
		}
	}
}

// The general library cal counts working days its own way, by walking.
func TestWorkingDaysAgreeWithALibrary(t *testing.T) {
	days, err := Holidays("gb", 2020, 2035)
	if err != nil {
		t.Fatal(err)
	}
	var off []Date
	for _, h := range days {
		off = append(off, h.Date)
	}
	c := NewCalendar(MondayToFriday, off)
	lib := cal.NewBusinessCalendar()
	lib.AddHoliday(countries["gb"].days...)
	r := rand.New(rand.NewPCG(5, 6))
	for range 200 {
		from := NewDate(2020, 3, 1) + Date(r.IntN(5000))
		n := 1 + r.IntN(60)
		want := NewDate(lib.WorkdaysFrom(from.utc(), n).Date())
		if got := c.Due(c.Advance(c.End(from), n, nil)); got != want {
			t.Fatalf("%d working days after %v: %v, the library says %v", n, from, got, want)
		}
	}
}

// Bank holidays in England and Wales as published by the government for 2025
// and 2026, federal holidays of the United States as published by its Office of
// Personnel Management for 2026 (both from memory).
func TestHolidaysAgreeWithPublishedTables(t *testing.T) {
	for _, x := range []struct {
		country string
		year    int
		want    []string
	}{
		{"gb", 2025, []string{"2025-01-01", "2025-04-18", "2025-04-21", "2025-05-05", "2025-05-26", "2025-08-25", "2025-12-25", "2025-12-26"}},
		{"gb", 2026, []string{"2026-01-01", "2026-04-03", "2026-04-06", "2026-05-04", "2026-05-25", "2026-08-31", "2026-12-25", "2026-12-28"}},
		{"us", 2026, []string{"2026-01-01", "2026-01-19", "2026-02-16", "2026-05-25", "2026-06-19", "2026-07-03", "2026-09-07", "2026-10-12", "2026-11-11", "2026-11-26", "2026-12-25"}},
	} {
		got, err := Holidays(x.country, x.year, x.year)
		if err != nil {
			t.Fatal(err)
		}
		if len(got) != len(x.want) {
			t.Errorf("%s %d: %d days, want %d: %v", x.country, x.year, len(got), len(x.want), got)
			continue
		}
		for i := range got {
			if got[i].Date != d(x.want[i]) {
				t.Errorf("%s %d: %v, want %s", x.country, x.year, got[i], x.want[i])
			}
		}
	}
	if _, err := Holidays("zz", 2026, 2026); err == nil {
		t.Error("an unknown country has no error")
	}
}

// The two times in RFC 5545, section 3.3.5, that a change of the clocks makes
// doubtful, and an ordinary one.
func TestWallReadsDoubtfulTimesAsTheStandardSays(t *testing.T) {
	ny, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct {
		day     string
		minutes int
		want    time.Time
	}{
		{"2007-11-04", 90, time.Date(2007, 11, 4, 5, 30, 0, 0, time.UTC)},
		{"2007-03-11", 150, time.Date(2007, 3, 11, 7, 30, 0, 0, time.UTC)},
		{"2007-07-04", 480, time.Date(2007, 7, 4, 12, 0, 0, 0, time.UTC)},
	} {
		if got := Wall(d(x.day), x.minutes, ny); got != MomentOf(x.want) {
			t.Errorf("%s %d: %v, want %v", x.day, x.minutes, got.In(time.UTC), x.want)
		}
	}
}

// RFC 5545, section 3.8.5.3: every other week on Tuesday and Thursday, 8 times.
func TestSlotsFollowTheStandardsExample(t *testing.T) {
	s := Slot{Rule: "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH", Start: d("1997-09-02"), At: 540}
	got, err := s.Dates(d("1997-01-01"), d("1998-01-01"))
	if err != nil {
		t.Fatal(err)
	}
	want := []string{"1997-09-02", "1997-09-04", "1997-09-16", "1997-09-18", "1997-09-30", "1997-10-02", "1997-10-14", "1997-10-16"}
	if len(got) != len(want) {
		t.Fatalf("%v, want %v", got, want)
	}
	for i := range got {
		if got[i] != d(want[i]) {
			t.Errorf("%v, want %s", got[i], want[i])
		}
	}
}

func TestSlotsKeepTheirWallClockOverBothChanges(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	s := Slot{Rule: "FREQ=DAILY", Start: d("2026-03-01"), At: 8 * 60}
	for _, around := range []string{"2026-03-27", "2026-10-23"} {
		from := Wall(d(around), 0, london)
		times, err := s.Times(from, from+5*86400, london)
		if err != nil || len(times) != 5 {
			t.Fatal(len(times), err)
		}
		for _, m := range times {
			if m.In(london).Format("15:04") != "08:00" {
				t.Errorf("%v is not at eight", m.In(london))
			}
		}
	}
	for _, bad := range []Slot{{Rule: "FREQ=SOMETIMES", Start: 1}, {Rule: "FREQ=DAILY", Start: 1, At: 24 * 60}} {
		if bad.Check() == nil {
			t.Errorf("%v is accepted", bad)
		}
	}
}

func FuzzParseDate(f *testing.F) {
	f.Add("2026-11-24")
	f.Add("")
	f.Fuzz(func(t *testing.T, s string) {
		x, err := ParseDate(s)
		if err == nil && x != 0 && x.String() != s {
			t.Errorf("%q reads as %v", s, x)
		}
	})
}

func BenchmarkAdvance1000Days(b *testing.B) {
	days, err := Holidays("gb", 2000, 2080)
	if err != nil {
		b.Fatal(err)
	}
	var off []Date
	for _, h := range days {
		off = append(off, h.Date)
	}
	c := NewCalendar(MondayToFriday, off)
	p := c.For(Weekdays{false, true, true, true, true}, []Span{{d("2026-12-01"), d("2026-12-10")}})
	s := c.Start(d("2026-11-24"))
	b.ReportAllocs()
	for b.Loop() {
		c.Advance(s, 1000, p)
	}
}
