package store

import (
	"context"
	"fmt"

	"greenbaton/core/bring"
	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// The states of a batch.
const (
	LookedAt  = "looked at"
	ComingIn  = "coming in"
	In        = "in"
	TakenBack = "taken back"
)

// Batch is a list that is brought in from a file.
type Batch struct {
	ID     ref.Batch
	DeskID ref.Desk
	Kind   bring.Kind
	Name   string // of the file
	Sheet  string // JSON, what was read from it
	Plan   string // JSON, how its columns are read
	State  string
	By     ref.Person
	At     day.Moment
	Done   int  // rows that were dealt with
	Came   int  // of them, those that came in
	Every  bool // clashes too
}

// BatchByID reads a batch; ErrNone if there is none.
func BatchByID(ctx context.Context, r Reader, id ref.Batch) (Batch, error) {
	var b Batch
	if err := r.Get(ctx, &b, "SELECT * FROM batch WHERE id = ?", id); err != nil {
		return b, fmt.Errorf("batch %d: %w", id, err)
	}
	return b, nil
}

// BatchesOf reads the last batches of a desk without what is in them, the newest first.
func BatchesOf(ctx context.Context, r Reader, desk ref.Desk, limit int) ([]Batch, error) {
	var out []Batch
	err := r.Select(ctx, &out, "SELECT id, desk_id, kind, name, state, by, at, done, came, every FROM batch WHERE desk_id = ? ORDER BY id DESC LIMIT ?", desk, limit)
	return out, err
}

// AddBatch stores a batch and gives its id.
func (t *Tx) AddBatch(ctx context.Context, b Batch) (ref.Batch, error) {
	return put[ref.Batch](ctx, t, "batch", b, "desk_id", "kind", "name", "sheet", "plan", "state", "by", "at")
}

// SaveBatch stores how a batch is read and how far it is.
func (t *Tx) SaveBatch(ctx context.Context, b Batch) error {
	return set(ctx, t, "batch", b, b.ID, "plan", "state", "done", "came", "every")
}

// SaveRows stores what is kept of the rows of a batch.
func (t *Tx) SaveRows(ctx context.Context, b Batch) error {
	return set(ctx, t, "batch", b, b.ID, "sheet")
}

// PiecesOfBatch gives the ids of the pieces that came in with a batch.
func PiecesOfBatch(ctx context.Context, r Reader, batch ref.Batch) ([]ref.Piece, error) {
	var out []ref.Piece
	err := r.Select(ctx, &out, "SELECT id FROM piece WHERE batch_id = ? ORDER BY id", batch)
	return out, err
}
