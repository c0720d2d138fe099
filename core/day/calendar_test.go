package day

import (
	"math/rand/v2"
	"strings"
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

// Bank holidays in England and Wales as published by the government for 2025 and
// 2026, federal holidays of the United States as published by its Office of
// Personnel Management for 2025 and 2026, public holidays of France as its service
// public lists them for 2025 and 2026, and those of all of Germany for 2024 and 2025
// by the laws of its states: Easter, on which most of these hang, moves (all from
// memory; Easter Sunday is 31 March 2024, 20 April 2025 and 5 April 2026).
func TestHolidaysAgreeWithPublishedTables(t *testing.T) {
	for _, x := range []struct {
		country string
		year    int
		want    string
	}{
		{"gb", 2025, "01-01 04-18 04-21 05-05 05-26 08-25 12-25 12-26"},
		{"gb", 2026, "01-01 04-03 04-06 05-04 05-25 08-31 12-25 12-28"},
		{"us", 2025, "01-01 01-20 02-17 05-26 06-19 07-04 09-01 10-13 11-11 11-27 12-25"},
		{"us", 2026, "01-01 01-19 02-16 05-25 06-19 07-03 09-07 10-12 11-11 11-26 12-25"},
		{"fr", 2025, "01-01 04-21 05-01 05-08 05-29 06-09 07-14 08-15 11-01 11-11 12-25"},
		{"fr", 2026, "01-01 04-06 05-01 05-08 05-14 05-25 07-14 08-15 11-01 11-11 12-25"},
		{"de", 2024, "01-01 03-29 04-01 05-01 05-09 05-20 10-03 12-25 12-26"},
		{"de", 2025, "01-01 04-18 04-21 05-01 05-29 06-09 10-03 12-25 12-26"},
	} {
		days, err := Holidays(x.country, x.year, x.year)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, h := range days {
			if s := h.Date.Format("01-02"); (x.country == "fr" || x.country == "de" || MondayToFriday[h.Date.Weekday()]) && (len(got) == 0 || got[len(got)-1] != s) {
				got = append(got, s)
			}
		}
		if strings.Join(got, " ") != x.want {
			t.Errorf("%s %d: %v, want %s", x.country, x.year, got, x.want)
		}
	}
	if _, err := Holidays("zz", 2026, 2026); err == nil {
		t.Error("an unknown country has no error")
	}
}

// The table of week dates around year ends that accompanies ISO 8601 in most
// descriptions of it (from memory): the first week is the one with the year's
// first Thursday.
func TestWeeksAreThoseOfTheStandard(t *testing.T) {
	for date, want := range map[string][2]int{
		"2005-01-01": {2004, 53}, "2005-01-02": {2004, 53}, "2005-12-31": {2005, 52}, "2006-01-01": {2005, 52}, "2006-01-02": {2006, 1},
		"2006-12-31": {2006, 52}, "2007-01-01": {2007, 1}, "2007-12-30": {2007, 52}, "2007-12-31": {2008, 1}, "2008-01-01": {2008, 1},
		"2008-12-28": {2008, 52}, "2008-12-29": {2009, 1}, "2009-01-01": {2009, 1}, "2009-12-31": {2009, 53}, "2010-01-03": {2009, 53}, "2010-01-04": {2010, 1},
	} {
		if y, w := d(date).Week(); y != want[0] || w != want[1] {
			t.Errorf("%s lies in week %d of %d, want %d of %d", date, w, y, want[1], want[0])
		}
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

// The recurrence rules that RFC 5545, section 3.8.5.3, gives as examples and that
// a publication might keep, each with the dates given there. All begin on the date
// given, at nine in New York.
func TestSlotsFollowTheStandardsExamples(t *testing.T) {
	ny, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct{ rule, start, want string }{
		{"FREQ=DAILY;COUNT=10", "1997-09-02", "09-02 09-03 09-04 09-05 09-06 09-07 09-08 09-09 09-10 09-11"},
		{"FREQ=DAILY;INTERVAL=10;COUNT=5", "1997-09-02", "09-02 09-12 09-22 10-02 10-12"},
		{"FREQ=WEEKLY;COUNT=10", "1997-09-02", "09-02 09-09 09-16 09-23 09-30 10-07 10-14 10-21 10-28 11-04"},
		{"FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH", "1997-09-02", "09-02 09-04 09-09 09-11 09-16 09-18 09-23 09-25 09-30 10-02"},
		{"FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH", "1997-09-02", "09-02 09-04 09-16 09-18 09-30 10-02 10-14 10-16"},
		{"FREQ=MONTHLY;COUNT=10;BYDAY=1FR", "1997-09-05", "09-05 10-03 11-07 12-05"},
		{"FREQ=MONTHLY;COUNT=6;BYDAY=-2MO", "1997-09-22", "09-22 10-20 11-17 12-22"},
		{"FREQ=MONTHLY;BYMONTHDAY=-3", "1997-09-28", "09-28 10-29 11-28 12-29"},
		{"FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15", "1997-09-02", "09-02 09-15 10-02 10-15 11-02 11-15 12-02 12-15"},
		{"FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", "1997-09-04", "09-04 10-07 11-06"},
		{"FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13", "1997-09-02", ""},
		{"FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", "1997-08-05", "08-05 08-10 08-19 08-24"},
		{"FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", "1997-08-05", "08-05 08-17 08-19 08-31"},
	} {
		s := Slot{Rule: x.rule, Start: d(x.start), At: 540}
		if err := s.Check(); err != nil {
			t.Fatal(err)
		}
		dates, err := s.Dates(d("1997-01-01"), d("1997-12-31"))
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, x := range dates {
			got = append(got, x.Format("01-02"))
		}
		if strings.Join(got, " ") != x.want {
			t.Errorf("%s: %v, want %s", x.rule, got, x.want)
		}
		times, err := s.Times(Wall(d("1997-01-01"), 0, ny), Wall(d("1998-01-01"), 0, ny), ny)
		if err != nil || len(times) != len(dates) {
			t.Fatal(len(times), err)
		}
		for i, m := range times {
			if at := m.In(ny); at.Format("01-02 15:04") != got[i]+" 09:00" {
				t.Errorf("%s: %v", x.rule, at)
			}
		}
	}
}

// A slot in the hour that the spring change skips goes out as late after midnight
// as on other days, one that the autumn change repeats goes out once, the first time.
func TestSlotsInTheHourOfAChange(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	s := Slot{Rule: "FREQ=DAILY", Start: d("2026-01-01"), At: 90}
	for around, want := range map[string]string{
		"2026-03-28": "28 01:30 GMT, 29 02:30 BST, 30 01:30 BST", "2026-10-24": "24 01:30 BST, 25 01:30 BST, 26 01:30 GMT",
	} {
		from := Wall(d(around), 0, london)
		times, err := s.Times(from, Wall(d(around)+3, 0, london), london)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, m := range times {
			got = append(got, m.In(london).Format("2 15:04 MST"))
		}
		if strings.Join(got, ", ") != want {
			t.Errorf("around %s: %v, want %s", around, got, want)
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

func FuzzAdvanceAndRetreat(f *testing.F) {
	f.Add(int16(0), uint8(5), uint8(0b0111110), uint8(0b0011110), int16(3), uint8(9))
	f.Fuzz(func(t *testing.T, at int16, days, desk, own uint8, away int16, length uint8) {
		var week, mine Weekdays
		for i := range week {
			week[i], mine[i] = desk>>i&1 == 1, own>>i&1 == 1
		}
		c := NewCalendar(week, []Date{20_000, 20_003})
		p := c.For(mine, []Span{{Date(20_000 + int(away)), Date(20_000 + int(away) + int(length))}})
		if c.Empty() || p.Empty() {
			return
		}
		s := c.Start(Date(20_000 + int(at)))
		e := c.Advance(s, int(days), p)
		back := c.Retreat(e, int(days), p)
		if e < s || back < s || c.Advance(back, int(days), p) != e {
			t.Fatalf("from %d over %d days to %d and back to %d", s, days, e, back)
		}
		if l := c.Retreat(s, int(days), p); c.Advance(l, int(days), p) > s {
			t.Fatalf("begun at %d, %d days do not end by %d", l, days, s)
		}
	})
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
