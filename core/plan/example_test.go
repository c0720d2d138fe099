package plan_test

import (
	"fmt"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
)

// Due dates are worked out backward from the day a piece goes out; the projection runs
// forward from today, and what lies between them is in hand.
func ExampleDesk_Set() {
	desk := &plan.Desk{Calendar: day.NewCalendar(day.MondayToFriday, nil), Zone: time.UTC, Margin: 1}
	today := day.NewDate(2026, time.November, 26)   // a Thursday
	goesOut := day.NewDate(2026, time.December, 10) // a Thursday too
	legs := []relay.Leg{
		{Key: "draft", Name: "Draft", Allowance: 4, State: relay.Running, StartedAt: day.Wall(today, 0, time.UTC), StartDay: today},
		{Key: "edit", Name: "Edit", Allowance: 2, After: "draft", State: relay.Waiting},
	}
	piece := relay.Piece{Stage: relay.UnderWay, GoesOut: day.Wall(goesOut, 8*60, time.UTC), Legs: desk.Set(legs, goesOut)}
	for _, l := range piece.Legs {
		fmt.Println(l.Name, "is due", l.Due.Format("Mon 2 Jan"))
	}
	fmt.Println(desk.Forward(&piece, today).InHand, "working days in hand")
	// Output:
	// Draft is due Fri 4 Dec
	// Edit is due Tue 8 Dec
	// 3 working days in hand
}
