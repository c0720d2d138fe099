package newsroom

import (
	"context"

	"greenbaton/store"
)

// OnFormat carries out an act of a lead on a format that there is.
func (h *Newsroom) OnFormat(ctx context.Context, by, format int64, f func(*Command, store.Format) error) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	if b.Format(format).ID == 0 {
		return ErrNotFound
	}
	return h.SetUpAct(ctx, by, b.Format(format).DeskID, func(a *Command) error { return f(a, a.Setup.Format(format)) })
}
