package store

import (
	"bufio"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/pressly/goose/v3"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// MoveIn makes a data file in a folder that has none from what MoveOut wrote. Nothing is left of it where
// it fails; its errors name the file and say what to do. It gives the list of what came, and whether the
// logbook came as one chain from its first entry: where it is a part of a larger one, its entries are
// numbered and linked anew, each after it was held against its own hash.
func MoveIn(ctx context.Context, from fs.FS, dir string) (m *Moved, chain bool, err error) {
	if m, err = readList(from); err != nil {
		return nil, false, err
	}
	path := filepath.Join(dir, FileName)
	if _, err := os.Stat(path); err == nil {
		return nil, false, fmt.Errorf("there is data at %s already", path)
	}
	if err := claim(path); err != nil {
		return nil, false, err
	}
	defer func() {
		if err != nil {
			for _, ending := range append([]string{""}, companions...) {
				if gone := os.Remove(path + ending); gone != nil && !errors.Is(gone, fs.ErrNotExist) {
					err = errors.Join(err, gone)
				}
			}
		}
	}()
	db, err := connect(path, 1, "immediate")
	if err != nil {
		return nil, false, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, false, err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db.DB, sub)
	if err != nil {
		return nil, false, err
	}
	if _, err := p.UpTo(ctx, m.Version); err != nil {
		return nil, false, fmt.Errorf("make the data of version %d: %w", m.Version, err)
	}
	if chain, err = m.fill(ctx, db.DB, from); err != nil {
		return nil, false, err
	}
	if err := migrate(ctx, db.DB); err != nil {
		return nil, false, fmt.Errorf("bring the data up to date: %w", err)
	}
	astray, err := Astray(ctx, &DB{path: path, read: db})
	if err == nil && len(astray) > 0 {
		err = fmt.Errorf("the folder does not hold together: %s. Write it out once more where it came from", strings.Join(astray, "; "))
	}
	return m, chain, err
}

// mostList is how large the list of a folder may be.
const mostList = 64 << 20

// readList reads the list of a folder.
func readList(from fs.FS) (*Moved, error) {
	f, err := from.Open(MovedList)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("there is no %s in it: this is no desk that was moved out", MovedList)
	} else if err != nil {
		return nil, err
	}
	defer f.Close() // it is only read
	b, err := io.ReadAll(io.LimitReader(f, mostList+1))
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", MovedList, err)
	}
	var m Moved
	if len(b) > mostList {
		return nil, fmt.Errorf("%s is larger than %d MB; it is none that Green Baton wrote", MovedList, mostList>>20)
	}
	if err := json.Unmarshal(b, &m); err != nil {
		return nil, fmt.Errorf("%s cannot be read (%w); write the desk out once more", MovedList, err)
	}
	switch {
	case m.Form != moveForm || m.Version > knownVersion:
		return nil, fmt.Errorf("the folder was written by a newer Green Baton (form %d, data of version %d; this program knows %d and %d). Bring it in with the newer program", m.Form, m.Version, moveForm, knownVersion)
	case m.Version < 1 || len(m.Tables) == 0:
		return nil, fmt.Errorf("%s names no version or no tables; write the desk out once more", MovedList)
	}
	return &m, nil
}

// fill stores all tables in one transaction.
func (m *Moved) fill(ctx context.Context, db *sql.DB, from fs.FS) (chain bool, err error) {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return false, err
	}
	defer tx.Rollback() // does nothing after a commit
	if _, err := tx.ExecContext(ctx, "PRAGMA defer_foreign_keys = ON"); err != nil {
		return false, err
	}
	chain = true
	for _, t := range m.Tables {
		whole, err := m.fillTable(ctx, tx, from, t)
		if err != nil {
			return false, err
		}
		chain = chain && whole
	}
	var table, to string
	var row, key sql.NullInt64
	switch err := tx.QueryRowContext(ctx, "SELECT * FROM pragma_foreign_key_check LIMIT 1").Scan(&table, &row, &to, &key); {
	case err == nil:
		return false, fmt.Errorf("the folder does not hold together: a row of %s names one of %s that is not there. Write it out once more where it came from", table, to)
	case !errors.Is(err, sql.ErrNoRows):
		return false, err
	}
	return chain, tx.Commit()
}

// fillTable stores one table.
func (m *Moved) fillTable(ctx context.Context, tx *sql.Tx, from fs.FS, t MovedTable) (chain bool, err error) {
	var known []string
	rows, err := tx.QueryContext(ctx, "SELECT name FROM pragma_table_info(?)", t.Name)
	if err != nil {
		return false, err
	}
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return false, err
		}
		known = append(known, name)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return false, err
	}
	if _, along := goesAlong(t.Name); !along || known == nil {
		return false, fmt.Errorf("%s names a table %q that a desk does not have", MovedList, t.Name)
	}
	if err := m.check(from, t.File); err != nil {
		return false, err
	}
	f, err := m.open(from, t.File)
	if err != nil {
		return false, err
	}
	defer f.Close() // it is only read
	r := csv.NewReader(&returns{from: bufio.NewReaderSize(f, 1<<16)})
	head, err := r.Read()
	if err != nil {
		return false, inFile(t.File, err)
	}
	bytes := -1
	if i := slices.Index(head, "file"); i >= 0 && !slices.Contains(known, "file") && slices.Contains(known, "data") {
		bytes, head[i] = i, "data"
	}
	kinds := make([]func(string) (any, error), len(head))
	for i, name := range head {
		if !slices.Contains(known, name) {
			return false, fmt.Errorf("%s has a column %q that is not known; do not rename columns", t.File, name)
		}
		switch kinds[i] = readCell; {
		case slices.Contains(t.Days, name):
			kinds[i] = readDay
		case slices.Contains(t.Times, name):
			kinds[i] = readTime
		}
		head[i] = `"` + name + `"`
	}
	insert, err := tx.PrepareContext(ctx, fmt.Sprintf("INSERT INTO %s (%s) VALUES (%s)", t.Name, strings.Join(head, ", "), marks(len(head))))
	if err != nil {
		return false, err
	}
	defer insert.Close()
	log := relink{at: map[string]int{}, whole: true}
	for i, name := range head {
		log.at[strings.Trim(name, `"`)] = i
	}
	cells := make([]any, len(head))
	n := 0
	for ; ; n++ {
		line, err := r.Read()
		if err == io.EOF {
			break
		} else if err != nil {
			return false, inFile(t.File, err)
		}
		at, _ := r.FieldPos(0)
		for i, says := range line {
			if i == bytes {
				cells[i], err = m.bytes(from, says)
			} else {
				cells[i], err = kinds[i](says)
			}
			if err != nil {
				return false, fmt.Errorf("%s, line %d, %s: %w", t.File, at, strings.Trim(head[i], `"`), err)
			}
		}
		if t.Name == "logbook" {
			if err := log.entry(cells); err != nil {
				return false, fmt.Errorf("%s, line %d: %w", t.File, at, err)
			}
		}
		if _, err := insert.ExecContext(ctx, cells...); err != nil {
			return false, fmt.Errorf("%s, line %d: %w", t.File, at, err)
		}
	}
	if n != t.Rows {
		return false, fmt.Errorf("%s has %d rows, %s says %d; write the desk out once more", t.File, n, MovedList, t.Rows)
	}
	return log.whole, nil
}

func inFile(name string, err error) error { return fmt.Errorf("%s cannot be read: %w", name, err) }

// open opens a file of the folder, which is held against its sum while it is read.
func (m *Moved) open(from fs.FS, name string) (*checked, error) {
	i := slices.IndexFunc(m.Files, func(f MovedFile) bool { return f.Name == name })
	if i < 0 {
		return nil, fmt.Errorf("%s does not name %s", MovedList, name)
	}
	f, err := from.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("%s is missing; write the desk out once more", name)
	} else if err != nil {
		return nil, inFile(name, err)
	}
	return &checked{from: f, want: m.Files[i], sum: sha256.New()}, nil
}

// check holds a file of the folder against its sum.
func (m *Moved) check(from fs.FS, name string) error {
	f, err := m.open(from, name)
	if err != nil {
		return err
	}
	defer f.Close() // it is only read
	if _, err := io.Copy(io.Discard, f); err != nil {
		return inFile(name, err)
	}
	return f.whole()
}

// bytes reads a file of the folder whole.
func (m *Moved) bytes(from fs.FS, name string) (any, error) {
	f, err := m.open(from, name)
	if err != nil {
		return nil, err
	}
	defer f.Close() // it is only read
	b, err := io.ReadAll(f)
	if err != nil {
		return nil, inFile(name, err)
	}
	return b, f.whole()
}

// checked reads a file and no more than it is to have.
type checked struct {
	from fs.File
	want MovedFile
	sum  hash.Hash
	size int64
}

func (c *checked) Read(b []byte) (int, error) {
	if c.size > c.want.Size {
		return 0, io.EOF
	}
	n, err := c.from.Read(b)
	c.sum.Write(b[:n])
	c.size += int64(n)
	return n, err
}

// Close closes the file.
func (c *checked) Close() error { return c.from.Close() }

// whole reports, once it is read, that it is not as it was written.
func (c *checked) whole() error {
	if c.size != c.want.Size || hex.EncodeToString(c.sum.Sum(nil)) != c.want.SHA256 {
		return fmt.Errorf("%s is not as it was written: its sum is another than in %s. Write the desk out once more", c.want.Name, MovedList)
	}
	return nil
}

// returns doubles carriage returns before line feeds within quotation marks, of which the reader of CSV
// takes one away.
type returns struct {
	from   *bufio.Reader
	quoted bool
	again  bool // the carriage return that was given is to be given once more
}

func (r *returns) Read(b []byte) (n int, err error) {
	for n < len(b) {
		if r.again {
			b[n], r.again = '\r', false
			n++
			continue
		}
		c, err := r.from.ReadByte()
		if err != nil {
			if n > 0 && err == io.EOF {
				return n, nil
			}
			return n, err
		}
		if c == '"' {
			r.quoted = !r.quoted
		}
		if c == '\r' && r.quoted {
			next, err := r.from.Peek(1)
			r.again = err == nil && next[0] == '\n'
		}
		b[n] = c
		n++
	}
	return n, nil
}

func readCell(s string) (any, error) { return s, nil }

func readDay(s string) (any, error) {
	if s == "" {
		return int64(0), nil
	}
	d, err := day.ParseDate(s)
	if err != nil {
		return nil, fmt.Errorf("%q is no day like 2026-11-28", s)
	}
	return int64(d), nil
}

func readTime(s string) (any, error) {
	if s == "" {
		return int64(0), nil
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return nil, fmt.Errorf("%q is no time like 2026-11-28T09:30:00Z", s)
	}
	return t.Unix(), nil
}

// relink puts entries of a logbook behind each other.
type relink struct {
	at    map[string]int // columns, by their names
	last  int64
	hash  string
	seen  int64 // the number that the entry before had
	whole bool
}

// entry holds an entry against its own hash, and links it with the one before where that is another than
// it was.
func (l *relink) entry(cells []any) error {
	var e Entry
	var wrong error
	text := func(name string) string {
		i, ok := l.at[name]
		if !ok {
			wrong = fmt.Errorf("there is no column %s", name)
			return ""
		}
		return fmt.Sprint(cells[i])
	}
	number := func(name string) int64 {
		n, err := strconv.ParseInt(text(name), 10, 64)
		if err != nil && wrong == nil {
			wrong = fmt.Errorf("its %s is no number", name)
		}
		return n
	}
	e.Seq, e.At, e.DeskID, e.PieceID, e.Actor = number("seq"), day.Moment(number("at")), ref.Desk(number("desk_id")), ref.Piece(number("piece_id")), ref.Person(number("actor"))
	e.Act, e.What, e.Why, e.Before, e.After, e.Version = text("act"), text("what"), text("why"), text("before"), text("after"), int(number("version"))
	e.Events, e.State, e.Prev, e.Hash = text("events"), text("state"), text("prev"), text("hash")
	if wrong != nil {
		return wrong
	}
	if e.sum() != e.Hash || e.Seq <= l.seen {
		return fmt.Errorf("entry %d of the logbook is not as it was written; nobody can change what was done. Write the desk out once more", e.Seq)
	}
	l.seen = e.Seq
	if e.Seq != l.last+1 || e.Prev != l.hash {
		l.whole = false
		e.Seq, e.Prev = l.last+1, l.hash
		e.Hash = e.sum()
		cells[l.at["seq"]], cells[l.at["prev"]], cells[l.at["hash"]] = e.Seq, e.Prev, e.Hash
	}
	l.last, l.hash = e.Seq, e.Hash
	return nil
}
