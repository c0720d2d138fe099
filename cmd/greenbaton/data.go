package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"greenbaton/store"
)

type backupCmd struct {
	File string `arg:"" type:"path" help:"The file to write; it must not exist yet."`
	Data string `required:"" type:"path" help:"The data folder."`
}

// Run writes a backup.
func (c *backupCmd) Run() error {
	if err := store.Backup(context.Background(), filepath.Join(c.Data, store.FileName), c.File); err != nil {
		return err
	}
	fmt.Printf("The backup is in %s.\n", c.File)
	return nil
}

type restoreCmd struct {
	File string `arg:"" type:"existingfile" help:"A file that backup wrote."`
	Data string `required:"" type:"path" help:"The data folder."`
}

// Run puts a backup in the place of the data; what was there is kept beside it.
func (c *restoreCmd) Run() error {
	if err := store.Check(context.Background(), c.File); err != nil {
		return err
	}
	l, err := lock(c.Data)
	if err != nil {
		return err
	}
	defer l.Unlock()
	to := filepath.Join(c.Data, store.FileName)
	fresh := to + ".restored"
	if err := copyFile(c.File, fresh); err != nil {
		return err
	}
	kept := ""
	if _, err := os.Stat(to); err == nil {
		kept = to + ".before-restore"
		if err := errors.Join(os.RemoveAll(kept), store.Backup(context.Background(), to, kept)); err != nil {
			return fmt.Errorf("keep the present data: %w", err)
		}
	}
	for _, f := range []string{to + "-wal", to + "-shm"} {
		if err := os.RemoveAll(f); err != nil {
			return err
		}
	}
	if err := os.Rename(fresh, to); err != nil {
		return err
	}
	fmt.Printf("Restored from %s.\n", c.File)
	if kept != "" {
		fmt.Printf("What was there before is kept in %s.\n", kept)
	}
	return nil
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Sync(), out.Close())
}

type verifyCmd struct {
	Data string `required:"" type:"path" help:"The data folder."`
}

// Run checks the logbook.
func (c *verifyCmd) Run() error {
	ctx := context.Background()
	if _, err := os.Stat(filepath.Join(c.Data, store.FileName)); err != nil {
		return fmt.Errorf("there is no data in %s", c.Data)
	}
	db, err := store.Open(ctx, c.Data)
	if err != nil {
		return err
	}
	defer db.Close()
	n, err := store.Verify(ctx, db)
	if err != nil {
		return fmt.Errorf("the logbook is not as it was written: %w", err)
	}
	fmt.Printf("All %d entries of the logbook are as they were written.\n", n)
	return nil
}
