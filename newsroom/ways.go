package newsroom

import (
	"context"

	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
)

// Opening describes a leg as something to find a person for, with who ran the last
// ones of its kind.
func (h *Newsroom) Opening(ctx context.Context, board *plan.Board, p *relay.Piece, leg int) (load.Open, error) {
	r, err := h.Record(ctx, p.DeskID, p.FormatID)
	if err != nil {
		return load.Open{}, err
	}
	return board.Opening(p, leg, r.Series(p.Legs[leg].Key)), nil
}
