package newsroom

import (
	"context"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// Preparing carries out an act on what is prepared for a piece: research, titles and
// pictures to choose from. It is for staff of the desk and for whoever runs a leg of it.
func (h *Newsroom) Preparing(ctx context.Context, by, piece int64, f func(*Command, store.Row) error) error {
	return h.Do(ctx, by, func(a *Command) error {
		was, err := a.Load(Order{relay.ActPrepare, piece, "", 0})
		if err != nil {
			return err
		}
		a.Put.Pieces[piece] = was.Piece // so that open pages look again
		return f(a, was)
	})
}
