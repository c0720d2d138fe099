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
	"sync/atomic"
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
	shots       chan struct{} // one for each snapshot that is held
	turn        atomic.Uint64
}

// Reader runs queries; both DB and Tx are one.
type Reader interface {
	Get(ctx context.Context, into any, query string, args ...any) error
	Select(ctx context.Context, into any, query string, args ...any) error
}

// Open opens the data file of a folder, makes both if missing, and brings an older file up
// to date. Data of a newer program is refused with a *Newer, and not touched.
func Open(ctx context.Context, dir string) (*DB, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make the data folder: %w", err)
	}
	db := &DB{path: filepath.Join(dir, FileName), shots: make(chan struct{}, snapshots)}
	if err := claim(db.path); err != nil {
		return nil, err
	}
	if is, err := versionOf(ctx, db.path); err != nil {
		return nil, err
	} else if is > knownVersion {
		return nil, &Newer{db.path, is}
	}
	var err error
	if db.write, err = connect(db.path, 1, "immediate"); err != nil {
		return nil, err
	}
	if err := migrate(ctx, db.write.DB); err != nil {
		return nil, errors.Join(fmt.Errorf("bring the data up to date: %w", err), db.write.Close())
	}
	if db.read, err = connect(db.path, 2*snapshots, "deferred"); err != nil {
		return nil, errors.Join(err, db.write.Close())
	}
	return db, nil
}

// companions are the endings of the files that SQLite keeps beside a data file; some of
// what was stored may be in them alone.
var companions = []string{"-wal", "-shm", "-journal"}

// claim makes a data file if there is none, and lets nobody but its owner read it and its
// companions. It refuses companions that lie there without their file: SQLite would throw
// them away, and what is stored in them alone.
func claim(path string) error {
	if left, err := os.Stat(path + "-wal"); err == nil && left.Size() > 0 {
		if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("%s is missing, though its companion %s-wal is there: a restore was cut off. Restore once more, or put the file back", path, path)
		}
	}
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return fmt.Errorf("open the data: %w", err)
	}
	if err := f.Close(); err != nil {
		return err
	}
	for _, ending := range append([]string{""}, companions...) {
		if err := os.Chmod(path+ending, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("keep the data from others: %w", err)
		}
	}
	return nil
}

// Newer says that data was written by a newer program.
type Newer struct {
	Path    string
	Version int64 // of the data
}

func (e *Newer) Error() string {
	return fmt.Sprintf("%s was written by a newer Green Baton: its data is of version %d, and this program knows versions up to %d. Use the newer program, or restore a backup from before", e.Path, e.Version, knownVersion)
}

// knownVersion is the newest version of the data that this program knows: the number of
// its last migration.
var knownVersion = func() (newest int64) {
	files, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		panic(err) // of a pattern that is written here
	}
	for _, f := range files {
		n, err := goose.NumericComponent(f)
		if err != nil {
			panic(err) // of a file of this package
		}
		newest = max(newest, n)
	}
	return newest
}()

// KnownVersion is the newest version of the data that this program knows.
func KnownVersion() int64 { return knownVersion }

// versionOf gives the version of the data in a file; 0 if there is none in it yet. It
// writes nothing.
func versionOf(ctx context.Context, path string) (version int64, err error) {
	db, err := sql.Open("sqlite", address(path)+"?mode=ro&_pragma=busy_timeout(5000)")
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	var tables int
	if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM sqlite_master WHERE name = 'goose_db_version'").Scan(&tables); err != nil || tables == 0 {
		return 0, readable(path, err)
	}
	err = db.QueryRowContext(ctx, "SELECT COALESCE(MAX(version_id), 0) FROM goose_db_version WHERE is_applied").Scan(&version)
	return version, readable(path, err)
}

func readable(path string, err error) error {
	if err == nil {
		return nil
	}
	return fmt.Errorf("read %s: %w", path, err)
}

// address is a path as SQLite takes it, with signs in it that mean something to SQLite escaped.
func address(path string) string { return "file:" + (&url.URL{Path: path}).EscapedPath() }

// FileName is the name of the data file in its folder.
const FileName = "greenbaton.db"

func connect(path string, conns int, lock string) (*sqlx.DB, error) {
	q := url.Values{"_txlock": {lock}, "_pragma": {
		"busy_timeout(5000)", "journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(ON)",
		"cache_size(-65536)", "temp_store(MEMORY)", "mmap_size(268435456)",
	}}
	db, err := sqlx.Open("sqlite", address(path)+"?"+q.Encode())
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
	if pending, err := p.HasPending(ctx); err != nil {
		return err
	} else if pending { // tables that change are not to be held to what they are not yet
		if err := guard(ctx, db, nil); err != nil {
			return err
		}
	}
	if _, err = p.Up(ctx); err != nil {
		return err
	}
	return guard(ctx, db, guards(wrongs()))
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
	if s := db.held(ctx); s != nil {
		return none(s.tx.GetContext(ctx, into, query, args...))
	}
	return none(db.read.GetContext(ctx, into, query, args...))
}

// Select reads rows into a slice.
func (db *DB) Select(ctx context.Context, into any, query string, args ...any) error {
	if s := db.held(ctx); s != nil {
		return s.tx.SelectContext(ctx, into, query, args...)
	}
	return db.read.SelectContext(ctx, into, query, args...)
}

// Write runs f in one transaction: all of it is stored when Write returns nil,
// nothing otherwise. Only one runs at a time; then is told after it whether it was
// stored, before the next one begins. Inside Batch it joins the batch.
func (db *DB) Write(ctx context.Context, f func(*Tx) error, then ...func(stored bool)) (err error) {
	db.mu.Lock()
	defer db.mu.Unlock()
	defer db.turn.Add(1) // once those who are told have put what they keep in memory in step
	stored := false      // also when f panics
	for _, t := range then {
		defer func() { t(stored) }()
	}
	if db.batch != nil {
		err = f(db.batch)
	} else {
		err = db.transact(ctx, f)
	}
	stored = err == nil
	return err
}

// Batch makes all writes until f returns one transaction, for playing a long
// history. Nothing else may write meanwhile; an error undoes all of it.
func (db *DB) Batch(ctx context.Context, f func() error) error {
	defer db.turn.Add(1)
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

// Turn is another number after each write, and after what is told of it: what was worked out since it was
// asked for, from the data and from what is kept of them in memory, holds while it stays the same.
func (db *DB) Turn() uint64 { return db.turn.Load() }

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
func put[T ~int64](ctx context.Context, t *Tx, table string, row any, columns ...string) (T, error) {
	args, err := t.fields(table, row, columns)
	if err != nil {
		return 0, err
	}
	res, err := t.Exec(ctx, insertSQL(table, columns), args...)
	if err != nil {
		return 0, fmt.Errorf("store %s: %w", table, err)
	}
	id, err := res.LastInsertId()
	return T(id), err
}

// set updates the row with an id by the fields of a struct under their column names.
func set[T ~int64](ctx context.Context, t *Tx, table string, row any, id T, columns ...string) error {
	args, err := t.fields(table, row, columns)
	if err != nil {
		return err
	}
	if _, err = t.Exec(ctx, updateSQL(table, columns, "id"), append(args, id)...); err != nil {
		return fmt.Errorf("store %s %d: %w", table, id, err)
	}
	return nil
}

// save inserts a row without an id, updates one with it, and gives its id.
func save[T ~int64](ctx context.Context, t *Tx, table string, row any, id T, columns ...string) (T, error) {
	if id == 0 {
		return put[T](ctx, t, table, row, columns...)
	}
	return id, set(ctx, t, table, row, id, columns...)
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
