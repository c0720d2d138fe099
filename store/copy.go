package store

import (
	"context"

	"greenbaton/core/day"
)

// Copy is one version of the text of a piece.
type Copy struct {
	PieceID int64
	Version int
	Text    string // JSON, as in package copy
	Words   int
	By      int64
	At      day.Moment
}

// Aside is a text written on an older version of the copy, kept beside it.
type Aside struct {
	ID        int64
	PieceID   int64
	BasedOn   int
	Text      string
	Words     int
	By        int64
	At        day.Moment
	SettledAt day.Moment
}

// CopyAt reads a version of the copy; ErrNone if there is none.
func CopyAt(ctx context.Context, r Reader, piece int64, version int) (Copy, error) {
	var c Copy
	err := r.Get(ctx, &c, "SELECT * FROM copy WHERE piece_id = ? AND version = ?", piece, version)
	return c, err
}

// WordsOf gives the words in the newest copies of several pieces, by piece.
func WordsOf(ctx context.Context, r Reader, pieces []int64) (map[int64]int, error) {
	var all []struct {
		PieceID int64
		Words   int
	}
	out := map[int64]int{}
	if len(pieces) == 0 {
		return out, nil
	}
	err := r.Select(ctx, &all, `SELECT piece_id, words FROM copy JOIN piece ON piece.id = piece_id AND piece.copy_version = copy.version
		WHERE piece_id IN (`+marks(len(pieces))+`)`, list(pieces)...)
	for _, c := range all {
		out[c.PieceID] = c.Words
	}
	return out, err
}

// AddCopy stores a new version of a copy.
func (t *Tx) AddCopy(ctx context.Context, c Copy) error {
	_, err := t.put(ctx, "copy", c, "piece_id", "version", "text", "words", "by", "at")
	return err
}

// DropCopy removes a version that a later one of the same sitting replaced.
func (t *Tx) DropCopy(ctx context.Context, piece int64, version int) error {
	_, err := t.Exec(ctx, "DELETE FROM copy WHERE piece_id = ? AND version = ?", piece, version)
	return err
}

// AddAside keeps a text beside the copy.
func (t *Tx) AddAside(ctx context.Context, a Aside) (int64, error) {
	return t.put(ctx, "aside", a, "piece_id", "based_on", "text", "words", "by", "at")
}

// Asides gives the texts kept beside a copy that nobody has dealt with.
func Asides(ctx context.Context, r Reader, piece int64) ([]Aside, error) {
	var out []Aside
	err := r.Select(ctx, &out, "SELECT * FROM aside WHERE piece_id = ? AND settled_at = 0 ORDER BY id", piece)
	return out, err
}

// SettleAside marks a kept text as dealt with; it stays stored.
func (t *Tx) SettleAside(ctx context.Context, piece, id int64, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE aside SET settled_at = ? WHERE id = ? AND piece_id = ?", at, id, piece)
	return err
}
