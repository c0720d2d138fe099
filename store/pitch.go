package store

import (
	"context"
	"fmt"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// The states of a pitch.
const (
	Pitched = "asked"
	SaidYes = "yes"
	SaidNo  = "no"
)

// Pitch is what a partner is asked to say yes or no to before work begins.
type Pitch struct {
	ID         ref.Pitch
	DeskID     ref.Desk
	Partner    ref.Person
	Title      string
	Text       string
	Month      day.Date   // the first day of the month that is wanted; none for any
	Format     ref.Format // of the piece
	IdeaID     ref.Idea   // of which it is made; 0 for none
	State      string
	Why        string
	PieceID    ref.Piece
	By         ref.Person
	At         day.Moment
	AnsweredBy ref.Person
	AnsweredAt day.Moment
}

// Pitches reads pitches.
func Pitches(ctx context.Context, r Reader, query string, args ...any) ([]Pitch, error) {
	var out []Pitch
	if err := r.Select(ctx, &out, "SELECT * FROM pitch "+query, args...); err != nil {
		return nil, fmt.Errorf("read pitches: %w", err)
	}
	return out, nil
}

// SavePitch stores a pitch, a new one where it has no id, and gives its id.
func (t *Tx) SavePitch(ctx context.Context, p Pitch) (ref.Pitch, error) {
	return save(ctx, t, "pitch", p, p.ID, "desk_id", "partner", "title", "text", "month", "format", "idea_id", "state", "why", "piece_id", "by", "at", "answered_by", "answered_at")
}
