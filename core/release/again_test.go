package release

import (
	"fmt"
	"testing"

	"greenbaton/core/day"
)

func TestWhatIsWorthTakingUpAgain(t *testing.T) {
	on := func(s string) day.Date {
		d, err := day.ParseDate(s)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	today := on("2026-11-24")
	all := []Past{
		{ID: 1, First: 1, Topic: 1, Out: on("2024-12-10")},                              // nearly two years, in season
		{ID: 2, First: 2, Topic: 1, Out: on("2026-06-01")},                              // too young, and breaks the gap of its topic less than 180 days ago
		{ID: 3, First: 3, Topic: 2, Out: on("2025-03-01")},                              // a year and more, gap in its topic
		{ID: 4, First: 4, Topic: 3, Out: on("2023-05-01")},                              // old, its topic is being worked on
		{ID: 5, First: 5, Topic: 3},                                                     // which is
		{ID: 6, First: 6, Topic: 4, Out: on("2024-12-01")}, {ID: 7, First: 6, Topic: 4}, // another edition is on its way
		{ID: 8, First: 8, Topic: 5, Out: on("2023-12-01")}, {ID: 9, First: 8, Topic: 5, Out: on("2025-11-20")}, // the edition is a year old
		{ID: 10, First: 10, Out: on("2025-11-24")}, // to the day, no topic
	}
	got := ""
	for _, w := range Again(all, today, 365) {
		got += fmt.Sprintf("%d:%d ", w.ID, w.Score)
	}
	if want := "1:5 10:3 3:3 4:3 9:3 "; got != want {
		t.Errorf("worth taking up are %s, want %s", got, want)
	}
	for _, w := range Again(all, today, 365) {
		if w.ID == 3 && fmt.Sprint(w.Why) != "[out for a year nothing on its topic for 633 days]" {
			t.Errorf("because %q", w.Why)
		}
	}
	if got := Again(all, today, 2000); got != nil {
		t.Errorf("out for more than five years are %v", got)
	}
}
