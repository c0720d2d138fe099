package newsroom

import (
	"context"
	"errors"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// See reads a piece for somebody who may do an act of looking at it.
func (h *Newsroom) See(ctx context.Context, who, piece int64, act relay.Act) (store.Row, error) {
	row, err := store.Piece(ctx, h.DB.View(), piece)
	if errors.Is(err, store.ErrNone) {
		return row, ErrNotFound
	} else if err != nil {
		return row, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return row, err
	}
	w := b.Who(who, row.DeskID)
	if relay.May(relay.ActSee, w, &row.Piece, nil, "") != nil {
		return row, ErrNotFound
	}
	return row, relay.May(act, w, &row.Piece, nil, b.Desk(row.DeskID).PassBy)
}
