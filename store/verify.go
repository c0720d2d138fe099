package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"runtime"
	"sync"
)

// Verify walks the whole logbook, in several parts at once, and gives the number of
// entries, or an error that names the first entry that is not as it was written.
func Verify(ctx context.Context, db *DB) (int64, error) {
	var last int64
	if err := db.Get(ctx, &last, "SELECT COALESCE(MAX(seq), 0) FROM logbook"); err != nil {
		return 0, fmt.Errorf("read the logbook: %w", err)
	}
	parts := int64(max(1, min(runtime.NumCPU(), 4)))
	size := last/parts + 1
	problems := make([]error, parts)
	var wg sync.WaitGroup
	for i := range parts {
		wg.Go(func() { problems[i] = verifyPart(ctx, db, i*size, min(last, (i+1)*size)) })
	}
	wg.Wait()
	for _, p := range problems { // the first part with a problem has the first entry with one
		if p != nil {
			return last, p
		}
	}
	return last, nil
}

// links are the columns by which the chain is checked: the sum of an entry is taken over
// what SQLite writes as JSON; where that is written otherwise than it was (it escapes fewer
// signs), the entry is read whole.
const links = `SELECT seq, prev, hash, CASE WHEN events = '' AND state = ''
	THEN json_array(seq, at, desk_id, piece_id, actor, act, what, why, before, after, version, prev)
	ELSE json_array(seq, at, desk_id, piece_id, actor, act, what, why, before, after, version, prev, events, state) END
	FROM logbook WHERE seq > ? AND seq <= ? ORDER BY seq`

// verifyPart checks the entries behind one up to another.
func verifyPart(ctx context.Context, db *DB, behind, to int64) (err error) {
	var prev string
	if behind > 0 {
		if err := db.Get(ctx, &prev, "SELECT hash FROM logbook WHERE seq = ?", behind); errors.Is(err, ErrNone) {
			return fmt.Errorf("entry %d is missing", behind)
		} else if err != nil {
			return fmt.Errorf("read the logbook: %w", err)
		}
	}
	rows, err := db.read.QueryContext(ctx, links, behind, to)
	if err != nil {
		return fmt.Errorf("read the logbook: %w", err)
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	seq := behind
	var at int64
	var before, hash string
	var list sql.RawBytes
	var want [2 * sha256.Size]byte
	for rows.Next() {
		if err := rows.Scan(&at, &before, &hash, &list); err != nil {
			return fmt.Errorf("read the logbook: %w", err)
		}
		switch {
		case at != seq+1:
			return fmt.Errorf("entry %d is missing", seq+1)
		case before != prev:
			return fmt.Errorf("entry %d does not follow from entry %d", at, seq)
		}
		sum := sha256.Sum256(list)
		if hex.Encode(want[:], sum[:]); string(want[:]) != hash {
			var e Entry
			if err := db.Get(ctx, &e, "SELECT * FROM logbook WHERE seq = ?", at); err != nil {
				return fmt.Errorf("read the logbook: %w", err)
			}
			if e.sum() != hash {
				return fmt.Errorf("entry %d has been changed", at)
			}
		}
		seq, prev = at, hash
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("read the logbook: %w", err)
	}
	if seq != to {
		return fmt.Errorf("entry %d is missing", seq+1)
	}
	return nil
}
