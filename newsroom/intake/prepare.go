package intake

import (
	"context"
	"errors"
	"slices"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// File gives a file for somebody who may see what it belongs to.
func (h Room) File(ctx context.Context, who, id int64) (store.File, error) {
	f, err := store.FileByID(ctx, h.DB.View(), id)
	if errors.Is(err, store.ErrNone) {
		return f, newsroom.ErrNotFound
	} else if err != nil {
		return f, err
	}
	if f.PieceID == 0 { // of a request that is not taken
		_, err := h.request(ctx, h.DB.View(), who, f.RequestID)
		return f, err
	}
	if _, err := h.See(ctx, who, f.PieceID, relay.ActPrepare); err == nil {
		return f, nil
	}
	if _, err := h.See(ctx, who, f.PieceID, relay.ActRead); err != nil { // who reads the copy sees what is attached
		return store.File{}, err
	}
	attached, err := store.Attachments(ctx, h.DB.View(), f.PieceID)
	if err != nil {
		return store.File{}, err
	}
	if !slices.ContainsFunc(attached, func(x store.Attachment) bool { return x.FileID == id }) {
		return store.File{}, newsroom.ErrNotFound
	}
	return f, nil
}
