package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Examine looks at a backup, without changing it or anything beside it, and gives in
// sentences what speaks against restoring it: that it is damaged, of a newer program, not
// all there, or that its logbook is not as it was written. The error is for what is no
// file that can be read at all.
func Examine(ctx context.Context, path string) ([]string, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, fmt.Errorf("open the backup: %w", err)
	}
	info, err := f.Stat()
	if err := errors.Join(err, f.Close()); err != nil {
		return nil, fmt.Errorf("open the backup: %w", err)
	}
	if !info.Mode().IsRegular() || info.Size() == 0 {
		return nil, fmt.Errorf("%s is empty, or no file", path)
	}
	var against []string
	if left, err := os.Stat(path + "-wal"); err == nil && left.Size() > 0 {
		against = append(against, fmt.Sprintf("It was copied while the newsroom ran: what is in %s-wal is missing from it. Make backups with “greenbaton backup”.", path))
	}
	if err := whole(ctx, path); err != nil {
		return append(against, "It is damaged: "+err.Error()+"."), nil
	}
	is, err := versionOf(ctx, path)
	if err != nil {
		return append(against, "It is damaged: "+err.Error()+"."), nil
	}
	if is > knownVersion {
		newer := Newer{path, is}
		return append(against, newer.Error()+"."), nil
	}
	if err := verifyCopy(ctx, path); err != nil {
		against = append(against, "Its logbook is not as it was written: "+err.Error()+".")
	}
	return against, nil
}

// whole reports what is wrong with a data file as SQLite sees it.
func whole(ctx context.Context, path string) (err error) {
	db, err := sql.Open("sqlite", address(path)+"?mode=ro&immutable=1")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	var word string
	if err := db.QueryRowContext(ctx, "PRAGMA integrity_check").Scan(&word); err != nil {
		return err
	}
	if word != "ok" {
		return errors.New(strings.ReplaceAll(word, "\n", "; "))
	}
	var n int
	if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM sqlite_master WHERE name IN ('piece', 'logbook')").Scan(&n); err != nil {
		return err
	}
	if n != 2 {
		return errors.New("it holds no newsroom")
	}
	return nil
}

// verifyCopy checks the logbook of a data file on a copy of it, which is brought up to date
// first, as older data has other columns.
func verifyCopy(ctx context.Context, path string) (err error) {
	dir, err := os.MkdirTemp("", "greenbaton-verify")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	if err := copyFile(path, filepath.Join(dir, FileName)); err != nil {
		return err
	}
	db, err := Open(ctx, dir)
	if err != nil {
		return err
	}
	_, err = Verify(ctx, db)
	return errors.Join(err, db.Close())
}

// keptPrefix begins the names of the folders in which restores keep what was there before.
const keptPrefix = "before-restore-"

// Restore puts a backup in the place of the data of a folder that no program uses. The
// present file and its companions are moved away first, whatever their state, into a
// folder of their own with the time in its name, which it gives; "" if nothing was there.
// Cut off at any point, it can be run again, and loses nothing.
func Restore(dir, backup string, now time.Time) (kept string, err error) {
	to := filepath.Join(dir, FileName)
	fresh := to + ".restoring"
	if err := copyFile(backup, fresh); err != nil {
		return "", fmt.Errorf("copy the backup: %w", err)
	}
	if kept, err = moveAway(dir, now); err != nil {
		return kept, fmt.Errorf("move the present data away: %w", err)
	}
	if err := os.Rename(fresh, to); err != nil {
		return kept, err
	}
	return kept, syncFolder(dir)
}

// moveAway moves a data file and its companions into a new folder beside them.
func moveAway(dir string, now time.Time) (string, error) {
	var there []string
	for _, ending := range append([]string{""}, companions...) { // the file first: companions without it are held to be left over, see claim
		if _, err := os.Lstat(filepath.Join(dir, FileName+ending)); err == nil {
			there = append(there, FileName+ending)
		} else if !errors.Is(err, fs.ErrNotExist) {
			return "", err
		}
	}
	if len(there) == 0 {
		return "", nil
	}
	kept, err := keptFolder(dir, now, there[0] != FileName)
	if err != nil {
		return "", err
	}
	for _, name := range there {
		if err := os.Rename(filepath.Join(dir, name), filepath.Join(kept, name)); err != nil {
			return kept, err
		}
	}
	return kept, errors.Join(syncFolder(kept), syncFolder(dir))
}

// keptFolder makes a folder for what a restore replaces. Companions whose file went before
// them, when a restore was cut off, go where it is.
func keptFolder(dir string, now time.Time, onlyCompanions bool) (string, error) {
	if onlyCompanions {
		old, err := filepath.Glob(filepath.Join(dir, keptPrefix+"*"))
		if err != nil {
			return "", err
		}
		slices.Sort(old) // by their time
		if n := len(old); n > 0 {
			if _, err := os.Lstat(filepath.Join(old[n-1], FileName+"-wal")); errors.Is(err, fs.ErrNotExist) {
				return old[n-1], nil
			}
		}
	}
	name := filepath.Join(dir, keptPrefix+now.Format("2006-01-02-150405"))
	for n := 1; ; n++ {
		path := name
		if n > 1 {
			path = fmt.Sprintf("%s-%d", name, n)
		}
		if err := os.Mkdir(path, 0o700); !errors.Is(err, fs.ErrExist) {
			return path, err
		}
	}
}

// copyFile copies a file, for its owner alone, and returns when it is on the disk.
func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close() // it was only read
	out, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Chmod(0o600), out.Sync(), out.Close())
}

// syncFolder returns when what was renamed in a folder is on the disk.
func syncFolder(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}
