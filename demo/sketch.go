package demo

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/plan"
)

// sketched keeps what Maren tried this morning: two short pieces a week later, and whoever
// has room for what nobody has.
func (p *player) sketched() {
	p.add(day.MomentOf(Start)-60, func(ctx context.Context) error {
		maren := byInitials("MH")
		var changes []plan.Change
		for _, x := range []struct {
			title string
			date  day.Date
		}{{"Spelt, a second look", date(2026, 12, 14)}, {"How a stone is dressed", date(2026, 12, 18)}} {
			id, err := p.titled(ctx, x.title)
			if err != nil {
				return err
			}
			changes = append(changes, plan.Change{Do: plan.DoMove, Piece: id, At: p.slotOn("web", x.date)})
		}
		moves := p.h.Planning
		got, err := moves.TryOut(ctx, maren, p.b.Desks[0].ID, 0, changes)
		if err != nil {
			return err
		}
		return moves.NameSketch(ctx, maren, got.ID, "If the short ones wait")
	})
}
