package bring

import (
	"maps"
	"slices"
	"testing"
	"time"

	"greenbaton/core/day"
)

func TestColumnsAreGuessedByWhatTheyAreCalled(t *testing.T) {
	for _, x := range []struct {
		kind   Kind
		header []string
		want   Map
	}{
		{Ideas, []string{"Title", "Notes", "Tags"}, Map{"title": 0, "notes": 1, "tags": 2}},
		{Ideas, []string{"No", "Working title", "Who", "Avg. monthly searches"}, Map{"title": 1, "origin": 2, "volume": 3}},
		{Ideas, []string{"", "What we could do"}, Map{"title": 1}},
		{Phrases, []string{"Search term", "Volume", "Difficulty"}, Map{"phrase": 0, "volume": 1, "difficulty": 2}},
		{Lineup, []string{"Publish date", "Headline", "Type", "Editor", "Words"}, Map{"day": 0, "title": 1, "format": 2, "owner": 3, "from": 4}},
		{Lineup, []string{"TITLE", "Planned publication date", "Channel", "Title"}, Map{"title": 0, "day": 1, "channel": 2}},
		{Lineup, nil, Map{}},
	} {
		if got := Guess(x.kind, x.header); !maps.Equal(got, x.want) {
			t.Errorf("%v as %s: %v, want %v", x.header, x.kind, got, x.want)
		}
	}
	r := Map{"title": 1, "notes": 5, "tags": -1}.Read([]string{"1", "  Rye ", "x"})
	if len(r) != 1 || r["title"] != "Rye" {
		t.Errorf("read %v", r)
	}
}

// The first eight are the representations of ISO 8601-1:2019 (calendar date 5.2.2, week
// date 5.2.4, ordinal date 5.2.3; basic and extended), with the standard's own example
// 12 April 1985, from memory.
func TestDatesAreReadAsTheyAreWritten(t *testing.T) {
	april, dec := day.NewDate(1985, time.April, 12), day.NewDate(2026, time.December, 3)
	for _, x := range []struct {
		s    string
		o    Order
		want day.Date
	}{
		{"1985-04-12", MonthFirst, april}, {"19850412", DayFirst, april}, {"1985-W15-5", DayFirst, april}, {"1985W155", DayFirst, april}, {"1985-102", DayFirst, april},
		{"1985-04-12T10:15:30Z", DayFirst, april}, {"2026-W53-5", DayFirst, day.NewDate(2027, time.January, 1)}, {"2024-366", DayFirst, day.NewDate(2024, time.December, 31)},
		{"3.12.2026", DayFirst, dec}, {"03/12/26", DayFirst, dec}, {"12/3/2026", MonthFirst, dec}, {"26-12-03", YearFirst, dec}, {"2026/12/3", DayFirst, dec},
		{"3 Dec 2026", MonthFirst, dec}, {"Thu 3 December 2026", MonthFirst, dec}, {"December 3rd, 2026", DayFirst, dec}, {"3-Dec-26", DayFirst, dec}, {"Thursday, Dec. 3, 2026", DayFirst, dec}, {"3. Sept. 2026", DayFirst, day.NewDate(2026, time.September, 3)},
		{"46359", DayFirst, dec}, {"46359.333", DayFirst, dec}, {"61", DayFirst, 0}, // the serial number of 3 December 2026
		{"2026-02-29", DayFirst, 0}, {"31/4/2026", DayFirst, 0}, {"12/13/2026", DayFirst, 0}, {"2026-W54-1", DayFirst, 0}, {"2025-366", DayFirst, 0}, {"2025-000", DayFirst, 0}, {"soon", DayFirst, 0}, {"3 Foo 2026", DayFirst, 0}, {"3 Decem 2026", DayFirst, dec}, {"", DayFirst, 0}, {"1/2/333", DayFirst, 0}, {"0/0/2026", DayFirst, 0},
	} {
		got, err := Date(x.s, x.o)
		if got != x.want || (err == nil) != (x.want != 0) {
			t.Errorf("%q as %s: %s, %v, want %s", x.s, x.o, got, err, x.want)
		}
	}
}

// What time.Parse reads as a date of RFC 3339 is read the same, over three centuries of days.
func TestEveryDayWrittenAsISOReadsTheSameInEveryOrder(t *testing.T) {
	for d := day.NewDate(1970, time.January, 2); d < day.NewDate(2199, time.December, 31); d += 3 {
		for _, o := range Orders {
			if got, err := Date(d.String(), o.Order); got != d || err != nil {
				t.Fatalf("%s as %s: %s, %v", d, o.Order, got, err)
			}
		}
		y, w := d.Week()
		if got, err := weekDate(y, w, (int(d.Weekday())+6)%7+1, ""); got != d || err != nil {
			t.Fatalf("week date of %s: %s, %v", d, got, err)
		}
		for o, layout := range map[Order]string{DayFirst: "2/1/2006", MonthFirst: "1-2-2006", YearFirst: "2006.1.2"} {
			if got, err := Date(d.Format(layout), o); got != d || err != nil {
				t.Fatalf("%s as %s: %s, %v", d.Format(layout), o, got, err)
			}
		}
	}
}

func TestItIsAskedInWhichOrderDatesAreOnlyWhenThatMatters(t *testing.T) {
	for _, x := range []struct {
		dates  []string
		orders []Order
		differ bool
	}{
		{[]string{"2026-12-03", ""}, []Order{DayFirst, MonthFirst, YearFirst}, false},
		{[]string{"3/12/2026", "4/12/2026"}, []Order{DayFirst, MonthFirst}, true},
		{[]string{"3/12/2026", "14/12/2026"}, []Order{DayFirst}, false},
		{[]string{"12/3/2026", "12/14/2026", "rubbish"}, []Order{MonthFirst}, false},
		{[]string{"5/5/2026"}, []Order{DayFirst, MonthFirst}, false},
		{[]string{"03-04-05"}, []Order{DayFirst, MonthFirst, YearFirst}, true},
		{[]string{"soon"}, nil, false},
	} {
		orders, differ := Reads(x.dates)
		if !slices.Equal(orders, x.orders) || differ != x.differ {
			t.Errorf("%v: %v, %v", x.dates, orders, differ)
		}
	}
}

func TestFiguresAreReadAsSpreadsheetsWriteThem(t *testing.T) {
	for s, want := range map[string]int{"2400": 2400, "2,400": 2400, "2 400": 2400, "2\u00a0400": 2400, "2400.0": 2400, "2.4k": 2400, "1,234,567": 1234567, "1,234.6": 1235, "12.5": 13, "-3": -3, "48%": 48} {
		if got, err := Whole(s); err != nil || got != want {
			t.Errorf("%q: %d, %v, want %d", s, got, err, want)
		}
	}
	for _, s := range []string{"", "many", "1e40", "NaN", "1,2,3", "+Inf", "12,5", "2.400", "1,5k"} {
		if got, err := Whole(s); err == nil {
			t.Errorf("%q is %d", s, got)
		}
	}
	for s, want := range map[string]int{"1": 1, "High": 4, "low": 2, "medium": 3} {
		if got, err := Scale(s); err != nil || got != want {
			t.Errorf("%q: %d, %v", s, got, err)
		}
	}
	if _, err := Scale("7"); err == nil {
		t.Error("7 of 5")
	}
}

func TestTimesOfDay(t *testing.T) {
	for s, want := range map[string]int{"08:00": 480, "8:00": 480, "8.30": 510, "17:30:00": 1050, "8 am": 480, "12 am": 0, "12 pm": 720, "5:15 PM": 1035, "0.3333333": 480, "0": 0} {
		if got, err := Clock(s); err != nil || got != want {
			t.Errorf("%q: %d, %v, want %d", s, got, err, want)
		}
	}
	for _, s := range []string{"", "noon", "25:00", "13 pm", "8"} {
		if got, err := Clock(s); err == nil {
			t.Errorf("%q is %d", s, got)
		}
	}
}

func FuzzDate(f *testing.F) {
	for _, s := range []string{"2026-12-03", "3/12/26", "3 Dec 2026", "2026-W53-5", "46359", "1985-102"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, o := range Orders {
			d, err := Date(s, o.Order)
			if err == nil && (d.Year() < 1970 || d.Year() > 2199) {
				t.Errorf("%q is %s", s, d)
			}
		}
		Clock(s)
		Whole(s)
	})
}
