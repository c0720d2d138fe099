package store

import (
	"context"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"hash"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Folder is where a desk is written to: a folder or an archive. A file is written before the next one
// is made.
type Folder interface {
	Create(name string) (io.Writer, error)
}

// Moved is what was written of a desk: the list that lies beside it as a file.
type Moved struct {
	Form    int          `json:"form"`    // of the folder: 1
	Version int64        `json:"version"` // of the data
	Desk    string       `json:"desk"`
	At      time.Time    `json:"at"`
	Tables  []MovedTable `json:"tables"`
	Files   []MovedFile  `json:"files"`

	Held map[ref.File]string `json:"-"` // where files lie, by their numbers
}

// MovedFile is a file of the folder.
type MovedFile struct {
	Name   string `json:"name"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
}

// MovedTable is a table of the folder, which is the file of its name.
type MovedTable struct {
	Name  string   `json:"name"`
	File  string   `json:"file"`
	Says  string   `json:"says"`
	Rows  int      `json:"rows"`
	Days  []string `json:"days,omitempty"`  // columns that hold days, like 2026-11-28; empty is none
	Times []string `json:"times,omitempty"` // columns that hold times, like 2026-11-28T09:30:00Z; empty is none
}

// MovedList is the name of the list of what is in a folder.
const MovedList = "greenbaton-desk.json"

// moveForm is the form of the folders that this program writes.
const moveForm = 1

// MoveOut writes everything of a desk but secrets as open files, as it is in one moment, without the list
// of it, which it gives: see [Moved.Write].
func MoveOut(ctx context.Context, db *DB, desk ref.Desk, to Folder, at time.Time) (out *Moved, err error) {
	out = &Moved{Form: moveForm, Version: knownVersion, At: at.UTC().Truncate(time.Second), Held: map[ref.File]string{}}
	err = db.Snapshot(ctx, func(ctx context.Context) error {
		if err := db.Get(ctx, &out.Desk, "SELECT name FROM desk WHERE id = ?", desk); err != nil {
			return fmt.Errorf("desk %d: %w", desk, err)
		}
		m := mover{desk: int64(desk)}
		var desks int
		if err := db.Get(ctx, &desks, "SELECT COUNT(*) FROM desk"); err != nil {
			return err
		}
		m.only = desks == 1
		if err := m.findPeople(ctx, db); err != nil {
			return err
		}
		for _, t := range movedTables {
			if err := m.write(ctx, db, t, to, out); err != nil {
				return fmt.Errorf("write table %s: %w", t.name, err)
			}
		}
		return nil
	})
	return out, err
}

// HowMuch says how much would go out of a desk: its pieces, its files with their bytes, the lines of its
// logbook.
func HowMuch(ctx context.Context, r Reader, desk ref.Desk) (pieces, files, bytes, lines int, err error) {
	var n struct{ Pieces, Files, Bytes, Lines int }
	err = r.Get(ctx, &n, `SELECT (SELECT COUNT(*) FROM piece WHERE desk_id = ?1) AS pieces, COUNT(*) AS files, COALESCE(SUM(size), 0) AS bytes,
		(SELECT COUNT(*) FROM logbook WHERE desk_id = ?1) AS lines FROM file
		WHERE piece_id IN (SELECT id FROM piece WHERE desk_id = ?1) OR request_id IN (SELECT id FROM request WHERE desk_id = ?1)`, desk)
	return n.Pieces, n.Files, n.Bytes, n.Lines, err
}

// columnsOf gives the columns of a table, and those of its key.
func columnsOf(ctx context.Context, r Reader, table string) (all []column, keys []string, err error) {
	var infos []struct {
		Name string
		Pk   int
	}
	if err := r.Select(ctx, &infos, "SELECT name, pk FROM pragma_table_info(?)", table); err != nil {
		return nil, nil, err
	}
	var musts []struct{ From, To string }
	if err := r.Select(ctx, &musts, `SELECT "from", "table" AS "to" FROM pragma_foreign_key_list(?)`, table); err != nil {
		return nil, nil, err
	}
	for _, i := range infos {
		c := column{Name: i.Name, To: references[table+"."+i.Name]}
		for _, x := range musts {
			if x.From == i.Name {
				c.To, c.Must = x.To, true
			}
		}
		all = append(all, c)
	}
	for pk := 1; pk <= len(infos); pk++ {
		for _, i := range infos {
			if i.Pk == pk {
				keys = append(keys, `"`+i.Name+`"`)
			}
		}
	}
	return all, keys, nil
}

// findPeople finds everybody who is on the desk, or whom a row of it names.
func (m *mover) findPeople(ctx context.Context, db *DB) error {
	found := map[int64]bool{}
	note := func(query string) error {
		var ids []int64
		if err := db.Select(ctx, &ids, query); err != nil {
			return err
		}
		for _, id := range ids {
			found[id] = true
		}
		return nil
	}
	for _, t := range movedTables {
		columns, _, err := columnsOf(ctx, db, t.name)
		if err != nil {
			return err
		}
		if t.of == "" || t.of == "person" {
			continue
		}
		for _, c := range columns {
			if c.To == "person" {
				if err := note(fmt.Sprintf(`SELECT DISTINCT "%s" FROM %s WHERE "%s" <> 0 AND %s`, c.Name, t.name, c.Name, m.pointing(t, columns))); err != nil {
					return fmt.Errorf("find the people of %s: %w", t.name, err)
				}
			}
		}
	}
	for _, x := range []struct{ table, column string }{{"leg", "offered"}, {"copy", "people"}} {
		t, _ := goesAlong(x.table)
		if err := note(fmt.Sprintf("SELECT DISTINCT j.value FROM %s, json_each('[' || %s || ']') j WHERE %s <> '' AND %s", x.table, x.column, x.column, m.which(t))); err != nil {
			return fmt.Errorf("find the people of %s: %w", x.table, err)
		}
	}
	var all []string
	for id := range found {
		all = append(all, strconv.FormatInt(id, 10))
	}
	slices.Sort(all)
	m.people = strings.Join(all, ", ")
	return nil
}

// write writes one table, and the files in it.
func (m mover) write(ctx context.Context, db *DB, t movedTable, to Folder, out *Moved) error {
	columns, keys, err := columnsOf(ctx, db, t.name)
	if err != nil {
		return err
	}
	is := MovedTable{Name: t.name, File: "tables/" + t.name + ".csv", Says: t.says}
	kinds := make([]func(any) string, len(columns))
	var names, picks []string
	for i, c := range columns {
		name := t.name + "." + c.Name
		names, picks = append(names, c.Name), append(picks, m.is(name, c.To)+` AS "`+c.Name+`"`)
		switch kinds[i] = sayCell; {
		case dayColumns[name]:
			is.Days, kinds[i] = append(is.Days, c.Name), sayDay
		case timeColumns[name]:
			is.Times, kinds[i] = append(is.Times, c.Name), sayTime
		}
	}
	data := slices.Index(names, "data")
	holds := (t.name == "file" || t.name == "file_small") && data >= 0 // bytes, which are files of their own
	if holds {
		names[data] = "file"
	}
	query := fmt.Sprintf("SELECT %s FROM %s WHERE %s ORDER BY %s", strings.Join(picks, ", "), t.name, m.pointing(t, columns), order(keys))
	var held []heldFile
	err = out.file(to, is.File, func(w io.Writer) error {
		c := csv.NewWriter(w)
		if err := c.Write(names); err != nil {
			return err
		}
		line := make([]string, len(columns))
		err := db.each(ctx, query, func(row []any) error {
			is.Rows++
			for i, v := range row {
				line[i] = kinds[i](v)
			}
			if holds {
				f := heldFile{id: line[0], name: fileName(t.name, line[0], names, line)}
				held, line[data] = append(held, f), f.name
			}
			return c.Write(line)
		})
		c.Flush()
		if err == nil {
			err = c.Error()
		}
		return err
	})
	if err != nil {
		return err
	}
	for _, f := range held {
		var b []byte
		if err := db.Get(ctx, &b, fmt.Sprintf("SELECT data FROM %s WHERE %s = ?", t.name, keys[0]), f.id); err != nil {
			return err
		}
		if err := out.Put(to, f.name, b); err != nil {
			return err
		}
		if id, err := strconv.ParseInt(f.id, 10, 64); err == nil && t.name == "file" {
			out.Held[ref.File(id)] = f.name
		}
	}
	out.Tables = append(out.Tables, is)
	return nil
}

// heldFile is a file whose bytes are in a row.
type heldFile struct{ id, name string }

// fileName gives the name in the folder of a file: its number and, so that it opens, how it was called.
func fileName(table, id string, columns, row []string) string {
	was := ""
	if i := slices.Index(columns, "name"); i >= 0 {
		was = row[i]
	} else if i := slices.Index(columns, "type"); i >= 0 {
		was = "small." + path.Base(row[i])
	}
	return "files/" + id + "-" + plainName(was)
}

// plainName makes a name one that every file system takes.
func plainName(name string) string {
	plain := strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '.' || r == '_' {
			return r
		}
		return '-'
	}, name)
	for strings.Contains(plain, "--") {
		plain = strings.ReplaceAll(plain, "--", "-")
	}
	plain = strings.Trim(plain, ".-")
	if n := len(plain); n > 80 { // its ending is what opens it
		plain = plain[:60] + plain[n-20:]
	}
	return plain
}

// Put writes a file of the folder and notes it.
func (m *Moved) Put(to Folder, name string, b []byte) error {
	return m.file(to, name, func(w io.Writer) error { _, err := w.Write(b); return err })
}

// file writes a file of the folder and notes its size and sum.
func (m *Moved) file(to Folder, name string, write func(io.Writer) error) error {
	w, err := to.Create(name)
	if err != nil {
		return err
	}
	s := &summed{to: w, sum: sha256.New()}
	if err := write(s); err != nil {
		return err
	}
	m.Files = append(m.Files, MovedFile{name, s.size, hex.EncodeToString(s.sum.Sum(nil))})
	return nil
}

// summed passes on what is written, and sums it.
type summed struct {
	to   io.Writer
	sum  hash.Hash
	size int64
}

func (s *summed) Write(b []byte) (int, error) {
	n, err := s.to.Write(b)
	s.sum.Write(b[:n])
	s.size += int64(n)
	return n, err
}

// Write writes the list itself, with which the folder is whole.
func (m *Moved) Write(to Folder) error {
	b, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	w, err := to.Create(MovedList)
	if err == nil {
		_, err = w.Write(append(b, '\n'))
	}
	return err
}

func sayCell(v any) string {
	switch v := v.(type) {
	case int64:
		return strconv.FormatInt(v, 10)
	case float64:
		return strconv.FormatFloat(v, 'g', -1, 64)
	case []byte:
		return string(v)
	case string:
		return v
	}
	return fmt.Sprint(v)
}

func sayDay(v any) string {
	n, _ := v.(int64)
	if n == 0 {
		return ""
	}
	return day.Date(n).String()
}

func sayTime(v any) string {
	n, _ := v.(int64)
	if n == 0 {
		return ""
	}
	return day.Moment(n).In(time.UTC).Format(time.RFC3339)
}
