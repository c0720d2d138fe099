package load_test

import (
	"fmt"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/load"
)

// What is left of a leg is spread evenly over the days its holder works until it is due.
func ExampleSpread() {
	thursday := day.NewDate(2026, time.November, 26)
	hollis := &load.Person{ID: 1, Name: "Hollis", Minutes: [7]int{1: 480, 2: 480, 3: 480, 4: 480, 5: 480}, Days: day.NewCalendar(day.MondayToFriday, nil)}
	work := load.Work{Person: 1, Minutes: 500, From: thursday, Due: thursday + 4}
	load.Spread(work, hollis, thursday, func(d day.Date, minutes int) {
		fmt.Println(d.Format("Mon 2 Jan"), minutes)
	})
	// Output:
	// Thu 26 Nov 167
	// Fri 27 Nov 167
	// Mon 30 Nov 166
}
