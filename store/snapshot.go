package store

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"github.com/jmoiron/sqlx"
)

// snapshots is how many hold a moment of the data at the same time; others wait. Half of
// the connections are left for what is read beside them, so that nothing waits for itself.
const snapshots = 4

// snapshot is a moment of the data, and what was read of it already.
type snapshot struct {
	db   *DB
	tx   *sqlx.Tx
	mu   sync.Mutex
	read map[any]any
}

type snapshotKey struct{}

// Snapshot runs a function with a context in which everything that is read of the data is of
// one moment, and what Once reads is read once. What is written meanwhile is not seen in it.
// It holds a connection: what waits for somebody does not belong in it.
func (db *DB) Snapshot(ctx context.Context, f func(context.Context) error) error {
	if db.batch != nil || db.held(ctx) != nil {
		return f(ctx)
	}
	select {
	case db.shots <- struct{}{}:
		defer func() { <-db.shots }()
	case <-ctx.Done():
		return ctx.Err()
	}
	tx, err := db.read.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin to read: %w", err)
	}
	defer tx.Rollback() // it only reads
	return f(context.WithValue(ctx, snapshotKey{}, &snapshot{db: db, tx: tx, read: map[any]any{}}))
}

// Latest gives a context out of a snapshot, for what is kept longer than that.
func Latest(ctx context.Context) context.Context {
	return context.WithValue(ctx, snapshotKey{}, (*snapshot)(nil))
}

// held gives the snapshot of this data that a context is in, nil if it is in none.
func (db *DB) held(ctx context.Context) *snapshot {
	if s, ok := ctx.Value(snapshotKey{}).(*snapshot); ok && s != nil && s.db == db {
		return s
	}
	return nil
}

// Once reads something under a key of its own type, once in a snapshot, and each time
// outside of one. Nobody changes what it gives.
func Once[T any](ctx context.Context, r Reader, key any, read func() (T, error)) (T, error) {
	db, ok := r.(*DB)
	if !ok || db.held(ctx) == nil {
		return read()
	}
	s := db.held(ctx)
	s.mu.Lock()
	v, ok := s.read[key].(T)
	s.mu.Unlock()
	if ok {
		return v, nil
	}
	v, err := read()
	if err == nil {
		s.mu.Lock()
		s.read[key] = v
		s.mu.Unlock()
	}
	return v, err
}

// each walks the rows of a query, without holding them all.
func (db *DB) each(ctx context.Context, query string, row func([]any) error) (err error) {
	ask := db.read.QueryxContext
	if s := db.held(ctx); s != nil {
		ask = s.tx.QueryxContext
	}
	rows, err := ask(ctx, query)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	for rows.Next() {
		cells, err := rows.SliceScan()
		if err != nil {
			return err
		}
		if err := row(cells); err != nil {
			return err
		}
	}
	return rows.Err()
}
