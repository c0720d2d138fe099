package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Promise is the day that a piece had when its first leg began.
type Promise struct {
	PieceID ref.Piece
	Day     day.Date
	MovedTo day.Date // the day somebody chose instead in time, 0 for none
}

// Promises reads the days that pieces had when they began.
func Promises(ctx context.Context, r Reader) ([]Promise, error) {
	var out []Promise
	err := r.Select(ctx, &out, "SELECT * FROM promise ORDER BY piece_id")
	return out, err
}

// PromiseOf reads the day that a piece had when it began; ErrNone if it has not begun with a day.
func PromiseOf(ctx context.Context, r Reader, piece ref.Piece) (Promise, error) {
	var out Promise
	err := r.Get(ctx, &out, "SELECT * FROM promise WHERE piece_id = ?", piece)
	return out, err
}

// PutPromise stores the day that a piece had when it began.
func (t *Tx) PutPromise(ctx context.Context, p Promise) error {
	_, err := t.Exec(ctx, "INSERT OR REPLACE INTO promise (piece_id, day, moved_to) VALUES (?, ?, ?)", p.PieceID, p.Day, p.MovedTo)
	return err
}

// Unpromised gives some pieces that are out of which it is not kept which day they had when they began.
func Unpromised(ctx context.Context, r Reader, most int) ([]ref.Piece, error) {
	var out []ref.Piece
	err := r.Select(ctx, &out, "SELECT id FROM piece WHERE out_at <> 0 AND id NOT IN (SELECT piece_id FROM promise) LIMIT ?", most)
	return out, err
}

// PieceState is how a piece was after an entry of the logbook.
type PieceState struct {
	At    day.Moment
	State string // as package rule writes it
}

// StatesOf gives how a piece was after each entry of the logbook that says so, the first first.
func StatesOf(ctx context.Context, r Reader, piece ref.Piece) ([]PieceState, error) {
	var out []PieceState
	err := r.Select(ctx, &out, "SELECT at, state FROM logbook WHERE piece_id = ? AND state <> '' ORDER BY seq", piece)
	return out, err
}

// Run is a finished run of a leg.
type Run struct {
	ID        int64
	PieceID   ref.Piece
	Key       string
	Run       int
	Holder    ref.Person
	Allowance int
	StartDay  day.Date
	EndDay    day.Date
	EndedAt   day.Moment
	Outcome   string
}

// RunsAfter reads the finished runs behind one, in the order in which they ended.
func RunsAfter(ctx context.Context, r Reader, id int64) ([]Run, error) {
	var out []Run
	err := r.Select(ctx, &out, "SELECT id, piece_id, key, run, holder, allowance, start_day, end_day, ended_at, outcome FROM leg_run WHERE id > ? ORDER BY id", id)
	return out, err
}

// SentBack is a leg that sent a piece back.
type SentBack struct {
	PieceID ref.Piece
	At      day.Moment
	Why     string
	Events  string // as package rule writes them
}

// SentBacks reads the entries of the logbook of a desk by which pieces were sent back between two moments.
func SentBacks(ctx context.Context, r Reader, desk ref.Desk, from, to day.Moment) ([]SentBack, error) {
	var out []SentBack
	err := r.Select(ctx, &out, "SELECT piece_id, at, why, events FROM logbook WHERE desk_id = ? AND act = 'sent back' AND at >= ? AND at < ? ORDER BY seq", desk, from, to)
	return out, err
}
