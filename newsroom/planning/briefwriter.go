package planning

import (
	"context"
	"errors"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// Example gives the piece that shows how it is done, nil for none that somebody may see.
func (h Room) Example(ctx context.Context, who, piece int64) (*relay.Piece, error) {
	if piece == 0 {
		return nil, nil
	}
	row, err := store.Piece(ctx, h.DB.View(), piece)
	if errors.Is(err, store.ErrNone) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	w := b.Who(who, row.DeskID)
	if !w.OnDesk || !w.Access.May(relay.SeeAll) && row.Stage != relay.Out {
		return nil, nil
	}
	return &row.Piece, nil
}
