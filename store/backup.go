package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"modernc.org/sqlite"
)

// Backup writes a whole, consistent copy of the data to a new file, for its owner alone,
// also while the program runs. The file must not exist yet; if the backup fails, there is
// none afterwards.
func Backup(ctx context.Context, path, to string) error {
	if _, err := os.Stat(path); err != nil {
		return fmt.Errorf("there is no data at %s: %w", path, err)
	}
	f, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600) // SQLite takes an empty file as none
	if errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("%s exists already; choose another name", to)
	} else if err != nil {
		return fmt.Errorf("write the backup: %w", err)
	}
	if err := errors.Join(f.Close(), backup(ctx, path, to)); err != nil {
		return errors.Join(fmt.Errorf("write the backup: %w", err), os.Remove(to))
	}
	return nil
}

func backup(ctx context.Context, path, to string) error {
	db, err := sql.Open("sqlite", address(path)+"?mode=ro&_pragma=busy_timeout(5000)")
	if err != nil {
		return err
	}
	_, err = db.ExecContext(ctx, "VACUUM INTO ?", to)
	return errors.Join(err, db.Close())
}

type copier interface {
	NewRestore(string) (*sqlite.Backup, error)
}

// ReplaceBy makes the open data equal to that of a file. Readers see the old
// state or the new one, never a mixture.
func (db *DB) ReplaceBy(ctx context.Context, path string) error {
	db.mu.Lock()
	defer db.mu.Unlock()
	conn, err := db.write.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(c any) error {
		b, err := c.(copier).NewRestore("file:" + path)
		if err != nil {
			return fmt.Errorf("open %s: %w", path, err)
		}
		for more := true; more && err == nil; {
			more, err = b.Step(-1)
		}
		return errors.Join(err, b.Finish())
	})
}

// Path is where the data file lies.
func (db *DB) Path() string { return db.path }

// Dump writes the rows of a query as text, for comparing two states of the data.
func Dump(ctx context.Context, db *DB, query string) (string, error) {
	rows, err := db.read.QueryxContext(ctx, query)
	if err != nil {
		return "", err
	}
	defer rows.Close()
	out := ""
	for rows.Next() {
		row, err := rows.SliceScan()
		if err != nil {
			return "", err
		}
		out += fmt.Sprintln(row...)
	}
	return out, rows.Err()
}
