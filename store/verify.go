package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"runtime"
	"sync"

	"github.com/jmoiron/sqlx"
	"github.com/jmoiron/sqlx/reflectx"
)

// Verify walks the whole logbook, in several parts at once, and gives the number of
// entries, or an error that names the first entry that is not as it was written.
func Verify(ctx context.Context, db *DB) (int64, error) {
	var last int64
	if err := db.Get(ctx, &last, "SELECT COALESCE(MAX(seq), 0) FROM logbook"); err != nil {
		return 0, fmt.Errorf("read the logbook: %w", err)
	}
	return last, verifyParts(ctx, db, last, int64(max(1, min(runtime.NumCPU(), 4))))
}

// VerifyFile verifies the logbook of a data file without bringing it up to date or changing
// it in any other way, also while a program works on it. Its errors say what to do. It gives
// the number of entries, and what Astray says of the rest.
func VerifyFile(ctx context.Context, path string) (n int64, astray []string, err error) {
	if _, err := os.Stat(path); err != nil {
		return 0, nil, fmt.Errorf("there is no data at %s: %w", path, err)
	}
	switch is, err := versionOf(ctx, path); {
	case err != nil:
		return 0, nil, err
	case is > knownVersion:
		return 0, nil, &Newer{path, is}
	case is < knownVersion:
		return 0, nil, fmt.Errorf("%s is of version %d, from before this program (version %d). Start the program on it once, or verify it with the program that wrote it", path, is, knownVersion)
	}
	read, err := sqlx.Open("sqlite", address(path)+"?mode=ro&_pragma=busy_timeout(5000)")
	if err != nil {
		return 0, nil, err
	}
	read.Mapper = reflectx.NewMapperFunc("db", snake)
	defer func() { err = errors.Join(err, read.Close()) }()
	db := &DB{path: path, read: read}
	if n, err = Verify(ctx, db); err != nil {
		return n, nil, fmt.Errorf("the logbook is not as it was written: %w", err)
	}
	astray, err = Astray(ctx, db)
	return n, astray, err
}

// verifyParts walks the entries up to the last in so many parts at once, or in as many as
// there are entries.
func verifyParts(ctx context.Context, db *DB, last, parts int64) error {
	parts = min(parts, last)
	problems := make([]error, parts)
	var wg sync.WaitGroup
	for i := range parts {
		wg.Go(func() { problems[i] = verifyPart(ctx, db, last*i/parts, last*(i+1)/parts) })
	}
	wg.Wait()
	for _, p := range problems { // the first part with a problem has the first entry with one
		if p != nil {
			return p
		}
	}
	return nil
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
