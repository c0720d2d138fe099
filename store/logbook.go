package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Entry is one line of the logbook. Each carries the hash of the one before.
type Entry struct {
	Seq     int64
	At      day.Moment
	DeskID  ref.Desk
	PieceID ref.Piece
	Actor   ref.Person // 0 is the program itself
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
	_, err := put[int64](ctx, t, "logbook", e, "seq", "at", "desk_id", "piece_id", "actor", "act", "what", "why", "before", "after", "version", "events", "state", "prev", "hash")
	return err
}

// LogSieve says which entries of the logbook are looked at.
type LogSieve struct {
	Desk   ref.Desk   // of a desk, or
	Piece  ref.Piece  // of a piece
	Actor  ref.Person // by somebody; -1 by the program itself, 0 by anybody
	Kinds  []string
	Words  string     // in what happened, or in the reasons
	From   day.Moment // both may be missing
	To     day.Moment
	Below  int64 // before an entry, when the newest come first
	Behind int64 // after an entry, when the oldest come first
	Oldest bool
	Limit  int
}

// LogOf gives the entries that a sieve lets through, the newest first unless it says otherwise.
func LogOf(ctx context.Context, r Reader, s LogSieve) ([]Entry, error) {
	sql, args := "SELECT * FROM logbook WHERE desk_id = ?", []any{s.Desk}
	if s.Piece != 0 {
		sql, args = "SELECT * FROM logbook WHERE piece_id = ?", []any{s.Piece}
	}
	add := func(text string, a ...any) { sql += " AND " + text; args = append(args, a...) }
	switch {
	case s.Actor > 0:
		add("actor = ?", s.Actor)
	case s.Actor < 0:
		add("actor = 0")
	}
	if len(s.Kinds) > 0 {
		kinds := make([]any, len(s.Kinds))
		for i, k := range s.Kinds {
			kinds[i] = k
		}
		add("act IN ("+marks(len(kinds))+")", kinds...)
	}
	if s.Words != "" {
		like := "%" + strings.NewReplacer("\\", "\\\\", "%", "\\%", "_", "\\_").Replace(s.Words) + "%"
		add(`(what LIKE ? ESCAPE '\' OR why LIKE ? ESCAPE '\')`, like, like)
	}
	if s.From != 0 {
		add("at >= ?", s.From)
	}
	if s.To != 0 {
		add("at < ?", s.To)
	}
	if s.Below != 0 {
		add("seq < ?", s.Below)
	}
	if s.Behind != 0 {
		add("seq > ?", s.Behind)
	}
	sql += map[bool]string{true: " ORDER BY seq", false: " ORDER BY seq DESC"}[s.Oldest] + " LIMIT ?"
	var out []Entry
	err := r.Select(ctx, &out, sql, append(args, s.Limit)...)
	return out, err
}

// LogActs gives the kinds of acts in the logbook of a desk.
func LogActs(ctx context.Context, r Reader, desk ref.Desk) ([]string, error) {
	var out []string
	err := r.Select(ctx, &out, "SELECT DISTINCT act FROM logbook WHERE desk_id = ? ORDER BY act", desk)
	return out, err
}

// Titles gives the titles of pieces, by id.
func Titles(ctx context.Context, r Reader, ids []ref.Piece) (map[ref.Piece]string, error) {
	var all []struct {
		ID    ref.Piece
		Title string
	}
	out := map[ref.Piece]string{}
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
func LogSince(ctx context.Context, r Reader, piece ref.Piece, version int) ([]Entry, error) {
	var out []Entry
	err := r.Select(ctx, &out, "SELECT * FROM logbook WHERE piece_id = ? AND version > ? ORDER BY seq LIMIT 20", piece, version)
	return out, err
}

// Touched reports whether somebody has done anything with a piece since it was made, by the
// logbook; what house rules did is nothing of that.
func Touched(ctx context.Context, r Reader, piece ref.Piece) (bool, error) {
	var n int
	err := r.Get(ctx, &n, "SELECT COUNT(*) FROM logbook WHERE piece_id = ? AND actor <> 0 AND act <> ?", piece, string(relay.Created))
	return n > 0, err
}
