package desk

import (
	"cmp"
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
)

// freeDays is over how many working days free hands are looked for, mostFree how
// many people are shown, and leastFree the minutes that count as free.
const freeDays, mostFree, leastFree = 5, 4, 4 * 60

// ahead adds to a lead's day how far ahead of the calendar the desk is, which slots
// of the week are open, and who has time.
func (h *House) ahead(ctx context.Context, b *Books, d *Day, desk int64) error {
	board, err := h.board(ctx, b, h.Now())
	if err != nil {
		return err
	}
	var channels []int64
	for _, c := range b.ChannelsOf(desk) {
		channels = append(channels, c.ID)
	}
	d.Goal = b.Desk(desk).Goal
	d.Runway = board.Runway(channels, max(d.Goal, 1))
	end := d.Date + day.Date((7-int(d.Date.Weekday()))%7)
	for _, s := range board.Runway(channels, 60).Slots {
		if s.Cover == plan.ByNothing && s.At.Date(b.Zones[desk]) <= end {
			d.Week = append(d.Week, WeekRow{At: s.At, Channel: s.Channel, Open: true})
		}
	}
	slices.SortStableFunc(d.Week, func(x, y WeekRow) int { return cmp.Compare(x.At, y.At) })
	open, err := h.openings(ctx, board, desk)
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
func (h *House) openings(ctx context.Context, board *plan.Board, desk int64) ([]vacancy, error) {
	var out []vacancy
	for _, p := range board.Pieces {
		if p.DeskID != desk || p.Stage != relay.UnderWay {
			continue
		}
		for i := range p.Legs {
			if l := &p.Legs[i]; l.Holder == 0 && !l.Done() {
				o, err := h.opening(ctx, board, p, i)
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
func freeHands(b *Books, board *plan.Board, desk int64, open []vacancy) []FreeHands {
	house, today := b.Houses[desk], board.Today(desk)
	until := house.Calendar.Due(house.Calendar.Start(today) + freeDays)
	sheet := board.Load()
	var out []FreeHands
	for _, p := range b.OnDesk(desk) {
		x := board.Person(p.ID)
		if p.Access == relay.Outside || x == nil {
			continue
		}
		works := 0
		for d := today; d <= until; d++ {
			works += x.Works(d)
		}
		if free := sheet.Free(x, today, until); free >= leastFree && 2*free >= works {
			out = append(out, FreeHands{Person: p.ID, Minutes: free, Until: until})
		}
	}
	slices.SortStableFunc(out, func(x, y FreeHands) int { return cmp.Compare(y.Minutes, x.Minutes) })
	taken := map[*relay.Leg]bool{}
	for i := range out {
		x := &out[i]
		for _, v := range open {
			if taken[v.leg] || !slices.ContainsFunc(load.Suggest(v.Open, board.People, sheet, today), func(c load.Candidate) bool { return c.Person == x.Person && c.Over == 0 }) {
				continue
			}
			x.Piece, x.Leg, taken[v.leg] = v.piece, v.leg, true
			break
		}
	}
	slices.SortStableFunc(out, func(x, y FreeHands) int { // those for whom something fits come first
		switch {
		case (x.Leg == nil) == (y.Leg == nil):
			return 0
		case x.Leg != nil:
			return -1
		}
		return 1
	})
	return out[:min(mostFree, len(out))]
}
