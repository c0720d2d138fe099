package setup

import (
	"cmp"
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// ComingHolidays gives the next days off on days of the week that a desk works, its own
// and its country's.
func (h Room) ComingHolidays(ctx context.Context, desk ref.Desk, n int) ([]day.Holiday, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	today := h.Now().Date(b.Zones[desk])
	all, err := day.Holidays(b.Desk(desk).Country, today.Year(), today.Year()+2)
	if err != nil {
		return nil, err
	}
	for _, x := range b.Holidays {
		if x.DeskID == desk {
			all = append(all, day.Holiday{Date: x.Date, Name: x.Name})
		}
	}
	week := b.Desk(desk).Week()
	all = slices.DeleteFunc(all, func(x day.Holiday) bool { return x.Date < today || !week[x.Date.Weekday()] })
	slices.SortStableFunc(all, func(x, y day.Holiday) int { return cmp.Compare(x.Date, y.Date) })
	return all[:min(n, len(all))], nil
}
