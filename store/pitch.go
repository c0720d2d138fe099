package store

import (
	"context"
	"fmt"

	"greenbaton/core/day"
)

// The states of a pitch.
const (
	Pitched = "asked"
	SaidYes = "yes"
	SaidNo  = "no"
)

// Pitch is what a partner is asked to say yes or no to before work begins.
type Pitch struct {
	ID         int64
	DeskID     int64
	Partner    int64
	Title      string
	Text       string
	Month      day.Date // the first day of the month that is wanted; none for any
	Format     int64    // of the piece
	IdeaID     int64    // of which it is made; 0 for none
	State      string
	Why        string
	PieceID    int64
	By         int64
	At         day.Moment
	AnsweredBy int64
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
func (t *Tx) SavePitch(ctx context.Context, p Pitch) (int64, error) {
	return t.save(ctx, "pitch", p, p.ID, "desk_id", "partner", "title", "text", "month", "format", "idea_id", "state", "why", "piece_id", "by", "at", "answered_by", "answered_at")
}
