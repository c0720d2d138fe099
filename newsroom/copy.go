package newsroom

import (
	"context"
	"errors"
	"fmt"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/store"
)

// Taken is an edit as it was taken.
type Taken struct {
	Seq    int
	By     ref.Person
	Client string
	Turn   int
	Change copy.Change
}

// EditsAfter reads the edits of a copy after one of them, by number.
func EditsAfter(ctx context.Context, r store.Reader, piece ref.Piece, seq int) ([]Taken, error) {
	rows, err := store.EditsAfter(ctx, r, piece, seq)
	if err != nil {
		return nil, err
	}
	out := make([]Taken, len(rows))
	for i, e := range rows {
		c, err := copy.ParseChange([]byte(e.Change))
		if err != nil {
			return nil, fmt.Errorf("edit %d of piece %d: %w", e.Seq, piece, err)
		}
		out[i] = Taken{e.Seq, e.By, e.Client, e.Turn, c}
	}
	return out, nil
}

// Newest gives the newest copy of a piece, which is its newest version and the edits
// after it: that version, the text, and the number of the last edit in it.
func Newest(ctx context.Context, r store.Reader, row *store.Row) (store.Copy, copy.Text, int, error) {
	type key int64
	type newest struct {
		copy store.Copy
		text copy.Text
		seq  int
	}
	n, err := store.Once(ctx, r, key(row.ID), func() (n newest, err error) {
		n.copy, err = store.CopyAt(ctx, r, row.ID, row.CopyVersion)
		if errors.Is(err, store.ErrNone) {
			n.copy = store.Copy{PieceID: row.ID, Text: EmptyCopy}
		} else if err != nil {
			return n, err
		}
		n.text, n.seq, err = Replay(ctx, r, &n.copy, endless)
		return n, err
	})
	return n.copy, n.text, n.seq, err
}

const endless = int(^uint(0) >> 1)

// Replay does to a version the edits after it, up to one of them.
func Replay(ctx context.Context, r store.Reader, c *store.Copy, to int) (copy.Text, int, error) {
	text, err := copy.Parse([]byte(c.Text))
	if err != nil {
		return nil, 0, fmt.Errorf("copy of piece %d: %w", c.PieceID, err)
	}
	edits, err := EditsAfter(ctx, r, c.PieceID, c.Seq)
	if err != nil {
		return nil, 0, err
	}
	seq := c.Seq
	for _, e := range edits {
		if e.Seq > to {
			break
		}
		if text, err = text.Apply(e.Change); err != nil {
			return nil, 0, fmt.Errorf("edit %d of piece %d: %w", e.Seq, c.PieceID, err)
		}
		seq = e.Seq
	}
	return text, seq, nil
}

// EmptyCopy is a copy that nobody has begun.
const EmptyCopy = `[{"insert":"\n"}]`
