package main

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/newsroom/rooms"
	"greenbaton/post"
	"greenbaton/store"
)

type exportCmd struct {
	To   string `arg:"" type:"path" help:"What to write, which must not exist yet: a folder or a .zip for everything of a desk but secrets, a .csv, .xlsx or .json for a list."`
	Data string `required:"" type:"path" help:"The data folder; the newsroom may run on it meanwhile."`
	Desk string `help:"The desk, by its name; it can be left out where there is but one."`
	List string `default:"/pieces" help:"Which list, by the address of its page with its columns, filters and order, like '/pieces?pace=running'."`
	For  string `help:"The mail address of whoever the list is for: it has what they see. The first lead of the desk if left out."`
	Base string `help:"The address people open, for links in a list."`
	JSON bool   `name:"json" help:"Print what was written as JSON."`
}

// Run writes a desk, or a list of it, as open files. What it writes is whole or is not there.
func (c *exportCmd) Run() (err error) {
	ctx := context.Background()
	if _, err := os.Lstat(c.To); err == nil {
		return fmt.Errorf("%s exists already; choose another name", c.To)
	}
	h, close, err := openCopy(ctx, c.Data)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, close()) }()
	h.Base = c.Base
	desk, err := deskCalled(ctx, h, c.Desk)
	if err != nil {
		return err
	}
	if slices.Contains([]string{".csv", ".xlsx", ".json"}, filepath.Ext(c.To)) {
		if err := wholly(c.To, func(to string) error { return c.list(ctx, h, desk, to) }); err != nil {
			return err
		}
		if c.JSON {
			return json.NewEncoder(os.Stdout).Encode(map[string]any{"to": c.To, "list": c.List})
		}
		fmt.Printf("The list is in %s.\n", c.To)
		return nil
	}
	var m *store.Moved
	err = wholly(c.To, func(to string) error {
		return writeFolder(to, strings.HasSuffix(c.To, ".zip"), func(f store.Folder) (err error) {
			m, err = h.Moving.Out(ctx, desk, f, post.DeskPage)
			return err
		})
	})
	if err != nil {
		return fmt.Errorf("write the desk out: %w", err)
	}
	if c.JSON {
		return json.NewEncoder(os.Stdout).Encode(map[string]any{"to": c.To, "desk": m.Desk, "at": m.At, "tables": m.Tables, "files": len(m.Files) + 1})
	}
	pieces := 0
	for _, t := range m.Tables {
		if t.Name == "piece" {
			pieces = t.Rows
		}
	}
	fmt.Printf("%s is in %s: %s, %s in all. What is in it says its README.md.\n", m.Desk, c.To, english.Plural(pieces, "piece"), english.Plural(len(m.Files)+1, "file"))
	return nil
}

// openCopy opens a newsroom on a copy of its data of this moment, also while it runs; what is made of the
// copy is forgotten when it is closed.
func openCopy(ctx context.Context, data string) (*rooms.Newsroom, func() error, error) {
	dir, err := os.MkdirTemp("", "greenbaton-export")
	if err != nil {
		return nil, nil, err
	}
	forget := func() error { return os.RemoveAll(dir) }
	if err := store.Backup(ctx, filepath.Join(data, store.FileName), filepath.Join(dir, store.FileName)); err != nil {
		return nil, nil, errors.Join(err, forget())
	}
	db, err := store.Open(ctx, dir)
	if err != nil {
		return nil, nil, errors.Join(err, forget())
	}
	h := rooms.Open(db, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err := h.Copyroom.Recover(ctx); err != nil { // what was just typed is in no version yet
		return nil, nil, errors.Join(err, db.Close(), forget())
	}
	return h, func() error { return errors.Join(db.Close(), forget()) }, nil
}

// deskCalled finds a desk by its name; the only one where none is given.
func deskCalled(ctx context.Context, h *rooms.Newsroom, name string) (ref.Desk, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return 0, err
	}
	var names []string
	for _, d := range b.Desks {
		if name == "" && len(b.Desks) == 1 || strings.EqualFold(d.Name, name) {
			return d.ID, nil
		}
		names = append(names, english.Quoted(d.Name))
	}
	switch {
	case len(names) == 0:
		return 0, errors.New("there is no desk in it yet")
	case name == "":
		return 0, fmt.Errorf("there are several desks in it; give one with --desk: %s", english.Or(names))
	}
	return 0, fmt.Errorf("no desk is called %s; there is %s", english.Quoted(name), english.And(names))
}

// wholly makes something under another name first, so that what is there under its own is whole.
func wholly(to string, write func(to string) error) error {
	part := to + ".part"
	if err := os.RemoveAll(part); err != nil {
		return err
	}
	if err := write(part); err != nil {
		return errors.Join(err, os.RemoveAll(part))
	}
	return os.Rename(part, to)
}

// writeFolder gives a folder, or an archive, to write into.
func writeFolder(to string, archive bool, write func(store.Folder) error) error {
	if !archive {
		f := &folder{root: to}
		return errors.Join(write(f), f.done())
	}
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	z := zip.NewWriter(out)
	return errors.Join(write(z), z.Close(), out.Close())
}

// folder is a folder that a desk is written to, for its owner alone.
type folder struct {
	root string
	open *os.File
}

// Create makes the next file.
func (f *folder) Create(name string) (io.Writer, error) {
	if err := f.done(); err != nil {
		return nil, err
	}
	path := filepath.Join(f.root, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, err
	}
	var err error
	f.open, err = os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if errors.Is(err, fs.ErrExist) {
		return nil, fmt.Errorf("two files are called %s", name)
	}
	return f.open, err
}

func (f *folder) done() error {
	if f.open == nil {
		return nil
	}
	err := f.open.Close()
	f.open = nil
	return err
}
