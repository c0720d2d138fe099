package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"greenbaton/store"
	"greenbaton/store/replica"
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

// copyPlace are the flags that say where a copy is kept up.
type copyPlace struct {
	Copy         string `help:"Where a copy of the data is kept up all the time: a folder on another disk or machine, or s3://bucket/folder."`
	CopyEndpoint string `default:"https://s3.amazonaws.com" help:"The address of the store that speaks S3."`
	CopyRegion   string `default:"us-east-1" help:"Its region."`
	CopyKey      string `env:"GREENBATON_COPY_KEY" help:"The key with which it lets in."`
	CopySecret   string `env:"GREENBATON_COPY_SECRET" help:"The secret of the key; better given in the environment."`
}

func (c *copyPlace) place() (replica.Place, error) {
	p := replica.Place{At: c.Copy, Endpoint: c.CopyEndpoint, Key: c.CopyKey, Secret: c.CopySecret, Region: c.CopyRegion}
	if strings.Contains(c.Copy, "://") {
		return p, nil
	}
	var err error
	p.At, err = filepath.Abs(c.Copy)
	return p, err
}

type restoreCmd struct {
	copyPlace
	File   string `arg:"" optional:"" type:"existingfile" help:"A file that backup wrote; or none, and --copy."`
	At     string `help:"The moment to go back to, like '2026-11-28 09:30' by the clock of this machine; the newest if left out."`
	Data   string `required:"" type:"path" help:"The data folder."`
	Anyway bool   `help:"Restore the file although something speaks against it."`
}

// Run puts a backup, or a moment of the copy, in the place of the data; what was there is kept beside it.
func (c *restoreCmd) Run() (err error) {
	from := c.File
	switch {
	case (c.File == "") == (c.Copy == ""):
		return errors.New("give either a file that backup wrote, or --copy and where the copy is")
	case c.Copy == "" && c.At != "":
		return errors.New("a backup is of one moment; --at goes with --copy")
	case c.Copy != "":
		dir, err := os.MkdirTemp("", "greenbaton-restore")
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
		c.File = filepath.Join(dir, store.FileName)
		if from, err = c.fromCopy(); err != nil {
			return err
		}
	}
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
		fmt.Printf("Restored from %s.\n", from)
	}
	if kept != "" {
		fmt.Printf("What was there before is kept in %s.\n", kept)
	}
	return errors.Join(err, l.Unlock())
}

// fromCopy makes the file to restore from the copy, and says of which moment it is.
func (c *restoreCmd) fromCopy() (string, error) {
	at, err := momentOf(c.At, time.Local)
	if err != nil {
		return "", err
	}
	p, err := c.place()
	if err != nil {
		return "", err
	}
	if err := replica.Restore(context.Background(), p, at, c.File); err != nil {
		return "", err
	}
	if at.IsZero() {
		return c.Copy, nil
	}
	return c.Copy + ", as it was on " + at.Format("Monday 2 January 2006, 15:04:05"), nil
}

// momentOf reads a moment, by RFC 3339 or by the clock of a zone; none is the zero time.
func momentOf(s string, zone *time.Location) (time.Time, error) {
	if s == "" {
		return time.Time{}, nil
	}
	if t, err := time.Parse(time.RFC3339, s); err == nil {
		return t, nil
	}
	for _, layout := range []string{time.DateTime, "2006-01-02 15:04", "2006-01-02T15:04:05", "2006-01-02T15:04"} {
		if t, err := time.ParseInLocation(layout, s, zone); err == nil {
			return t, nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is no moment; write it like '2026-11-28 09:30'", s)
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
