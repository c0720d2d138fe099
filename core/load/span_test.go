package load

import (
	"math/rand/v2"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Over any days, the spans of a sheet add up to all of it, and a day has as many works as
// put something on it.
func TestSpansAndCountsAddUp(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	const today = day.Date(20_781)
	cal := day.NewCalendar(day.MondayToFriday, nil)
	for range 100 {
		people := []Person{{ID: 1, Days: cal, Minutes: [7]int{0, 360, 360, 360, 360, 360, 0}}, {ID: 2, Days: cal, Minutes: [7]int{0, 240, 240, 0, 240, 240, 0}}}
		var works []Work
		for range r.IntN(12) {
			from := today + day.Date(r.IntN(20)-5)
			works = append(works, Work{Person: ref.Person(1 + r.IntN(3)), Minutes: r.IntN(900), From: from, Due: from + day.Date(r.IntN(9))})
		}
		to := today + 60
		s := Add(people, works, today, to)
		counts := Counts(people, works, today, to)
		for i := range people {
			p := &people[i]
			cut := today + day.Date(r.IntN(60))
			a, b, all := s.Span(p, today, cut), s.Span(p, cut+1, to), s.Span(p, today, to)
			if a.Minutes+b.Minutes != all.Minutes || a.Works+b.Works != all.Works || a.Over+b.Over != all.Over || all.Minutes != s.Total(p.ID)-s.Beyond[p.ID] {
				t.Fatalf("%+v and %+v are not %+v", a, b, all)
			}
			for k, n := range counts[p.ID] {
				if (n > 0) != (s.At(p.ID, today+day.Date(k)) > 0) {
					t.Fatalf("%d works on a day with %d minutes", n, s.At(p.ID, today+day.Date(k)))
				}
			}
		}
	}
}
