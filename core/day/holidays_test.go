package day

import (
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"
)

// Christmas Day and Boxing Day of 2021 fell on a weekend, with Monday and Tuesday in lieu
// (bank holidays in England and Wales as published by the government, from memory). Whoever
// works all seven days has all four off, a desk of Sunday to Thursday those of them it works.
func TestWhoWorksOnWeekendsHasTheDayAndTheDayInLieuOff(t *testing.T) {
	days, err := Holidays("gb", 2021, 2021)
	if err != nil {
		t.Fatal(err)
	}
	var off []Date
	for _, h := range days {
		off = append(off, h.Date)
	}
	for name, x := range map[string]struct {
		week Weekdays
		want string
	}{
		"all seven days":     {Weekdays{true, true, true, true, true, true, true}, "25 26 27 28"},
		"Sunday to Thursday": {Weekdays{true, true, true, true, true, false, false}, "26 27 28"},
		"Monday to Friday":   {MondayToFriday, "27 28"},
		"Saturdays too":      {Weekdays{false, true, true, true, true, true, true}, "25 27 28"},
	} {
		c := NewCalendar(x.week, off)
		var got []string
		for d := NewDate(2021, 12, 25); d <= NewDate(2021, 12, 28); d++ {
			if x.week[d.Weekday()] && !c.Working(d) {
				got = append(got, d.Format("2"))
			}
		}
		if strings.Join(got, " ") != x.want {
			t.Errorf("who works %s has %s off, want %s", name, got, x.want)
		}
	}
	us, err := Holidays("us", 2021, 2021)
	if err != nil {
		t.Fatal(err)
	}
	if last := us[len(us)-1]; last.Date != NewDate(2021, 12, 31) || last.Name != "New Year's Day, day in lieu" {
		t.Errorf("the last of 2021 is %v", last)
	}
}

// Day by day: a day is off if a holiday is on it, or a day in lieu of one, whichever year the
// holiday belongs to, and whatever week is worked.
func TestDaysOffAgreeWithALookAtEachDay(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 7))
	all := Countries()
	if len(all) < 50 {
		t.Errorf("the holidays of %d countries are known", len(all))
	}
	for range 20_000 / 40 {
		code := all[r.IntN(len(all))].Code
		country := countries[code]
		year := 2000 + r.IntN(80)
		days, err := Holidays(code, year, year)
		if err != nil {
			t.Fatal(err)
		}
		var week Weekdays
		for i := range week {
			week[i] = r.IntN(3) > 0
		}
		var off []Date
		for _, h := range days {
			off = append(off, h.Date)
		}
		c := NewCalendar(week, off)
		for range 40 {
			d := NewDate(year, 1, 1) + Date(r.IntN(365))
			want := week[d.Weekday()]
			for y := year - 1; y <= year+1; y++ {
				for _, h := range country.days {
					on, lieu := h.Calc(y)
					want = want && (on.IsZero() || NewDate(on.Date()) != d && NewDate(lieu.Date()) != d)
				}
			}
			if c.Working(d) != want {
				t.Fatalf("%s, %s: works is %v, want %v", code, d, c.Working(d), want)
			}
		}
	}
	if !slices.ContainsFunc(all, func(c Country) bool { return c.Code == "de-by" }) {
		t.Error("no Bavaria")
	}
}

// A slot that falls on a day off rests, or goes out as its channel says. Looked at day by day.
func TestSlotsRestOnDaysOff(t *testing.T) {
	christmas := NewDate(2026, 12, 25) // a Friday
	cal := NewCalendar(MondayToFriday, []Date{christmas, christmas + 3})
	free := Free{Calendar: cal, Off: func(d Date) bool { return d == christmas || d == christmas+3 }}
	s := Slot{Rule: "FREQ=WEEKLY;BYDAY=FR,SU", Start: NewDate(2026, 1, 2), At: 480}
	for rest, want := range map[Rest]string{Rests: "20 27", Anyway: "20 25 27", Before: "20 24 27", After: "20 27 29"} {
		times, err := s.TimesWith(Wall(christmas-6, 0, time.UTC), Wall(christmas+6, 0, time.UTC), time.UTC, rest, free)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, m := range times {
			got = append(got, m.Date(time.UTC).Format("2"))
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%q: it goes out on %s, want %s", rest, strings.Join(got, " "), want)
		}
	}
	r := rand.New(rand.NewPCG(17, 12))
	for range 20_000 {
		var week Weekdays
		var codes []string
		on := map[int]bool{}
		for i, code := range []string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"} {
			week[i] = r.IntN(4) > 0
			if r.IntN(3) == 0 {
				codes, on[i] = append(codes, code), true
			}
		}
		week[3] = true
		if codes == nil {
			continue
		}
		from := NewDate(2026, 1, 1) + Date(r.IntN(1000))
		off := map[Date]bool{}
		for range r.IntN(8) {
			off[from+Date(r.IntN(30))] = true
		}
		cal := NewCalendar(week, slices.Collect(maps.Keys(off)))
		rest := []Rest{Rests, Anyway, Before, After}[r.IntN(4)]
		want := map[Date]bool{}
		for d := from - 40; d <= from+60; d++ {
			if !on[int(d.Weekday())] {
				continue
			}
			at := d
			for off[d] && rest == Before && !cal.Working(at) {
				at--
			}
			for off[d] && rest == After && !cal.Working(at) {
				at++
			}
			if !off[d] || rest != Rests {
				want[at] = true
			}
		}
		times, err := Slot{Rule: "FREQ=WEEKLY;BYDAY=" + strings.Join(codes, ","), Start: NewDate(2025, 1, 1), At: 480}.TimesWith(
			Wall(from, 0, time.UTC), Wall(from+30, 0, time.UTC), time.UTC, rest, Free{Calendar: cal, Off: func(d Date) bool { return off[d] }})
		if err != nil {
			t.Fatal(err)
		}
		got := map[Date]bool{}
		for _, m := range times {
			got[m.Date(time.UTC)] = true
		}
		for d := from; d < from+30; d++ {
			if got[d] != want[d] {
				t.Fatalf("%q, %s with %v off: on %s it goes out is %v, day by day %v", rest, codes, off, d, got[d], want[d])
			}
		}
	}
}
