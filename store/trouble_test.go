package store

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
)

// What SQLite says of the machine is told apart, each with what to do; what is wrong with
// what was asked is no trouble of the machine.
func TestTroubleOfTheMachineIsToldApart(t *testing.T) {
	write := func(db *DB, query string) error {
		return db.Write(ctx, func(tx *Tx) error { _, err := tx.Exec(ctx, query); return err })
	}
	blob := "INSERT INTO setting (name, value) VALUES ('x', hex(zeroblob(900000)))"
	for name, x := range map[string]struct {
		make func(t *testing.T, db *DB) error
		want Trouble
	}{
		"a full disk": {func(t *testing.T, db *DB) error {
			db.write.MustExec("PRAGMA max_page_count = 1")
			return write(db, blob)
		}, Full},
		"a read-only file": {func(t *testing.T, db *DB) error {
			db.write.MustExec("PRAGMA query_only = ON")
			return write(db, blob)
		}, ReadOnly},
		"a damaged page": {func(t *testing.T, db *DB) error {
			db.write.MustExec("PRAGMA writable_schema = ON; UPDATE sqlite_schema SET rootpage = 99999999 WHERE name = 'setting'")
			again, err := connect(db.path, 1, "immediate")
			if err != nil {
				return err
			}
			defer again.Close()
			var v string
			return again.Get(&v, "SELECT value FROM setting LIMIT 1")
		}, Damaged},
		"no data file": {func(t *testing.T, db *DB) error {
			path := filepath.Join(t.TempDir(), "x.db")
			if err := os.WriteFile(path, []byte(strings.Repeat("nothing of the kind ", 500)), 0o600); err != nil {
				return err
			}
			_, err := connect(path, 1, "immediate")
			return err
		}, Damaged},
		"no folder": {func(t *testing.T, db *DB) error { _, err := connect("/nowhere/at/all.db", 1, "immediate"); return err }, NotThere},
		"another program": {func(t *testing.T, db *DB) error {
			other, err := connect(db.path, 1, "immediate")
			if err != nil {
				return err
			}
			defer other.Close()
			tx := other.MustBegin()
			defer tx.Rollback()
			db.write.MustExec("PRAGMA busy_timeout = 1")
			return write(db, blob)
		}, Contended},
		"no room for a file":    {func(*testing.T, *DB) error { return fmt.Errorf("copy: %w", syscall.ENOSPC) }, Full},
		"a folder of others":    {func(*testing.T, *DB) error { return fmt.Errorf("open: %w", os.ErrPermission) }, ReadOnly},
		"a statement that errs": {func(t *testing.T, db *DB) error { return write(db, "INSERT INTO nothing VALUES (1)") }, ""},
		"a row that does not fit": {func(t *testing.T, db *DB) error {
			return write(db, "INSERT INTO leg (piece_id) VALUES (99)")
		}, ""},
		"something else": {func(*testing.T, *DB) error { return errors.New("else") }, ""},
	} {
		db := fresh(t)
		err := x.make(t, db)
		if err == nil {
			t.Errorf("%s: nothing failed", name)
		}
		if got := TroubleOf(err); got != x.want {
			t.Errorf("%s is %q: %v", name, got, err)
		}
	}
	if TroubleOf(nil) != "" {
		t.Error("nothing is trouble")
	}
}
