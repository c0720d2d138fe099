package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"

	"modernc.org/sqlite"
)

// Backup writes a whole, consistent copy of the data to a new file, also while
// the program runs. The file must not exist yet.
func Backup(ctx context.Context, path, to string) error {
	if _, err := os.Stat(path); err != nil {
		return fmt.Errorf("there is no data at %s: %w", path, err)
	}
	if _, err := os.Stat(to); err == nil {
		return fmt.Errorf("%s exists already; choose another name", to)
	}
	db, err := connect(path, 1, "deferred")
	if err != nil {
		return err
	}
	_, err = db.ExecContext(ctx, "VACUUM INTO ?", to)
	return errors.Join(err, db.Close())
}

// Check reports whether a file is a whole data file of this program.
func Check(ctx context.Context, path string) error {
	if _, err := os.Stat(path); err != nil {
		return fmt.Errorf("there is no file %s: %w", path, err)
	}
	db, err := sql.Open("sqlite", "file:"+path+"?mode=ro&immutable=1")
	if err != nil {
		return err
	}
	defer db.Close()
	var word string
	if err := db.QueryRowContext(ctx, "PRAGMA integrity_check").Scan(&word); err != nil || word != "ok" {
		return fmt.Errorf("%s is not a whole data file: %s", path, errors.Join(err, errors.New(word)))
	}
	var n int
	if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM sqlite_master WHERE name IN ('piece', 'logbook')").Scan(&n); err != nil || n != 2 {
		return fmt.Errorf("%s holds no newsroom", path)
	}
	return nil
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
