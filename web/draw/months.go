package draw

import "greenbaton/core/day"

// Months places days on a line on which each month is as wide as another.
type Months struct {
	First day.Date // of a month
	N     int      // months
	Wide  float64  // how wide the line is drawn
}

// X gives where a day stands; what lies beside the line lies beside it here too.
func (m Months) X(d day.Date) float64 {
	start := d.MonthStart()
	n := (d.Year()-m.First.Year())*12 + int(d.Month()) - int(m.First.Month())
	return (float64(n) + float64(d-start)/float64(start.AddMonths(1)-start)) / float64(m.N) * m.Wide
}

// Last gives the last day of the line.
func (m Months) Last() day.Date { return m.First.AddMonths(m.N) - 1 }
