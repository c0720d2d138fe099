package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Undo is what a change of the plan replaced.
type Undo struct {
	ID       ref.Undo
	At       day.Moment
	Actor    ref.Person
	What     string
	State    string // JSON
	UndoneAt day.Moment
}

// undoKept is how many acts of one person can still be taken back.
const undoKept = 40

// AddUndo stores what an act replaced and gives its id; what is too old is dropped.
func (t *Tx) AddUndo(ctx context.Context, u Undo) (ref.Undo, error) {
	id, err := put[ref.Undo](ctx, t, "undo", u, "at", "actor", "what", "state")
	if err != nil {
		return 0, err
	}
	_, err = t.Exec(ctx, "DELETE FROM undo WHERE actor = ? AND id <= (SELECT id FROM undo WHERE actor = ? ORDER BY id DESC LIMIT 1 OFFSET ?)", u.Actor, u.Actor, undoKept)
	return id, err
}

// UndoByID reads what a change replaced; ErrNone if there is none.
func UndoByID(ctx context.Context, r Reader, id ref.Undo) (Undo, error) {
	var u Undo
	err := r.Get(ctx, &u, "SELECT * FROM undo WHERE id = ?", id)
	return u, err
}

// LastUndo reads what somebody did last, after a moment, and did not take back yet;
// ErrNone if there is nothing.
func LastUndo(ctx context.Context, r Reader, actor ref.Person, after day.Moment) (Undo, error) {
	var u Undo
	err := r.Get(ctx, &u, "SELECT * FROM undo WHERE actor = ? AND undone_at = 0 AND at >= ? ORDER BY id DESC LIMIT 1", actor, after)
	return u, err
}

// VersionOf gives the version of a row of a table that counts them; ErrNone if it is gone.
func VersionOf[T ~int64](ctx context.Context, r Reader, table string, id T) (version int, err error) {
	err = r.Get(ctx, &version, "SELECT version FROM "+table+" WHERE id = ?", id)
	return version, err
}

// MarkUndone notes that a change was taken back.
func (t *Tx) MarkUndone(ctx context.Context, id ref.Undo, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE undo SET undone_at = ? WHERE id = ?", at, id)
	return err
}

// MarkBatchUndone notes that a list was taken back, however it was.
func (t *Tx) MarkBatchUndone(ctx context.Context, batch ref.Batch, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE undo SET undone_at = ? WHERE undone_at = 0 AND json_extract(state, '$.batch') = ?", at, batch)
	return err
}
