package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Sketch is changes of the plan that somebody tries together, seen by nobody else.
type Sketch struct {
	ID      ref.Sketch
	DeskID  ref.Desk
	Owner   ref.Person
	Name    string     // none until it is kept under one
	Changes string     // JSON, in the order in which they are carried out
	Seen    string     // JSON, what they came to when its owner last saw it
	News    string     // JSON, what of that became otherwise since
	At      day.Moment // when it was last changed
}

// SketchesOf reads the sketches of somebody on a desk, the last changed first.
func SketchesOf(ctx context.Context, r Reader, owner ref.Person, desk ref.Desk) ([]Sketch, error) {
	var out []Sketch
	err := r.Select(ctx, &out, "SELECT * FROM sketch WHERE owner = ? AND desk_id = ? ORDER BY at DESC, id DESC", owner, desk)
	return out, err
}

// SketchByID reads a sketch; ErrNone if there is none.
func SketchByID(ctx context.Context, r Reader, id ref.Sketch) (Sketch, error) {
	var s Sketch
	err := r.Get(ctx, &s, "SELECT * FROM sketch WHERE id = ?", id)
	return s, err
}

// SaveSketch stores a sketch, a new one where it has no id, and gives its id.
func (t *Tx) SaveSketch(ctx context.Context, s Sketch) (ref.Sketch, error) {
	return save(ctx, t, "sketch", s, s.ID, "desk_id", "owner", "name", "changes", "seen", "news", "at")
}

// DropSketch removes a sketch.
func (t *Tx) DropSketch(ctx context.Context, id ref.Sketch) error {
	_, err := t.Exec(ctx, "DELETE FROM sketch WHERE id = ?", id)
	return err
}

// DropSketches drops sketches that were kept under no name and not changed since a moment.
func (t *Tx) DropSketches(ctx context.Context, before day.Moment) (int64, error) {
	return t.drop(ctx, "DELETE FROM sketch WHERE id IN (SELECT id FROM sketch WHERE name = '' AND at < ? LIMIT ?)", before)
}
