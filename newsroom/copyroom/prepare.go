package copyroom

import (
	"context"
	"errors"

	"greenbaton/store"
)

// Shown gives a file as pages show it: of a picture the small version, if there is one.
func (h Room) Shown(ctx context.Context, f store.File) (store.File, error) {
	small, err := store.SmallOf(ctx, h.DB.View(), f.ID)
	if errors.Is(err, store.ErrNone) {
		return f, nil
	} else if err != nil {
		return f, err
	}
	f.Type, f.Data = small.Type, small.Data
	return f, nil
}
