package planning

import (
	"cmp"
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// freeDays is over how many working days free hands are looked for, and mostFree how
// many people are shown.
const freeDays, mostFree = 5, 4

// weekSlots is in how many coming slots the open ones of the week are looked for.
const weekSlots = 60

// ahead adds to a lead's day how far ahead of the calendar the desk is, which slots
// of the week are open, and who has time.
func (h Overview) ahead(ctx context.Context, b *newsroom.Setup, board *plan.Board, d *Day, desk ref.Desk) error {
	var channels []ref.Channel
	for _, c := range b.ChannelsOf(desk) {
		channels = append(channels, c.ID)
	}
	d.Goal = b.Desk(desk).Goal
	coming := board.Runway(channels, max(d.Goal, weekSlots))
	d.Runway = coming.First(max(d.Goal, 1))
	end := d.Date + day.Date((7-int(d.Date.Weekday()))%7)
	for _, s := range coming.Slots {
		if s.Cover == plan.ByNothing && s.At.Date(b.Zones[desk]) <= end {
			d.Week = append(d.Week, WeekRow{At: s.At, Channel: s.Channel, Open: true})
		}
	}
	slices.SortStableFunc(d.Week, func(x, y WeekRow) int { return cmp.Compare(x.At, y.At) })
	open, err := At(h.Newsroom).openings(ctx, board, desk)
	if err != nil {
		return err
	}
	d.OpenLegs = len(open)
	d.Free = freeHands(b, board, desk, open)
	return nil
}

// vacancy is an open leg of a piece.
type vacancy struct {
	load.Open
	piece *relay.Piece
	leg   *relay.Leg
}

// openings gives the legs of a desk that nobody has, the most urgent first.
func (h Moves) openings(ctx context.Context, board *plan.Board, desk ref.Desk) ([]vacancy, error) {
	var out []vacancy
	for _, p := range board.Pieces {
		if p.DeskID != desk || !p.Live() {
			continue
		}
		for l := range p.Every() {
			if l.Holder == 0 && !l.Done() {
				o, err := h.Opening(ctx, board, p, l.Position)
				if err != nil {
					return nil, err
				}
				out = append(out, vacancy{o, p, l})
			}
		}
	}
	slices.SortStableFunc(out, func(x, y vacancy) int { return cmp.Compare(x.Due, y.Due) })
	return out, nil
}

// freeHands gives those of a desk who have most time in the coming days, each with
// the most urgent open leg that would not take them over.
func freeHands(b *newsroom.Setup, board *plan.Board, desk ref.Desk, open []vacancy) []FreeHands {
	house, today := b.Planned[desk], board.Today(desk)
	until := house.Calendar.Due(house.Calendar.Start(today) + freeDays)
	var people []load.Person
	for _, p := range b.OnDesk(desk) {
		if x := board.Person(p.ID); x != nil && p.Access.May(relay.RunLegs) {
			people = append(people, *x)
		}
	}
	var out []FreeHands
	free := load.FreeHands(people, legsOf(open), board.Load(), today, until)
	for _, f := range free[:min(mostFree, len(free))] {
		x := FreeHands{Person: f.Person, Minutes: f.Minutes, Until: until}
		if f.Leg >= 0 {
			x.Piece, x.Leg = open[f.Leg].piece, open[f.Leg].leg
		}
		out = append(out, x)
	}
	return out
}

// legsOf gives the most urgent open legs as load reckons with them.
func legsOf(open []vacancy) []load.Open {
	var out []load.Open
	for _, v := range open[:min(mostProposed, len(open))] {
		out = append(out, v.Open)
	}
	return out
}
