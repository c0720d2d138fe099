package store

import (
	"bytes"
	"crypto/sha256"
	"encoding/csv"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// shelf keeps a folder in memory.
type shelf struct{ files map[string]*bytes.Buffer }

func (s *shelf) Create(name string) (io.Writer, error) {
	if s.files == nil {
		s.files = map[string]*bytes.Buffer{}
	}
	if s.files[name] != nil {
		return nil, fmt.Errorf("%s twice", name)
	}
	s.files[name] = &bytes.Buffer{}
	return s.files[name], nil
}

func (s *shelf) fs() fstest.MapFS {
	out := fstest.MapFS{}
	for name, b := range s.files {
		out[name] = &fstest.MapFile{Data: bytes.Clone(b.Bytes())}
	}
	return out
}

// Every table goes along or stays, each column that holds days or times is written as such, and what is
// said of tables and columns is of some that are there.
func TestEveryTableMovesOrStays(t *testing.T) {
	db := fresh(t)
	var tables []string
	if err := db.Select(ctx, &tables, "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'goose_%' AND name NOT LIKE '%_words_%'"); err != nil {
		t.Fatal(err)
	}
	has := slices.Collect(maps.Keys(stays))
	for _, m := range movedTables {
		has = append(has, m.name)
	}
	slices.Sort(tables)
	slices.Sort(has)
	if !slices.Equal(tables, has) {
		t.Errorf("the tables are %v; what moves or stays is %v", tables, has)
	}
	rows := map[string]reflect.Type{"piece": reflect.TypeFor[Row](), "leg": reflect.TypeFor[relay.Leg]()}
	for _, tr := range trips {
		rows[tr.table] = reflect.TypeOf(tr.add).In(2)
	}
	for table, row := range rows {
		if _, along := goesAlong(table); !along {
			continue
		}
		columns, _, err := columnsOf(ctx, db, table)
		if err != nil {
			t.Fatal(err)
		}
		for name, info := range db.write.Mapper.TypeMap(row).Names {
			if !slices.ContainsFunc(columns, func(c column) bool { return c.Name == name }) {
				continue // of another table, read along
			}
			if is := info.Field.Type; (is == reflect.TypeFor[day.Date]()) != dayColumns[table+"."+name] && is.Kind() == reflect.Int32 || (is == reflect.TypeFor[day.Moment]()) != timeColumns[table+"."+name] && is.Kind() == reflect.Int64 {
				t.Errorf("%s.%s is a %s", table, name, is)
			}
		}
	}
	for _, all := range []map[string]bool{dayColumns, timeColumns} {
		for c := range all {
			var n int
			if err := db.Get(ctx, &n, "SELECT COUNT(*) FROM pragma_table_info(?) WHERE name = ?", tableOf(c), nameOf(c)); err != nil || n != 1 {
				t.Errorf("there is no %s: %v", c, err)
			}
		}
	}
}

// random fills every table that moves with rows that hold together, those of one desk apart from those of
// the other.
type random struct {
	t   *testing.T
	r   *rand.Rand
	db  *DB
	ids map[string]map[int][]int64 // by table and desk
	n   int64
}

// odd are texts that are hard on a file.
var odd = []string{"", "plain", "two\nlines", "of Windows\r\nand old\rMacs", `"quoted", with commas`, "=1+1", " led by a space", "trailing ", "“Zoë” – naïve 漢字 \U0001F33E", "\ttab", "a\\b", "\r\n", "'", "0", "007", "1e5", "null"}

func (x *random) text(desk int) string {
	return fmt.Sprint(odd[x.r.IntN(len(odd))], " of-desk-", desk, " ", odd[x.r.IntN(len(odd))])
}

// some gives the id of a row of a table.
func (x *random) some(table string, desk int) int64 {
	all := x.ids[table][desk]
	if len(all) == 0 {
		return 0
	}
	return all[x.r.IntN(len(all))]
}

// value gives what may stand in a column.
func (x *random) value(table string, c column, kind string, key bool, desk int) any {
	name := table + "." + c.Name
	x.n++
	switch {
	case table == "logbook", c.Name == "id":
		return x.n
	case c.Name == "desk_id" || table == "setting":
		return int64(desk)
	case c.Must:
		return x.some(c.To, desk)
	case c.To != "":
		if x.r.IntN(3) == 0 {
			return int64(0)
		}
		return x.some(c.To, desk)
	case oneOf[name] != nil:
		return oneOf[name][x.r.IntN(len(oneOf[name]))]
	case slices.Contains(flags, name):
		return int64(x.r.IntN(2))
	case dayColumns[name], timeColumns[name]:
		return x.n * int64(x.r.IntN(2)) // 0 is none; none in a key is told apart by the rest of it
	case name == "copy.text":
		return `[{"insert":"A text\n"}]`
	case name == "channel.outlet":
		return fmt.Sprintf(`{"kind":"micropub","secret":"hush%d","address":"of-desk-%d"}`, x.n, desk)
	case lists[name] != "":
		return ""
	case name == "person.mail":
		return fmt.Sprintf("p%d@of-desk-%d.example", x.n, desk)
	case name == "person.password", name == "person.otp", c.Name == "secret":
		return fmt.Sprintf("hush%d", x.n)
	case kind == "TEXT" && (key || strings.HasSuffix(c.Name, "key") || c.Name == "slug" || c.Name == "token"):
		return fmt.Sprint("k", x.n)
	case kind == "TEXT":
		return x.text(desk)
	case kind == "BLOB":
		b := make([]byte, x.r.IntN(300))
		for i := range b {
			b[i] = byte(x.r.IntN(256))
		}
		return b
	case kind == "REAL":
		return x.r.NormFloat64() * 1e6
	}
	return x.n
}

// fill puts some rows of a desk into a table.
func (x *random) fill(m movedTable, desk, rows int) {
	x.t.Helper()
	columns, _, err := columnsOf(ctx, x.db, m.name)
	if err != nil {
		x.t.Fatal(err)
	}
	var infos []struct {
		Name, Type string
		Pk         int
	}
	if err := x.db.write.Select(&infos, "SELECT name, type, pk FROM pragma_table_info(?)", m.name); err != nil {
		x.t.Fatal(err)
	}
	for range rows {
		var names []string
		var values []any
		var id int64
		for i, c := range columns {
			v := x.value(m.name, c, infos[i].Type, infos[i].Pk > 0, desk)
			if m.name == "desk" && c.Name == "id" {
				v = int64(desk)
			}
			if n, ok := v.(int64); ok && c.Name == "id" {
				id = n
			}
			names, values = append(names, `"`+c.Name+`"`), append(values, v)
		}
		if _, err := x.db.write.Exec(fmt.Sprintf("INSERT OR IGNORE INTO %s (%s) VALUES (%s)", m.name, strings.Join(names, ", "), marks(len(names))), values...); err != nil {
			x.t.Fatal(m.name, err)
		}
		if id != 0 {
			x.ids[m.name][desk] = append(x.ids[m.name][desk], id)
		}
	}
}

// house fills a house with so many desks.
func randomDesks(t *testing.T, seed uint64, desks int) *DB {
	t.Helper()
	x := &random{t: t, r: rand.New(rand.NewPCG(seed, 21)), db: unguarded(t), ids: map[string]map[int][]int64{}, n: 1000}
	for _, m := range movedTables {
		x.ids[m.name] = map[int][]int64{}
	}
	done := map[string]bool{}
	var fill func(m movedTable)
	fill = func(m movedTable) { // after what it must point at
		if done[m.name] {
			return
		}
		done[m.name] = true
		columns, _, err := columnsOf(ctx, x.db, m.name)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range columns {
			if to, ok := goesAlong(c.To); ok && c.To != m.name {
				fill(to)
			}
		}
		for desk := 1; desk <= desks; desk++ {
			switch m.name {
			case "desk":
				x.fill(m, desk, 1)
			case "logbook":
			case "setting":
				for _, name := range []string{fmt.Sprintf("names meant on desk %d", desk), "stop", fmt.Sprintf("month of desk %d sent", desk)} {
					if _, err := x.db.write.Exec("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", name, map[bool]string{true: "hush", false: x.text(desk)}[name == "stop"]); err != nil {
						t.Fatal(err)
					}
				}
				if _, err := x.db.write.Exec("INSERT OR REPLACE INTO setting (name, value) VALUES ('keep inbox', '30')"); err != nil {
					t.Fatal(err)
				}
			default:
				x.fill(m, desk, 3)
			}
		}
	}
	for _, m := range movedTables {
		fill(m)
	}
	if err := x.db.Write(ctx, func(tx *Tx) error {
		for i := range 20 {
			desk := 1 + i%desks
			if err := tx.Log(ctx, Entry{At: day.Moment(1000 + i), DeskID: ref.Desk(desk), PieceID: ref.Piece(x.some("piece", desk)), Actor: ref.Person(x.some("person", desk)), Act: "passed", What: x.text(desk), Why: x.text(desk), Before: "\r\n", Events: map[bool]string{true: "e", false: ""}[i%2 == 0]}); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	return x.db
}

// movedOut writes a desk into a folder in memory.
func movedOut(t *testing.T, db *DB, desk ref.Desk) (*shelf, *Moved) {
	t.Helper()
	s := &shelf{}
	m, err := MoveOut(ctx, db, desk, s, time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	if err := m.Write(s); err != nil {
		t.Fatal(err)
	}
	return s, m
}

// movedIn brings a folder into an empty house.
func movedIn(t *testing.T, from fs.FS) (db *DB, chain bool, err error) {
	t.Helper()
	dir := t.TempDir()
	if _, chain, err = MoveIn(ctx, from, dir); err != nil {
		if left, _ := filepath.Glob(filepath.Join(dir, "*")); len(left) > 0 {
			t.Errorf("%v left %v", err, left)
		}
		return nil, false, err
	}
	if db, err = Open(ctx, dir); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = db.Close() })
	return db, chain, nil
}

// A desk written out and brought into an empty house is what it was: written out from there again, every
// file is the same, to the byte, whatever stands in its rows. No secret is in the folder.
func TestADeskGoesOutAndIn(t *testing.T) {
	t.Parallel()
	for seed := range uint64(6) {
		db := randomDesks(t, seed, 1)
		out, m := movedOut(t, db, 1)
		for name, b := range out.files {
			if bytes.Contains(b.Bytes(), []byte("hush")) {
				t.Errorf("a secret is in %s", name)
			}
		}
		in, chain, err := movedIn(t, out.fs())
		if err != nil || !chain {
			t.Fatalf("seed %d: %v, one chain %v", seed, err, chain)
		}
		again, _ := movedOut(t, in, 1)
		for name, b := range out.files {
			if again.files[name] == nil || !bytes.Equal(b.Bytes(), again.files[name].Bytes()) {
				t.Errorf("seed %d: %s is another", seed, name)
			}
		}
		if len(again.files) != len(out.files) {
			t.Errorf("%d files, then %d", len(out.files), len(again.files))
		}
		for _, x := range m.Tables {
			var n int
			if err := in.Get(ctx, &n, "SELECT COUNT(*) FROM "+x.Name); err != nil || n != x.Rows || n == 0 {
				t.Errorf("%s has %d rows of %d: %v", x.Name, n, x.Rows, err)
			}
		}
		var found int
		if err := in.Get(ctx, &found, "SELECT COUNT(*) FROM copy_words WHERE copy_words MATCH 'text'"); err != nil || found == 0 {
			t.Errorf("words are not found in copies: %d %v", found, err)
		}
		for table, column := range map[string]string{"hook": "is_on", "receiver": "is_on", "person": "otp <> ''"} {
			var n int
			if err := in.Get(ctx, &n, "SELECT COUNT(*) FROM "+table+" WHERE "+column); err != nil || n != 0 {
				t.Errorf("%s: %d act by themselves, %v", table, n, err)
			}
		}
	}
}

// Of a house with two desks, one goes out with nothing of the other in it, and holds together.
func TestOneOfTwoDesksGoesOut(t *testing.T) {
	t.Parallel()
	for seed := range uint64(4) {
		db := randomDesks(t, seed, 2)
		// Somebody of the other desk passed something here, and a piece here followed from one there.
		if _, err := db.write.Exec(`UPDATE verdict SET person_id = (SELECT MIN(d.person_id) FROM person_desk d WHERE d.desk_id = 2) WHERE piece_id IN (SELECT id FROM piece WHERE desk_id = 1);
			UPDATE person SET guest = 0, retired = 0; UPDATE piece SET from_piece = (SELECT MAX(id) FROM piece WHERE desk_id = 2) WHERE desk_id = 1`); err != nil {
			t.Fatal(err)
		}
		out, m := movedOut(t, db, 1)
		for name, b := range out.files {
			text := b.String()
			if name == "tables/person.csv" { // whoever is named here, by name alone
				if strings.Contains(text, "@of-desk-2") || strings.Count(text, "elsewhere.invalid") < 1 {
					t.Errorf("people of the other desk: %s", text)
				}
				continue
			}
			if strings.Contains(text, "of-desk-2") {
				t.Errorf("%s has something of the other desk", name)
			}
		}
		in, chain, err := movedIn(t, out.fs())
		if err != nil || chain {
			t.Fatalf("seed %d: %v, one chain %v", seed, err, chain)
		}
		if n, err := Verify(ctx, in); err != nil || n != 10 {
			t.Errorf("its logbook has %d entries: %v", n, err)
		}
		for _, x := range m.Tables {
			var whole int
			if err := db.Get(ctx, &whole, "SELECT COUNT(*) FROM "+x.Name); err != nil || x.Rows > whole/2+1 && x.Name != "person" && x.Name != "setting" {
				t.Errorf("%d rows of %d of %s are of one desk: %v", x.Rows, whole, x.Name, err)
			}
		}
	}
}

// What is not as it was written does not come in, with the file named, and leaves nothing.
func TestWhatWasChangedDoesNotMoveIn(t *testing.T) {
	t.Parallel()
	out, _ := movedOut(t, randomDesks(t, 1, 1), 1)
	list := func(from, to string) func(fstest.MapFS) {
		return func(f fstest.MapFS) {
			f[MovedList].Data = bytes.Replace(f[MovedList].Data, []byte(from), []byte(to), 1)
		}
	}
	file := func(f fstest.MapFS) string {
		for name := range f {
			if strings.HasPrefix(name, "files/") && len(f[name].Data) > 0 {
				return name
			}
		}
		return ""
	}
	// sealed changes a table and the list with it, as somebody does who knows how.
	sealed := func(name, from, to string) func(fstest.MapFS) {
		return func(f fstest.MapFS) {
			was := slices.Clone(f[name].Data)
			f[name].Data = bytes.Replace(was, []byte(from), []byte(to), 1)
			if from == "" {
				f[name].Data = []byte(to)
			}
			sum := func(b []byte) string {
				return fmt.Sprintf("\"size\": %d,\n      \"sha256\": \"%x\"", len(b), sha256.Sum256(b))
			}
			list(sum(was), sum(f[name].Data))(f)
		}
	}
	for says, change := range map[string]func(fstest.MapFS){
		"this is no desk that was moved out":                      func(f fstest.MapFS) { delete(f, MovedList) },
		"cannot be read":                                          list("{", "["),
		"by a newer Green Baton (form 2":                          list(`"form": 1`, `"form": 2`),
		"by a newer Green Baton (form 1":                          list(fmt.Sprintf(`"version": %d`, knownVersion), fmt.Sprintf(`"version": %d`, knownVersion+1)),
		"names no version":                                        list(fmt.Sprintf(`"version": %d`, knownVersion), `"version": 0`),
		`a table "sqlite_master" that a desk does not have`:       list(`"name": "desk"`, `"name": "sqlite_master"`),
		`a table "token" that a desk does not have`:               list(`"name": "desk"`, `"name": "token"`),
		"tables/leg.csv is missing":                               func(f fstest.MapFS) { delete(f, "tables/leg.csv") },
		"tables/leg.csv is not as it was written":                 func(f fstest.MapFS) { f["tables/leg.csv"].Data[len(f["tables/leg.csv"].Data)-2]++ },
		"is not as it was written: its sum":                       func(f fstest.MapFS) { f[file(f)].Data[0]++ },
		"a column \"zweck\" that is not known":                    sealed("tables/desk.csv", "zone", "zweck"),
		"of the logbook is not as it was written; nobody can":     sealed("tables/logbook.csv", "passed", "killed"),
		"tables/holiday.csv, line 2, date: \"x\" is no day like":  sealed("tables/holiday.csv", "", "desk_id,date,name\n1,x,y\n"),
		"tables/holiday.csv has 0 rows":                           sealed("tables/holiday.csv", "", "desk_id,date,name\n"),
		"wrong number of fields":                                  sealed("tables/holiday.csv", "", "desk_id,date,name\n1\n"),
		"does not hold together: a row of ":                       sealed("tables/person.csv", "\n1", "\n7"),
		"greenbaton-desk.json does not name tables/elsewhere.csv": list(`"file": "tables/desk.csv"`, `"file": "tables/elsewhere.csv"`),
	} {
		f := out.fs()
		change(f)
		if _, _, err := movedIn(t, f); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("want %q: %v", says, err)
		}
	}
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, FileName), []byte("what is here"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, _, err := MoveIn(ctx, out.fs(), dir); err == nil || !strings.Contains(err.Error(), "already") {
		t.Error(err)
	}
	if b, err := os.ReadFile(filepath.Join(dir, FileName)); err != nil || string(b) != "what is here" {
		t.Errorf("what was there is %q, %v", b, err)
	}
}

// A folder of an older release is brought up to date.
func TestAnOlderFolderMovesIn(t *testing.T) {
	t.Parallel()
	out, m := movedOut(t, randomDesks(t, 3, 1), 1)
	f := out.fs()
	f[MovedList].Data = bytes.Replace(f[MovedList].Data, fmt.Appendf(nil, `"version": %d`, m.Version), fmt.Appendf(nil, `"version": %d`, 41), 1)
	// Before version 42 there were no programs that are told.
	i := bytes.Index(f[MovedList].Data, []byte(`      "name": "receiver",`))
	f[MovedList].Data = append(f[MovedList].Data[:i-len("    {\n")], f[MovedList].Data[i+bytes.Index(f[MovedList].Data[i:], []byte("    },\n"))+len("    },\n"):]...)
	db, _, err := movedIn(t, f)
	if err != nil {
		t.Fatal(err)
	}
	var n int
	if err := db.Get(ctx, &n, "SELECT COUNT(*) FROM receiver"); err != nil || n != 0 {
		t.Errorf("%d receivers, %v", n, err)
	}
}

// The tables are CSV as others read it.
func TestTablesAreCSV(t *testing.T) {
	t.Parallel()
	out, m := movedOut(t, randomDesks(t, 2, 1), 1)
	for _, x := range m.Tables {
		all, err := csv.NewReader(bytes.NewReader(out.files[x.File].Bytes())).ReadAll()
		if err != nil || len(all) != x.Rows+1 {
			t.Errorf("%s: %d rows of %d, %v", x.File, len(all)-1, x.Rows, err)
		}
	}
}
