package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Copy is one version of the text of a piece.
type Copy struct {
	PieceID ref.Piece
	Version int
	Text    string // JSON, as in package copy
	Words   int
	By      ref.Person
	At      day.Moment
	Seq     int    // the last edit that is in it
	People  string // the ids of who wrote in this sitting, with spaces between
	Label   string // what happened with it; from then on it stays as it is
}

// Edit is one change of a copy as it was taken.
type Edit struct {
	PieceID ref.Piece
	Seq     int
	By      ref.Person
	Client  string // the open page it came from
	Turn    int    // its number there
	At      day.Moment
	Change  string // JSON, as in package copy
}

// EditsAfter gives the edits of a copy after one of them, in order.
func EditsAfter(ctx context.Context, r Reader, piece ref.Piece, seq int) ([]Edit, error) {
	var out []Edit
	err := r.Select(ctx, &out, "SELECT * FROM copy_edit WHERE piece_id = ? AND seq > ? ORDER BY seq", piece, seq)
	return out, err
}

// CopyUpTo reads the newest version with no edit after one in it; ErrNone if there is none.
func CopyUpTo(ctx context.Context, r Reader, piece ref.Piece, seq int) (Copy, error) {
	var c Copy
	err := r.Get(ctx, &c, "SELECT * FROM copy WHERE piece_id = ? AND seq <= ? ORDER BY version DESC LIMIT 1", piece, seq)
	return c, err
}

// EditOf gives an edit of somebody by their page it came from and its number there;
// ErrNone if it was not taken.
func EditOf(ctx context.Context, r Reader, piece ref.Piece, by ref.Person, client string, turn int) (Edit, error) {
	var e Edit
	err := r.Get(ctx, &e, "SELECT * FROM copy_edit WHERE piece_id = ? AND by = ? AND client = ? AND turn = ?", piece, by, client, turn)
	return e, err
}

// Unversioned gives the pieces with edits that are in no version yet.
func Unversioned(ctx context.Context, r Reader) ([]ref.Piece, error) {
	var out []ref.Piece
	err := r.Select(ctx, &out, `SELECT e.piece_id FROM (SELECT piece_id, MAX(seq) AS seq FROM copy_edit GROUP BY piece_id) e
		WHERE e.seq > (SELECT COALESCE(MAX(seq), 0) FROM copy WHERE copy.piece_id = e.piece_id)`)
	return out, err
}

// AddEdit stores an edit.
func (t *Tx) AddEdit(ctx context.Context, e Edit) error {
	_, err := put[int64](ctx, t, "copy_edit", e, "piece_id", "seq", "by", "client", "turn", "at", "change")
	return err
}

// Versions gives the versions of a copy without their texts, the newest first.
func Versions(ctx context.Context, r Reader, piece ref.Piece) ([]Copy, error) {
	var out []Copy
	err := r.Select(ctx, &out, "SELECT piece_id, version, '' AS text, words, by, at, seq, people, label FROM copy WHERE piece_id = ? ORDER BY version DESC", piece)
	return out, err
}

// CopyRead is how far somebody has read a copy.
type CopyRead struct {
	PieceID  ref.Piece
	PersonID ref.Person
	Seq      int // the newest edit that was there
	Before   int // the same of the visit before
	At       day.Moment
}

// CopyReadBy gives how far somebody has read a copy; ErrNone if they never did.
func CopyReadBy(ctx context.Context, r Reader, piece ref.Piece, person ref.Person) (CopyRead, error) {
	var c CopyRead
	err := r.Get(ctx, &c, "SELECT * FROM copy_read WHERE piece_id = ? AND person_id = ?", piece, person)
	return c, err
}

// SaveCopyRead stores how far somebody has read a copy.
func (t *Tx) SaveCopyRead(ctx context.Context, c CopyRead) error {
	_, err := t.Exec(ctx, "INSERT OR REPLACE INTO copy_read (piece_id, person_id, seq, before, at) VALUES (?, ?, ?, ?, ?)", c.PieceID, c.PersonID, c.Seq, c.Before, c.At)
	return err
}

// Aside is a text written on an older version of a copy and kept beside it, as was done
// before edits were merged.
type Aside struct {
	ID        int64
	PieceID   ref.Piece
	BasedOn   int
	Text      string
	Words     int
	By        ref.Person
	At        day.Moment
	SettledAt day.Moment
}

// CopyAt reads a version of the copy; ErrNone if there is none.
func CopyAt(ctx context.Context, r Reader, piece ref.Piece, version int) (Copy, error) {
	var c Copy
	err := r.Get(ctx, &c, "SELECT * FROM copy WHERE piece_id = ? AND version = ?", piece, version)
	return c, err
}

// WordsOf gives the words in the newest copies of several pieces, by piece.
func WordsOf(ctx context.Context, r Reader, pieces []ref.Piece) (map[ref.Piece]int, error) {
	var all []struct {
		PieceID ref.Piece
		Words   int
	}
	out := map[ref.Piece]int{}
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
	_, err := put[int64](ctx, t, "copy", c, "piece_id", "version", "text", "words", "by", "at", "seq", "people", "label")
	return err
}

// LabelCopy says what happened with a version.
func (t *Tx) LabelCopy(ctx context.Context, piece ref.Piece, version int, label string) error {
	_, err := t.Exec(ctx, "UPDATE copy SET label = ? WHERE piece_id = ? AND version = ?", label, piece, version)
	return err
}

// DropCopy removes a version that a later one of the same sitting replaced.
func (t *Tx) DropCopy(ctx context.Context, piece ref.Piece, version int) error {
	_, err := t.Exec(ctx, "DELETE FROM copy WHERE piece_id = ? AND version = ?", piece, version)
	return err
}

// Asides gives the texts that were kept beside a copy.
func Asides(ctx context.Context, r Reader, piece ref.Piece) ([]Aside, error) {
	var out []Aside
	err := r.Select(ctx, &out, "SELECT * FROM aside WHERE piece_id = ? ORDER BY id", piece)
	return out, err
}
