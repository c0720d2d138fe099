package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

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
	File   string `arg:"" type:"existingfile" help:"A file that backup wrote."`
	Data   string `required:"" type:"path" help:"The data folder."`
	Anyway bool   `help:"Restore the file although something speaks against it."`
}

// Run puts a backup in the place of the data; what was there is kept beside it.
func (c *restoreCmd) Run() error {
	against, err := store.Examine(context.Background(), c.File)
	if err != nil {
		return err
	}
	for _, x := range against {
		fmt.Fprintln(os.Stderr, x)
	}
	if len(against) > 0 && !c.Anyway {
		return fmt.Errorf("%s was not restored, and nothing was moved. Take another backup, or go on with --anyway", c.File)
	}
	l, err := lock(c.Data)
	if err != nil {
		return err
	}
	kept, err := store.Restore(c.Data, c.File, time.Now())
	if err != nil {
		err = fmt.Errorf("%w; run restore again once that is mended", err)
	} else {
		fmt.Printf("Restored from %s.\n", c.File)
	}
	if kept != "" {
		fmt.Printf("What was there before is kept in %s.\n", kept)
	}
	return errors.Join(err, l.Unlock())
}

type verifyCmd struct {
	Data string `required:"" type:"path" help:"The data folder."`
}

// Run checks the logbook, and that rows point at rows, also while the newsroom runs; it
// changes nothing.
func (c *verifyCmd) Run() error {
	n, astray, err := store.VerifyFile(context.Background(), filepath.Join(c.Data, store.FileName))
	if err != nil {
		return err
	}
	fmt.Printf("All %d entries of the logbook are as they were written.\n", n)
	for _, says := range astray {
		fmt.Printf("Beside it, %s. It was written before that was refused, or by another program; the newsroom works with it.\n", says)
	}
	return nil
}
