package setup

import (
	"context"
	"sort"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// ComingHolidays gives the next days off of a desk, its own and its country's.
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
	sort.SliceStable(all, func(i, k int) bool { return all[i].Date < all[k].Date })
	first := sort.Search(len(all), func(i int) bool { return all[i].Date >= today })
	return all[first:min(first+n, len(all))], nil
}
