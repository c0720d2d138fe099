// Package store keeps everything in one SQLite file: one writer, several
// readers, durable commits. Each aggregate has a file of its own here; nothing
// in this package decides anything.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"unicode"

	"github.com/jmoiron/sqlx"
	"github.com/jmoiron/sqlx/reflectx"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNone is returned when what was asked for is not stored.
var ErrNone = errors.New("not stored")

// DB is an open data file.
type DB struct {
	path        string
	read, write *sqlx.DB
	mu          sync.Mutex // held by the one who writes
	batch       *Tx
}

// Reader runs queries; both DB and Tx are one.
type Reader interface {
	Get(ctx context.Context, into any, query string, args ...any) error
	Select(ctx context.Context, into any, query string, args ...any) error
}

// Open opens the data file of a folder, makes both if missing, and brings an
// older file up to date.
func Open(ctx context.Context, dir string) (*DB, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make the data folder: %w", err)
	}
	db := &DB{path: filepath.Join(dir, FileName)}
	var err error
	if db.write, err = connect(db.path, 1, "immediate"); err != nil {
		return nil, err
	}
	if err := migrate(ctx, db.write.DB); err != nil {
		return nil, errors.Join(fmt.Errorf("bring the data up to date: %w", err), db.write.Close())
	}
	if db.read, err = connect(db.path, 4, "deferred"); err != nil {
		return nil, errors.Join(err, db.write.Close())
	}
	return db, nil
}

// FileName is the name of the data file in its folder.
const FileName = "greenbaton.db"

func connect(path string, conns int, lock string) (*sqlx.DB, error) {
	q := url.Values{"_txlock": {lock}, "_pragma": {
		"busy_timeout(5000)", "journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(ON)",
		"cache_size(-65536)", "temp_store(MEMORY)", "mmap_size(268435456)",
	}}
	db, err := sqlx.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?"+q.Encode())
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	db.Mapper = reflectx.NewMapperFunc("db", snake)
	db.SetMaxOpenConns(conns)
	db.SetMaxIdleConns(conns)
	if err := db.Ping(); err != nil {
		return nil, errors.Join(fmt.Errorf("open %s: %w", path, err), db.Close())
	}
	return db, nil
}

func migrate(ctx context.Context, db *sql.DB) error {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, sub)
	if err != nil {
		return err
	}
	_, err = p.Up(ctx)
	return err
}

// snake turns GoesOut into goes_out and PieceID into piece_id.
func snake(s string) string {
	var b strings.Builder
	rs := []rune(s)
	for i, r := range rs {
		if i > 0 && unicode.IsUpper(r) && (unicode.IsLower(rs[i-1]) || i+1 < len(rs) && unicode.IsLower(rs[i+1])) {
			b.WriteByte('_')
		}
		b.WriteRune(unicode.ToLower(r))
	}
	return b.String()
}

// Close closes the file.
func (db *DB) Close() error { return errors.Join(db.read.Close(), db.write.Close()) }

// Get reads one row; ErrNone if there is none.
func (db *DB) Get(ctx context.Context, into any, query string, args ...any) error {
	return none(db.read.GetContext(ctx, into, query, args...))
}

// Select reads rows into a slice.
func (db *DB) Select(ctx context.Context, into any, query string, args ...any) error {
	return db.read.SelectContext(ctx, into, query, args...)
}

// Write runs f in one transaction: all of it is stored when Write returns nil,
// nothing otherwise. Only one runs at a time; then is told after it whether it was
// stored, before the next one begins. Inside Batch it joins the batch.
func (db *DB) Write(ctx context.Context, f func(*Tx) error, then ...func(stored bool)) (err error) {
	db.mu.Lock()
	defer db.mu.Unlock()
	for _, t := range then {
		defer func() { t(err == nil) }()
	}
	if db.batch != nil {
		return f(db.batch)
	}
	return db.transact(ctx, f)
}

// Batch makes all writes until f returns one transaction, for playing a long
// history. Nothing else may write meanwhile; an error undoes all of it.
func (db *DB) Batch(ctx context.Context, f func() error) error {
	return db.transact(ctx, func(tx *Tx) error {
		db.mu.Lock()
		db.batch = tx
		db.mu.Unlock()
		defer func() {
			db.mu.Lock()
			db.batch = nil
			db.mu.Unlock()
		}()
		return f()
	})
}

// InBatch reports whether a batch is being written.
func (db *DB) InBatch() bool { return db.batch != nil }

// View is the reader to use for pages; inside a batch it sees what the batch wrote.
func (db *DB) View() Reader {
	if db.batch != nil {
		return db.batch
	}
	return db
}

func (db *DB) transact(ctx context.Context, f func(*Tx) error) error {
	tx, err := db.write.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	defer tx.Rollback() // does nothing after a commit
	if err := f(&Tx{tx: tx, stmts: map[string]*sqlx.Stmt{}}); err != nil {
		return err
	}
	return tx.Commit()
}

// Tx is a running write transaction. It prepares each statement once.
type Tx struct {
	tx    *sqlx.Tx
	stmts map[string]*sqlx.Stmt
}

func (t *Tx) stmt(ctx context.Context, query string) (*sqlx.Stmt, error) {
	if s, ok := t.stmts[query]; ok {
		return s, nil
	}
	s, err := t.tx.PreparexContext(ctx, query)
	if err != nil {
		return nil, fmt.Errorf("prepare: %w", err)
	}
	t.stmts[query] = s
	return s, nil
}

// Get reads one row; ErrNone if there is none.
func (t *Tx) Get(ctx context.Context, into any, query string, args ...any) error {
	s, err := t.stmt(ctx, query)
	if err != nil {
		return err
	}
	return none(s.GetContext(ctx, into, args...))
}

// Select reads rows into a slice.
func (t *Tx) Select(ctx context.Context, into any, query string, args ...any) error {
	s, err := t.stmt(ctx, query)
	if err != nil {
		return err
	}
	return s.SelectContext(ctx, into, args...)
}

// Exec changes rows.
func (t *Tx) Exec(ctx context.Context, query string, args ...any) (sql.Result, error) {
	s, err := t.stmt(ctx, query)
	if err != nil {
		return nil, err
	}
	return s.ExecContext(ctx, args...)
}

// put inserts the fields of a struct into a table under their column names and
// gives the new row's id.
func (t *Tx) put(ctx context.Context, table string, row any, columns ...string) (int64, error) {
	args, err := t.fields(table, row, columns)
	if err != nil {
		return 0, err
	}
	res, err := t.Exec(ctx, insertSQL(table, columns), args...)
	if err != nil {
		return 0, fmt.Errorf("store %s: %w", table, err)
	}
	return res.LastInsertId()
}

// set updates the row with an id by the fields of a struct under their column names.
func (t *Tx) set(ctx context.Context, table string, row any, id int64, columns ...string) error {
	args, err := t.fields(table, row, columns)
	if err != nil {
		return err
	}
	if _, err = t.Exec(ctx, updateSQL(table, columns), append(args, id)...); err != nil {
		return fmt.Errorf("store %s %d: %w", table, id, err)
	}
	return nil
}

// save inserts a row without an id, updates one with it, and gives its id.
func (t *Tx) save(ctx context.Context, table string, row any, id int64, columns ...string) (int64, error) {
	if id == 0 {
		return t.put(ctx, table, row, columns...)
	}
	return id, t.set(ctx, table, row, id, columns...)
}

func (t *Tx) fields(table string, row any, columns []string) ([]any, error) {
	args := make([]any, len(columns))
	for i, v := range t.tx.Mapper.FieldsByName(reflectValue(row), columns) {
		if !v.IsValid() {
			return nil, fmt.Errorf("store %s: no field for column %s", table, columns[i])
		}
		args[i] = v.Interface()
	}
	return args, nil
}

func none(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNone
	}
	return err
}
