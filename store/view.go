package store

import (
	"context"
	"greenbaton/core/ref"
)

// View is a way of looking at the pieces of a desk, kept under a name.
type View struct {
	ID     ref.View
	DeskID ref.Desk
	Owner  ref.Person // whose it is; 0 is the desk's
	Name   string
	Page   string // lineup, track, load or pieces
	Query  string // what is in the address
	Locked bool   // only leads change it
}

// Views reads the views of a desk that are everybody's or one person's, by name.
func Views(ctx context.Context, r Reader, desk ref.Desk, person ref.Person) ([]View, error) {
	var out []View
	err := r.Select(ctx, &out, "SELECT * FROM view WHERE desk_id = ? AND owner IN (0, ?) ORDER BY owner <> 0, name COLLATE NOCASE, id", desk, person)
	return out, err
}

// ViewByID reads a view; ErrNone if there is none.
func ViewByID(ctx context.Context, r Reader, id ref.View) (View, error) {
	var v View
	err := r.Get(ctx, &v, "SELECT * FROM view WHERE id = ?", id)
	return v, err
}

// SaveView stores a view, a new one where it has no id, and gives its id.
func (t *Tx) SaveView(ctx context.Context, v View) (ref.View, error) {
	return save(ctx, t, "view", v, v.ID, "desk_id", "owner", "name", "page", "query", "locked")
}

// DropView removes a view.
func (t *Tx) DropView(ctx context.Context, id ref.View) error {
	_, err := t.Exec(ctx, "DELETE FROM view WHERE id = ?", id)
	return err
}
