package store

import (
	"context"
	"errors"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"

	"github.com/pressly/goose/v3"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

var ctx = context.Background()

func fresh(t testing.TB) *DB {
	t.Helper()
	db, err := Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

func TestColumnsAreNamedAfterFields(t *testing.T) {
	for field, want := range map[string]string{"ID": "id", "PieceID": "piece_id", "GoesOut": "goes_out", "InHand": "in_hand", "CouldGoOut": "could_go_out", "At": "at"} {
		if got := snake(field); got != want {
			t.Errorf("%s is stored as %s, want %s", field, got, want)
		}
	}
}

func TestAnActThatFailsLeavesNothing(t *testing.T) {
	db := fresh(t)
	stop := errors.New("stop")
	add := func(tx *Tx) error {
		_, err := tx.AddDesk(ctx, Desk{Name: "D", Zone: "UTC", Weekdays: "0111110", PassBy: "holder"})
		return err
	}
	for name, write := range map[string]func() error{
		"write": func() error { return db.Write(ctx, func(tx *Tx) error { return errors.Join(add(tx), stop) }) },
		"batch": func() error {
			return db.Batch(ctx, func() error { return errors.Join(db.Write(ctx, add), stop) })
		},
		"panic": func() (err error) {
			defer func() { recover(); err = stop }()
			return db.Write(ctx, func(tx *Tx) error { add(tx); panic("x") })
		},
	} {
		if err := write(); !errors.Is(err, stop) {
			t.Errorf("%s: %v", name, err)
		}
		var n int
		if err := db.Get(ctx, &n, "SELECT COUNT(*) FROM desk"); err != nil || n != 0 {
			t.Errorf("%s left %d desks: %v", name, n, err)
		}
	}
	if err := db.Write(ctx, add); err != nil {
		t.Errorf("afterwards nothing can be written: %v", err)
	}
}

func TestPragmasAreThoseThatKeepData(t *testing.T) {
	db := fresh(t)
	for pragma, want := range map[string]string{"journal_mode": "wal", "synchronous": "2", "foreign_keys": "1"} {
		var got string
		if err := db.write.Get(&got, "PRAGMA "+pragma); err != nil || got != want {
			t.Errorf("%s is %s: %v", pragma, got, err)
		}
	}
	err := db.Write(ctx, func(tx *Tx) error {
		_, err := tx.AddPiece(ctx, relay.Piece{Number: 1, DeskID: 99, FormatID: 99, RouteID: 99, ChannelID: 99, Owner: 99})
		return err
	})
	if err == nil {
		t.Error("a piece of no desk was stored")
	}
}

func TestOpeningAgainKeepsWhatIsStored(t *testing.T) {
	dir := t.TempDir()
	for i := range 3 {
		db, err := Open(ctx, dir)
		if err != nil {
			t.Fatal(err)
		}
		var n int
		if err := db.Get(ctx, &n, "SELECT COUNT(*) FROM logbook"); err != nil || n != i {
			t.Errorf("%d entries, want %d (%v)", n, i, err)
		}
		if err := db.Write(ctx, func(tx *Tx) error { return tx.Log(ctx, Entry{Act: "a", What: "b"}) }); err != nil {
			t.Fatal(err)
		}
		if got, err := Verify(ctx, db); err != nil || got != int64(i+1) {
			t.Error(got, err)
		}
		if err := db.Close(); err != nil {
			t.Fatal(err)
		}
	}
}

func TestAMessageWithTheSameKeyIsQueuedOnce(t *testing.T) {
	db := fresh(t)
	err := db.Write(ctx, func(tx *Tx) error {
		m := Message{Key: "k", Kind: "mail", To: "a@b.example"}
		return errors.Join(tx.AddMessage(ctx, m), tx.AddMessage(ctx, m))
	})
	if err != nil {
		t.Fatal(err)
	}
	if ms, err := WaitingMessages(ctx, db, []string{KindMail}, 1, 9); err != nil || len(ms) != 1 {
		t.Errorf("%d messages wait: %v", len(ms), err)
	}
}

// oldData makes a data file of an older version, with what statements put into it.
func oldData(t testing.TB, dir string, version int, statements ...string) {
	t.Helper()
	raw, err := connect(filepath.Join(dir, FileName), 1, "immediate")
	if err != nil {
		t.Fatal(err)
	}
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		t.Fatal(err)
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, raw.DB, sub)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.UpTo(ctx, int64(version)); err != nil {
		t.Fatal(err)
	}
	for _, q := range statements {
		if _, err := raw.Exec(q); err != nil {
			t.Fatal(q, err)
		}
	}
	if err := raw.Close(); err != nil {
		t.Fatal(err)
	}
}

// A file of the first edition is brought up to date with everything in it kept.
func TestOldDataIsBroughtUpToDate(t *testing.T) {
	dir := t.TempDir()
	oldData(t, dir, 1,
		`INSERT INTO desk (name, zone, weekdays) VALUES ('Old', 'Europe/London', '0111110')`, `INSERT INTO channel (desk_id, name, slug) VALUES (1, 'Web', 'web')`,
		`INSERT INTO slot (channel_id, rule, start, at) VALUES (1, 'FREQ=DAILY', 20000, 480)`, `INSERT INTO person (name, initials, mail, access, hours) VALUES ('A B', 'AB', 'a@b.example', 'lead', '0,1,1,1,1,1,0')`,
		`INSERT INTO format (desk_id, channel_id, name) VALUES (1, 1, 'Feature')`, `INSERT INTO route (format_id, version, legs) VALUES (1, 1, '{"legs":[{"key":"a","name":"A","role":"r","allowance":2,"steps":[{"text":"s","must":true}]}]}')`,
		`INSERT INTO piece (number, desk_id, format_id, route_id, channel_id, title, owner, stage, created_at) VALUES (1, 1, 1, 1, 1, 'Kept', 1, 'running', 5)`,
		`INSERT INTO leg (piece_id, position, key, name, role, allowance, least, effort, state) VALUES (1, 0, 'a', 'A', 'r', 2, 1, 60, 'running')`, `INSERT INTO step (piece_id, leg, text) VALUES (1, 'a', 's')`,
	)
	db, err := Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	ref, err := LoadReference(ctx, db)
	if err != nil || ref.Desks[0].Goal != 20 || ref.Desks[0].Retired || ref.Slots[0].Retired || ref.Routes[0].Way.Legs[0].Steps[0].Text != "s" {
		t.Errorf("%v %+v", err, ref)
	}
	row, err := Piece(ctx, db, 1)
	if err != nil || row.Title != "Kept" || row.Legs[0].Remaining() != 60 || row.Legs[0].Beside {
		t.Errorf("%v %+v", err, row)
	}
	if steps, err := Steps(ctx, db, 1); err != nil || len(steps) != 1 || steps[0].Role != "" {
		t.Errorf("%v %+v", err, steps)
	}
}

// Whatever is done to a row of the logbook behind its back is found, and the entry named.
func TestTamperingWithTheLogbookIsFoundAndNamed(t *testing.T) {
	const n = 40
	for name, x := range map[string]struct{ sql, says string }{
		"a word changed":      {"UPDATE logbook SET what = 'nothing' WHERE seq = 17", "entry 17 has been changed"},
		"a reason changed":    {"UPDATE logbook SET why = '<b>' WHERE seq = 40", "entry 40 has been changed"},
		"an event changed":    {"UPDATE logbook SET events = 'x' WHERE seq = 3", "entry 3 has been changed"},
		"an entry taken out":  {"DELETE FROM logbook WHERE seq = 21", "entry 21 is missing"},
		"the first taken out": {"DELETE FROM logbook WHERE seq = 1", "entry 1 is missing"},
		"a hash made to fit":  {"UPDATE logbook SET what = 'x', hash = 'y' WHERE seq = 5", "entry 5 has been changed"},
		"two changed round":   {"UPDATE logbook SET seq = CASE seq WHEN 8 THEN -9 ELSE -8 END WHERE seq IN (8, 9); UPDATE logbook SET seq = -seq WHERE seq < 0", "entry 8 does not follow"},
		"who did it":          {"UPDATE logbook SET actor = 9 WHERE seq = 2", "entry 2 has been changed"},
		"when it was":         {"UPDATE logbook SET at = at - 1 WHERE seq = 30", "entry 30 has been changed"},
	} {
		db := fresh(t)
		err := db.Write(ctx, func(tx *Tx) error {
			for i := range n {
				e := Entry{At: 5, DeskID: 1, Actor: 1, Act: "wrote", What: "“quoted” & <tagged> \u2028 line\nbreak", Why: "why"}
				if i%2 == 0 {
					e.Events, e.State = "passed\tdraft", "1 2 3"
				}
				if err := tx.Log(ctx, e); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
		if got, err := Verify(ctx, db); err != nil || got != n {
			t.Fatalf("as it was written: %d, %v", got, err)
		}
		for _, q := range append([]string{"DROP TRIGGER logbook_stays", "DROP TRIGGER logbook_keeps"}, strings.Split(x.sql, "; ")...) {
			if _, err := db.write.Exec(q); err != nil {
				t.Fatal(name, err)
			}
		}
		if _, err := Verify(ctx, db); err == nil || !strings.Contains(err.Error(), x.says) {
			t.Errorf("%s: %v, want %q", name, err, x.says)
		}
	}
}

func BenchmarkVerifyAMillionEntries(b *testing.B) {
	db := fresh(b)
	state := strings.Repeat("draft 1 3 5 0 20780 0 0 20775 0 1795000000 1795000000 1\n", 6)
	if err := db.Write(ctx, func(tx *Tx) error {
		var prev string
		for i := range ref.Piece(1_000_000) {
			e := Entry{Seq: int64(i + 1), At: 1_795_000_000, DeskID: 1, PieceID: i % 1000, Actor: 3, Act: "passed", What: "passed Draft to Maren, Edit, 2 days early", Version: 4, Prev: prev}
			if i%2 == 0 {
				e.Events, e.State = "passed\tdraft\t0\t\t\t0", state
			}
			e.Hash = e.sum()
			prev = e.Hash
			if _, err := put[int64](ctx, tx, "logbook", e, "seq", "at", "desk_id", "piece_id", "actor", "act", "what", "why", "before", "after", "version", "events", "state", "prev", "hash"); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if n, err := Verify(ctx, db); err != nil || n != 1_000_000 {
			b.Fatal(n, err)
		}
	}
}

// What is worked out under a turn is asked for again once a write, and what is told of it, is over: not
// before, when what is kept in memory is still as it was.
func TestATurnEndsAfterWhatIsToldOfAWrite(t *testing.T) {
	db, err := Open(t.Context(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	before := db.Turn()
	told := false
	if err := db.Write(t.Context(), func(tx *Tx) error { return tx.SetSetting(t.Context(), "a", "b") }, func(bool) { told = db.Turn() == before }); err != nil {
		t.Fatal(err)
	}
	if !told || db.Turn() == before {
		t.Errorf("the turn was over when it was told: %v; it is another: %v", !told, db.Turn() != before)
	}
	after := db.Turn()
	if err := db.Batch(t.Context(), func() error { return nil }); err != nil || db.Turn() == after {
		t.Error("a batch ends no turn", err)
	}
}
