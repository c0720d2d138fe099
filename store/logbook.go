package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"

	"greenbaton/core/day"
)

// Entry is one line of the logbook. Each carries the hash of the one before.
type Entry struct {
	Seq     int64
	At      day.Moment
	DeskID  int64
	PieceID int64
	Actor   int64 // 0 is the program itself
	Act     string
	What    string // in a sentence, with the names of that day
	Why     string
	Before  string
	After   string
	Version int    // of the piece, after the act
	Events  string // what happened and the piece after it, as package rule writes them; not of every entry
	State   string
	Prev    string
	Hash    string
}

// sum gives the hash of an entry: SHA-256 over its fields, the hash of the one
// before among them, as a JSON list. Entries without events are summed as they were
// before there were any.
func (e Entry) sum() string {
	list := []any{e.Seq, e.At, e.DeskID, e.PieceID, e.Actor, e.Act, e.What, e.Why, e.Before, e.After, e.Version, e.Prev}
	if e.Events != "" || e.State != "" {
		list = append(list, e.Events, e.State)
	}
	b, err := json.Marshal(list)
	if err != nil { // numbers and strings always encode
		return ""
	}
	h := sha256.Sum256(b)
	return hex.EncodeToString(h[:])
}

// Log appends an entry to the logbook.
func (t *Tx) Log(ctx context.Context, e Entry) error {
	var last struct {
		Seq  int64
		Hash string
	}
	if err := t.Get(ctx, &last, "SELECT seq, hash FROM logbook ORDER BY seq DESC LIMIT 1"); err != nil && !errors.Is(err, ErrNone) {
		return fmt.Errorf("read the logbook: %w", err)
	}
	e.Seq, e.Prev = last.Seq+1, last.Hash
	e.Hash = e.sum()
	_, err := t.put(ctx, "logbook", e, "seq", "at", "desk_id", "piece_id", "actor", "act", "what", "why", "before", "after", "version", "events", "state", "prev", "hash")
	return err
}

// Verify walks the whole logbook and gives the number of entries, or an error
// that names the first entry that is not as it was written.
func Verify(ctx context.Context, r Reader) (int64, error) {
	var prev string
	var seq int64
	for {
		var part []Entry
		if err := r.Select(ctx, &part, "SELECT * FROM logbook WHERE seq > ? ORDER BY seq LIMIT 1000", seq); err != nil {
			return seq, fmt.Errorf("read the logbook: %w", err)
		}
		if len(part) == 0 {
			return seq, nil
		}
		for _, e := range part {
			switch {
			case e.Seq != seq+1:
				return seq, fmt.Errorf("entry %d is missing", seq+1)
			case e.Prev != prev:
				return seq, fmt.Errorf("entry %d does not follow from entry %d", e.Seq, seq)
			case e.Hash != e.sum():
				return seq, fmt.Errorf("entry %d has been changed", e.Seq)
			}
			seq, prev = e.Seq, e.Hash
		}
	}
}

// LogOfPiece gives the newest entries of a piece below a number (0: the newest of all).
func LogOfPiece(ctx context.Context, r Reader, piece, below int64, limit int) ([]Entry, error) {
	var out []Entry
	err := r.Select(ctx, &out, "SELECT * FROM logbook WHERE piece_id = ? AND (? = 0 OR seq < ?) ORDER BY seq DESC LIMIT ?", piece, below, below, limit)
	return out, err
}

// LogOfDesk gives the newest entries of a desk below a number (0: the newest of all).
func LogOfDesk(ctx context.Context, r Reader, desk, below int64, limit int) ([]Entry, error) {
	var out []Entry
	err := r.Select(ctx, &out, "SELECT * FROM logbook WHERE desk_id = ? AND (? = 0 OR seq < ?) ORDER BY seq DESC LIMIT ?", desk, below, below, limit)
	return out, err
}

// Titles gives the titles of pieces, by id.
func Titles(ctx context.Context, r Reader, ids []int64) (map[int64]string, error) {
	var all []struct {
		ID    int64
		Title string
	}
	out := map[int64]string{}
	if len(ids) == 0 {
		return out, nil
	}
	err := r.Select(ctx, &all, "SELECT id, title FROM piece WHERE id IN ("+marks(len(ids))+")", list(ids)...)
	for _, p := range all {
		out[p.ID] = p.Title
	}
	return out, err
}

// LogSince gives what changed a piece after a version of it, oldest first.
func LogSince(ctx context.Context, r Reader, piece int64, version int) ([]Entry, error) {
	var out []Entry
	err := r.Select(ctx, &out, "SELECT * FROM logbook WHERE piece_id = ? AND version > ? ORDER BY seq LIMIT 20", piece, version)
	return out, err
}
