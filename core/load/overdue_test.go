package load

import (
	"math/rand/v2"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// On a Saturday nobody could be found for what was due on Friday, since only Saturday was
// counted. Whoever works again on Monday is; whoever is away until the week after is not.
func TestSomebodyIsFoundOnADayOffForWhatIsOverdue(t *testing.T) {
	friday, err := day.ParseDate("2026-11-27")
	if err != nil {
		t.Fatal(err)
	}
	cal := day.NewCalendar(day.MondayToFriday, nil)
	o := Open{Work: Work{Desk: 1, Minutes: 60, From: friday - 3, Due: friday}, Role: "editor"}
	people := []Person{
		{ID: 1, Name: "There", Roles: []string{"editor"}, Desks: []ref.Desk{1}, Days: cal},
		{ID: 2, Name: "Away", Roles: []string{"editor"}, Desks: []ref.Desk{1}, Days: cal.For(day.MondayToFriday, []day.Span{{From: friday + 3, To: friday + 7}})},
	}
	for i := range people {
		people[i].Minutes = [7]int{0, 480, 480, 480, 480, 480, 0}
	}
	got := Suggest(o, people, Add(people, nil, friday+1, friday+30), friday+1)
	if len(got) != 1 || got[0].Person != 1 || got[0].Over != 0 || got[0].Days != 1 {
		t.Errorf("on Saturday there are %v", got)
	}
}

// Who could run a leg is worked out day by day.
func TestWhoCouldRunALegAgreesWithALookAtEachDay(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 6))
	for range 20_000 {
		var week day.Weekdays
		for i := range week {
			week[i] = r.IntN(3) > 0
		}
		desk := day.NewCalendar(day.MondayToFriday, []day.Date{day.Date(20_800 + r.IntN(20))})
		away := day.Span{From: day.Date(20_790 + r.IntN(30))}
		away.To = away.From + day.Date(r.IntN(20))
		p := Person{ID: 1, Roles: []string{"x"}, Desks: []ref.Desk{1}, Days: desk.For(week, []day.Span{away})}
		today := day.Date(20_795 + r.IntN(20))
		o := Open{Work: Work{Desk: 1, From: today - 10 + day.Date(r.IntN(20)), Due: today - 10 + day.Date(r.IntN(25))}, Role: "x"}
		from := max(today, o.From)
		until, works := max(from, o.Due), false
		if o.Due < today {
			until = from + 6
		}
		for d := from; d <= until; d++ {
			works = works || desk.Working(d) && week[d.Weekday()] && (d < away.From || d > away.To)
		}
		if got := p.CouldRun(&o, today); got != works {
			t.Fatalf("%v from %s to %s, today %s, away %s to %s: %v", week, o.From, o.Due, today, away.From, away.To, got)
		}
	}
}
