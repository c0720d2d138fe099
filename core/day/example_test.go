package day_test

import (
	"fmt"
	"time"

	"greenbaton/core/day"
)

// Working days are counted between boundaries: what takes three of them and begins on a
// Thursday is done at the end of Monday, and a holiday makes it Tuesday.
func ExampleCalendar_Advance() {
	thursday := day.NewDate(2026, time.December, 24)
	plain := day.NewCalendar(day.MondayToFriday, nil)
	christmas := day.NewCalendar(day.MondayToFriday, []day.Date{thursday + 1})
	for _, c := range []*day.Calendar{plain, christmas} {
		end := c.Advance(c.Start(thursday), 3, nil)
		fmt.Println(c.Due(end).Format("Mon 2 Jan"))
	}
	// Output:
	// Mon 28 Dec
	// Tue 29 Dec
}
