package regular

import (
	"compress/gzip"
	"encoding/json"
	"errors"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
)

func date(t *testing.T, s string) day.Date {
	t.Helper()
	d, err := day.ParseDate(s)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func days(names ...string) (w day.Weekdays) {
	for _, n := range names {
		w[slices.Index(code[:], n)] = true
	}
	return w
}

func on(all []Comes) string {
	var out []string
	for _, c := range all {
		if !c.Out {
			out = append(out, c.On.String())
		}
	}
	return strings.Join(out, " ")
}

// Days of rules in the examples of RFC 5545, section 3.8.5.3, which begin on 2 September 1997
// unless they say otherwise.
func TestDaysAreThoseOfTheStandardsExamples(t *testing.T) {
	from := date(t, "1997-09-02")
	for _, x := range []struct {
		says string
		rule Rule
		to   string
		want string
	}{
		{"Weekly until December 24, 1997", Rule{Kind: Weekly, Every: 1, Days: days("TU"), From: from, To: date(t, "1997-12-24")}, "1998-12-31",
			"1997-09-02 1997-09-09 1997-09-16 1997-09-23 1997-09-30 1997-10-07 1997-10-14 1997-10-21 1997-10-28 1997-11-04 1997-11-11 1997-11-18 1997-11-25 1997-12-02 1997-12-09 1997-12-16 1997-12-23"},
		{"Every other week - forever", Rule{Kind: Weekly, Every: 2, Days: days("TU"), From: from}, "1998-02-17",
			"1997-09-02 1997-09-16 1997-09-30 1997-10-14 1997-10-28 1997-11-11 1997-11-25 1997-12-09 1997-12-23 1998-01-06 1998-01-20 1998-02-03 1998-02-17"},
		{"Weekly on Tuesday and Thursday for five weeks", Rule{Kind: Weekly, Every: 1, Days: days("TU", "TH"), From: from, To: date(t, "1997-10-06")}, "1998-01-01",
			"1997-09-02 1997-09-04 1997-09-09 1997-09-11 1997-09-16 1997-09-18 1997-09-23 1997-09-25 1997-09-30 1997-10-02"},
		{"Every other week on Monday, Wednesday, and Friday until December 24, 1997, starting on Monday, September 1, 1997",
			Rule{Kind: Weekly, Every: 2, Days: days("MO", "WE", "FR"), From: date(t, "1997-09-01"), To: date(t, "1997-12-24")}, "1998-01-01",
			"1997-09-01 1997-09-03 1997-09-05 1997-09-15 1997-09-17 1997-09-19 1997-09-29 1997-10-01 1997-10-03 1997-10-13 1997-10-15 1997-10-17 1997-10-27 1997-10-29 1997-10-31 1997-11-10 1997-11-12 1997-11-14 1997-11-24 1997-11-26 1997-11-28 1997-12-08 1997-12-10 1997-12-12 1997-12-22 1997-12-24"},
		{"Every other week on Tuesday and Thursday, for 8 occurrences", Rule{Kind: Weekly, Every: 2, Days: days("TU", "TH"), From: from}, "1997-10-16",
			"1997-09-02 1997-09-04 1997-09-16 1997-09-18 1997-09-30 1997-10-02 1997-10-14 1997-10-16"},
		{"Monthly on the first Friday for 10 occurrences", Rule{Kind: Nth, Every: 1, Nth: 1, Weekday: time.Friday, From: date(t, "1997-09-05")}, "1998-06-05",
			"1997-09-05 1997-10-03 1997-11-07 1997-12-05 1998-01-02 1998-02-06 1998-03-06 1998-04-03 1998-05-01 1998-06-05"},
		{"Monthly on the second-to-last day is not for us; every 18 months on the 10th, of the 10th thru 15th", Rule{Kind: Monthly, Every: 18, Day: 10, From: date(t, "1997-09-10")}, "2003-09-10",
			"1997-09-10 1999-03-10 2000-09-10 2002-03-10 2003-09-10"},
		{"An example where an invalid date (i.e., February 30) is ignored, of the 15th and 30th", Rule{Kind: Monthly, Every: 1, Day: 30, Short: LeftOut, From: date(t, "2007-01-15")}, "2007-03-30",
			"2007-01-30 2007-03-30"},
		{"Monthly on the last day, of the first and last day", Rule{Kind: Monthly, Every: 1, Day: 31, From: date(t, "1997-09-30")}, "1998-02-28",
			"1997-09-30 1997-10-31 1997-11-30 1997-12-31 1998-01-31 1998-02-28"},
	} {
		if err := x.rule.Check(); err != nil {
			t.Errorf("%s: %v", x.says, err)
		}
		if got := on(x.rule.Between(x.rule.From, date(t, x.to), day.Free{})); got != x.want {
			t.Errorf("%s (%s):\ngot  %s\nwant %s", x.says, x.rule.RRULE(), got, x.want)
		}
	}
}

// 400 rules, some of them over leap days and short months, as python-dateutil 2.9.0 works them
// out (testdata/dates.py).
func TestDaysAreThoseOfAnotherLibrary(t *testing.T) {
	f, err := os.Open("testdata/dateutil.json.gz")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	var all []struct {
		Kind     Kind
		Every    int
		Days     []string
		Day, Nth int
		Short    Short
		Weekday  time.Weekday
		From, To day.Date
		Dates    []string
	}
	if err := json.NewDecoder(z).Decode(&all); err != nil {
		t.Fatal(err)
	}
	if len(all) != 400 {
		t.Fatalf("read %d rules, want 400", len(all))
	}
	for _, x := range all {
		r := Rule{Kind: x.Kind, Every: x.Every, Days: days(x.Days...), Day: x.Day, Short: x.Short, Nth: x.Nth, Weekday: x.Weekday, From: x.From, To: x.To}
		if got, want := on(r.Between(x.From, x.To, day.Free{})), strings.Join(x.Dates, " "); got != want {
			t.Errorf("%s from %s:\ngot  %s\nwant %s", r.RRULE(), r.From, got, want)
		}
		if err := r.Check(); (err == nil) != (len(x.Dates) > 0) {
			t.Errorf("%s from %s comes on %d days, and is said to be %v", r.RRULE(), r.From, len(x.Dates), err)
		}
	}
}

// office is a desk that works Monday to Friday, with holidays.
func office(holidays ...day.Date) day.Free {
	return day.Free{Calendar: day.NewCalendar(day.Weekdays{false, true, true, true, true, true, false}, holidays), Off: func(d day.Date) bool { return slices.Contains(holidays, d) }}
}

func TestHolidays(t *testing.T) {
	friday := date(t, "2026-12-25")
	for rests, want := range map[day.Rest]string{
		day.Rests: "2026-12-18 2027-01-01", day.Anyway: "2026-12-18 2026-12-25 2027-01-01",
		day.Before: "2026-12-18 2026-12-24 2027-01-01", day.After: "2026-12-18 2026-12-28 2027-01-01",
	} {
		r := Rule{Kind: Weekly, Every: 1, Days: days("FR"), From: date(t, "2026-12-18"), Rests: rests}
		all := r.Between(r.From, date(t, "2027-01-01"), office(friday))
		if got := on(all); got != want {
			t.Errorf("%q: %s, want %s", rests, got, want)
		}
		if c := all[1]; c.Key != friday || (c.Why == ByHoliday) != (rests != day.Anyway) {
			t.Errorf("%q: the holiday is %+v", rests, c)
		}
	}
}

func TestTheLastWorkingDayKeepsItsKeyWhenAHolidayComes(t *testing.T) {
	r := Rule{Kind: Last, Every: 1, From: date(t, "2027-01-01")}
	plain := r.Between(r.From, date(t, "2027-05-31"), office())
	if got, want := on(plain), "2027-01-29 2027-02-26 2027-03-31 2027-04-30 2027-05-31"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
	with := r.Between(r.From, date(t, "2027-05-31"), office(date(t, "2027-03-31"), date(t, "2027-05-31")))
	if got, want := on(with), "2027-01-29 2027-02-26 2027-03-30 2027-04-30 2027-05-28"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
	for i := range plain {
		if plain[i].Key != with[i].Key {
			t.Errorf("%s has the key %s and, with holidays, %s", plain[i].On, plain[i].Key, with[i].Key)
		}
	}
}

func TestSingleDates(t *testing.T) {
	r := Rule{Kind: Weekly, Every: 1, Days: days("MO"), From: date(t, "2026-11-30"), To: date(t, "2026-12-31"),
		Out: []day.Date{date(t, "2026-12-07")}, Added: []day.Date{date(t, "2027-01-06"), date(t, "2026-12-14")},
		Moved: map[day.Date]day.Date{date(t, "2026-12-21"): date(t, "2026-12-17"), date(t, "2026-12-22"): date(t, "2026-12-23")}}
	all := r.Between(date(t, "2026-11-01"), date(t, "2027-12-31"), office())
	if got, want := on(all), "2026-11-30 2026-12-14 2026-12-17 2026-12-28 2027-01-06"; got != want { // 14 December comes by the rule: it is not there twice; 22 December never was
		t.Errorf("%s, want %s", got, want)
	}
	if !all[1].Out || all[1].Why != ByHand {
		t.Errorf("what was left out is %+v", all[1])
	}
	r.Added, r.Moved[date(t, "2026-12-14")] = nil, date(t, "2026-12-29") // over another of its days
	if got, want := on(r.Between(date(t, "2026-12-01"), date(t, "2026-12-31"), office())), "2026-12-17 2026-12-28 2026-12-29"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
	if got := on(r.Between(date(t, "2026-12-17"), date(t, "2026-12-17"), office())); got != "2026-12-17" {
		t.Errorf("on the day to which one was moved comes %q", got)
	}
}

func TestRulesThatCannotBe(t *testing.T) {
	good := Rule{Kind: Weekly, Every: 1, Days: days("MO"), From: date(t, "2026-11-30")}
	for _, x := range []struct {
		field  string
		change func(*Rule)
	}{
		{"from", func(r *Rule) { r.From = 0 }},
		{"to", func(r *Rule) { r.To = r.From - 1 }},
		{"to", func(r *Rule) { r.To = r.From + 51*366 }},
		{"every", func(r *Rule) { r.Every = 0 }},
		{"every", func(r *Rule) { r.Every = 61 }},
		{"days", func(r *Rule) { r.Days = day.Weekdays{} }},
		{"day", func(r *Rule) { r.Kind, r.Day = Monthly, 32 }},
		{"nth", func(r *Rule) { r.Kind, r.Nth = Nth, 5 }},
		{"kind", func(r *Rule) { r.Kind = "yearly" }},
		{"to", func(r *Rule) { r.Days, r.To = days("SU"), r.From+3 }}, // no Sunday until then
		{"to", func(r *Rule) {
			r.Kind, r.Day, r.Short, r.Every, r.From = Monthly, 30, LeftOut, 12, date(t, "2027-02-01")
		}}, // 30 February, without end
		{"add", func(r *Rule) { r.Out = make([]day.Date, 501) }},
	} {
		r := good
		x.change(&r)
		var p *Problem
		if err := r.Check(); !errors.As(err, &p) || p.Field != x.field {
			t.Errorf("%+v gives %v, want something about %s", r, err, x.field)
		}
	}
	if err := good.Check(); err != nil {
		t.Error(err)
	}
	daily := Rule{Kind: Weekly, Every: 1, Days: day.Weekdays{true, true, true, true, true, true, true}, From: date(t, "2026-01-01"), To: date(t, "2075-12-31")}
	if n := len(daily.Between(daily.From, daily.To, office())); daily.Check() != nil || n != 18262 {
		t.Errorf("daily for fifty years comes on %d days, %v", n, daily.Check())
	}
}

func TestRulesAreSaid(t *testing.T) {
	from := date(t, "2026-11-30")
	for _, x := range []struct {
		rule Rule
		want string
	}{
		{Rule{Kind: Weekly, Every: 1, Days: days("TH", "MO"), From: from}, "every Monday and Thursday, from Mon 30 Nov, without end"},
		{Rule{Kind: Weekly, Every: 2, Days: days("SU"), From: from, To: from + 60}, "Sunday of every second week, from Mon 30 Nov to Fri 29 Jan"},
		{Rule{Kind: Monthly, Every: 1, Day: 31, From: from}, "on day 31 of every month, or its last, from Mon 30 Nov, without end"},
		{Rule{Kind: Monthly, Every: 3, Day: 30, Short: LeftOut, From: from}, "on day 30 of every third month that has it, from Mon 30 Nov, without end"},
		{Rule{Kind: Nth, Every: 4, Nth: -1, Weekday: time.Tuesday, From: from}, "the last Tuesday of every 4 months, from Mon 30 Nov, without end"},
		{Rule{Kind: Last, Every: 1, From: from}, "the last working day of every month, from Mon 30 Nov, without end"},
	} {
		if got := x.rule.Say(); got != x.want {
			t.Errorf("%q, want %q", got, x.want)
		}
	}
}
