package store

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// houseWith makes a data folder with some entries in its logbook, and closes it.
func houseWith(t testing.TB, entries int) string {
	t.Helper()
	dir := t.TempDir()
	db, err := Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	logSome(t, db, entries)
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	return dir
}

func logSome(t testing.TB, db *DB, n int) {
	t.Helper()
	for i := range n {
		if err := db.Write(ctx, func(tx *Tx) error { return tx.Log(ctx, Entry{Act: "a", What: fmt.Sprint("entry ", i)}) }); err != nil {
			t.Fatal(err)
		}
	}
}

func backupOf(t testing.TB, dir string) string {
	t.Helper()
	to := filepath.Join(t.TempDir(), "backup.db")
	if err := Backup(ctx, filepath.Join(dir, FileName), to); err != nil {
		t.Fatal(err)
	}
	return to
}

// entries gives how many entries the logbook of a folder has, which must be whole.
func entries(t testing.TB, dir string) int64 {
	t.Helper()
	n, _, err := VerifyFile(ctx, filepath.Join(dir, FileName))
	if err != nil {
		t.Error(err)
	}
	return n
}

func bytesOf(t testing.TB, path string) []byte {
	t.Helper()
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// However the present file is damaged, a restore moves it away as it is, with its
// companions, and a second restore keeps what the first put there without touching what it kept.
func TestARestoreMovesThePresentFileAwayWhateverItsState(t *testing.T) {
	backup := backupOf(t, houseWith(t, 7))
	at := time.Date(2026, 12, 1, 9, 30, 0, 0, time.UTC)
	for name, spoil := range map[string]func(dir, file string) error{
		"rubbish":         func(_, file string) error { return os.WriteFile(file, []byte("no data at all"), 0o644) },
		"cut short":       func(_, file string) error { return os.Truncate(file, 5000) },
		"empty":           func(_, file string) error { return os.Truncate(file, 0) },
		"with companions": func(_, file string) error { return os.WriteFile(file+"-wal", []byte("left over"), 0o644) },
		"whole":           func(_, file string) error { return nil },
		"missing":         func(_, file string) error { return os.Remove(file) },
	} {
		dir := houseWith(t, 3)
		file := filepath.Join(dir, FileName)
		if err := spoil(dir, file); err != nil {
			t.Fatal(err)
		}
		was := map[string][]byte{}
		for _, ending := range append([]string{""}, companions...) {
			if b, err := os.ReadFile(file + ending); err == nil {
				was[FileName+ending] = b
			}
		}
		first, err := Restore(dir, backup, at)
		if err != nil || (first == "") != (len(was) == 0) {
			t.Fatalf("%s: kept in %q, %v", name, first, err)
		}
		for f, b := range was {
			if !bytes.Equal(bytesOf(t, filepath.Join(first, f)), b) {
				t.Errorf("%s: %s is not kept as it was", name, f)
			}
		}
		if n := entries(t, dir); n != 7 {
			t.Errorf("%s: %d entries after the restore", name, n)
		}
		second, err := Restore(dir, backup, at) // in the same second
		if err != nil || second == first {
			t.Fatalf("%s: the second restore keeps in %q after %q, %v", name, second, first, err)
		}
		for f, b := range was {
			if !bytes.Equal(bytesOf(t, filepath.Join(first, f)), b) {
				t.Errorf("%s: the second restore touched %s, which the first kept", name, f)
			}
		}
		if n := entries(t, second); n != 7 {
			t.Errorf("%s: the second restore kept %d entries", name, n)
		}
	}
}

// A restore that is cut off between two renames leaves the newest entries in a companion;
// the program refuses to start over that, and the next restore puts them where their file is.
func TestARestoreCutOffLosesNothing(t *testing.T) {
	dir := t.TempDir()
	db, err := Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	logSome(t, db, 5)
	file := filepath.Join(dir, FileName)
	at := time.Date(2026, 12, 1, 9, 30, 0, 0, time.UTC)
	kept, err := keptFolder(dir, at, false)
	if err != nil {
		t.Fatal(err)
	}
	wal := bytesOf(t, file+"-wal") // closing the data would put it into the file
	main := bytesOf(t, file)
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	for path, b := range map[string][]byte{filepath.Join(kept, FileName): main, file + "-wal": wal} {
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Remove(file); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(ctx, dir); err == nil || !strings.Contains(err.Error(), "a restore was cut off") {
		t.Fatalf("it opens over a companion that is left: %v", err)
	}
	again, err := Restore(dir, backupOf(t, houseWith(t, 2)), at.Add(time.Minute))
	if err != nil || again != kept {
		t.Fatalf("it kept in %q, and before in %q: %v", again, kept, err)
	}
	if n := entries(t, dir); n != 2 {
		t.Errorf("%d entries are restored", n)
	}
	if n := entries(t, kept); n != 5 {
		t.Errorf("%d entries are kept", n)
	}
}

// What speaks against a backup is said before anything moves.
func TestWhatSpeaksAgainstABackupIsSaid(t *testing.T) {
	change := func(path, sql string) {
		t.Helper()
		db, err := connect(path, 1, "immediate")
		if err != nil {
			t.Fatal(err)
		}
		db.MustExec(sql)
		if err := db.Close(); err != nil {
			t.Fatal(err)
		}
	}
	dir := houseWith(t, 40)
	for name, x := range map[string]struct {
		spoil func(path string)
		says  string
	}{
		"good": {func(string) {}, ""},
		"rubbish": {func(path string) {
			if err := os.WriteFile(path, []byte("not a database"), 0o600); err != nil {
				t.Fatal(err)
			}
		}, "It is damaged"},
		"cut": {func(path string) {
			if err := os.Truncate(path, int64(len(bytesOf(t, path))/2)); err != nil {
				t.Fatal(err)
			}
		}, "It is damaged"},
		"another's": {func(path string) { change(path, "DROP TABLE logbook") }, "it holds no newsroom"},
		"newer": {func(path string) {
			change(path, "INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, 1)")
		}, fmt.Sprintf("version 9999, and this program knows versions up to %d", knownVersion)},
		"bent": {func(path string) {
			change(path, "DROP TRIGGER logbook_stays; UPDATE logbook SET what = 'x' WHERE seq = 12")
		}, "entry 12 has been changed"},
		"live": {func(path string) {
			if err := os.WriteFile(path+"-wal", []byte("frames"), 0o600); err != nil {
				t.Fatal(err)
			}
		}, "copied while the newsroom ran"},
	} {
		path := backupOf(t, dir)
		x.spoil(path)
		was := bytesOf(t, path)
		against, err := Examine(ctx, path)
		if err != nil || (len(against) == 0) != (x.says == "") || !strings.Contains(strings.Join(against, " "), x.says) {
			t.Errorf("%s: %q, %v", name, against, err)
		}
		if !bytes.Equal(bytesOf(t, path), was) {
			t.Errorf("%s: looking at it changed it", name)
		}
	}
	for _, path := range []string{filepath.Join(dir, "nowhere"), dir} {
		if against, err := Examine(ctx, path); err == nil {
			t.Errorf("%s: %q", path, against)
		}
	}
}

// A backup of an older version is verified and restored.
func TestABackupOfAnOlderVersionIsGood(t *testing.T) {
	dir := t.TempDir()
	oldData(t, dir, int(knownVersion-1))
	if against, err := Examine(ctx, filepath.Join(dir, FileName)); err != nil || len(against) > 0 {
		t.Error(against, err)
	}
	if _, _, err := VerifyFile(ctx, filepath.Join(dir, FileName)); err == nil || !strings.Contains(err.Error(), "from before this program") {
		t.Error(err)
	}
}

// Data of a newer program is neither opened nor written.
func TestNewerDataIsRefusedAndNotTouched(t *testing.T) {
	dir := houseWith(t, 3)
	file := filepath.Join(dir, FileName)
	db, err := connect(file, 1, "immediate")
	if err != nil {
		t.Fatal(err)
	}
	db.MustExec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (500, 1)")
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	was := bytesOf(t, file)
	_, err = Open(ctx, dir)
	var newer *Newer
	if !errors.As(err, &newer) || newer.Version != 500 || !strings.Contains(err.Error(), fmt.Sprintf("version 500, and this program knows versions up to %d", knownVersion)) {
		t.Errorf("it says %v", err)
	}
	if _, _, err := VerifyFile(ctx, file); !errors.As(err, &newer) {
		t.Errorf("verify says %v", err)
	}
	if !bytes.Equal(bytesOf(t, file), was) {
		t.Error("it was written to")
	}
}

// Nobody but the owner reads the data, a backup, or what a restore keeps, also where the
// file was open to all before.
func TestOnlyTheOwnerReadsTheData(t *testing.T) {
	dir := houseWith(t, 1)
	if err := os.Chmod(filepath.Join(dir, FileName), 0o644); err != nil {
		t.Fatal(err)
	}
	db, err := Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	logSome(t, db, 1)
	backup := backupOf(t, dir)
	if err := os.Chmod(backup, 0o644); err != nil { // as somebody carried it about
		t.Fatal(err)
	}
	other := houseWith(t, 1)
	if _, err := Restore(other, backup, time.Now()); err != nil {
		t.Fatal(err)
	}
	fresh := backupOf(t, dir)
	for _, root := range []string{dir, other, fresh} {
		err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || path == dir || path == other { // which the test made
				return err
			}
			info, err := d.Info()
			if err == nil && info.Mode().Perm()&0o077 != 0 {
				t.Errorf("%s is %v", path, info.Mode())
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}

// A backup that cannot be made leaves no file that looks like one.
func TestABackupThatFailsLeavesNoFile(t *testing.T) {
	dir := houseWith(t, 1)
	file, to := filepath.Join(dir, FileName), filepath.Join(t.TempDir(), "b.db")
	if err := os.WriteFile(file, []byte(strings.Repeat("rubbish ", 4000)), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := Backup(ctx, file, to); err == nil {
		t.Error("rubbish was backed up")
	}
	if _, err := os.Stat(to); !errors.Is(err, fs.ErrNotExist) {
		t.Error("a file is left")
	}
}
