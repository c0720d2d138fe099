package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Lack is something that a leg wanted and did not have: somebody else was asked for it, or the
// leg was passed all the same.
type Lack struct {
	PieceID  ref.Piece
	Leg      string
	Run      int
	What     string     // by its key
	OfPerson ref.Person // who was asked; 0 where the leg was passed all the same
	By       ref.Person
	At       day.Moment
}

// AddLack stores that somebody was asked for something, or that it was passed over.
func (t *Tx) AddLack(ctx context.Context, l Lack) error {
	_, err := put[int64](ctx, t, "lack", l, "piece_id", "leg", "run", "what", "of_person", "by", "at")
	return err
}

const lackColumns = "piece_id, leg, run, what, of_person, by, at"

// LacksOf gives what was asked for and passed over on several pieces, the oldest first.
func LacksOf(ctx context.Context, r Reader, pieces []ref.Piece) (map[ref.Piece][]Lack, error) {
	out := map[ref.Piece][]Lack{}
	if len(pieces) == 0 {
		return out, nil
	}
	var all []Lack
	err := r.Select(ctx, &all, "SELECT "+lackColumns+" FROM lack WHERE piece_id IN ("+marks(len(pieces))+") ORDER BY id", list(pieces)...)
	for _, l := range all {
		out[l.PieceID] = append(out[l.PieceID], l)
	}
	return out, err
}

// LacksAskedOf gives what somebody was asked for, by legs that run still.
func LacksAskedOf(ctx context.Context, r Reader, person ref.Person) ([]Lack, error) {
	var all []Lack
	err := r.Select(ctx, &all, `SELECT `+lackColumns+` FROM lack WHERE of_person = ? AND EXISTS (SELECT 1 FROM leg
		WHERE leg.piece_id = lack.piece_id AND leg.key = lack.leg AND leg.run = lack.run AND leg.state = 'running') ORDER BY id`, person)
	return all, err
}
