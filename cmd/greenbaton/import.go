package main

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"greenbaton/core/english"
	"greenbaton/newsroom/moving"
	"greenbaton/store"
)

type importCmd struct {
	From    string            `arg:"" type:"path" help:"What to bring in: a desk that export wrote, as a folder or .zip, into an empty house; or, with --as, a list as .csv or .xlsx, or pages that went out as a folder, .zip or feed."`
	Data    string            `required:"" type:"path" help:"The data folder. Green Baton must not be running on it, but with --look."`
	As      string            `enum:",ideas,phrases,lineup,figures,history" default:"" placeholder:"KIND" help:"What the list holds: ideas, phrases, lineup, figures, or history, which is what went out before."`
	Desk    string            `help:"The desk it is for, by its name; it can be left out where there is but one."`
	For     string            `help:"The mail address of whoever brings it in; the first lead of the desk if left out."`
	Days    string            `enum:",dmy,mdy,ymd" default:"" help:"How its days are written where that could be read in several ways: dmy, mdy or ymd."`
	Mark    string            `enum:",comma,point" default:"" help:"What stands before the fraction of its figures, where that could be read in two ways: comma or point."`
	Who     map[string]string `placeholder:"NAME=MAIL" help:"Who is meant by a name that nobody here has, by mail address; nobody for nobody who is here. It can be given several times, and is remembered."`
	WentOut []string          `placeholder:"STATE" help:"A state in the list that means that a piece went out."`
	NotOut  []string          `placeholder:"STATE" help:"A state that means that it did not."`
	Format  string            `help:"The format of pieces whose row names none, by its name."`
	Clashes bool              `help:"Bring in rows too that clash with what is there."`
	Look    bool              `help:"Say what would become of the rows, and bring nothing in; the newsroom may run meanwhile."`
	JSON    bool              `name:"json" help:"Print what came as JSON."`
}

// Help says with what the command ends.
func (*importCmd) Help() string {
	return "It ends with 0 when all came in, with 1 when nothing did, and with 2 when some rows of a list did not come in; it says which, and why."
}

// Run brings something in.
func (c *importCmd) Run() error {
	ctx := context.Background()
	if c.As != "" {
		return c.list(ctx)
	}
	if kind := strings.ToLower(filepath.Ext(c.From)); kind == ".csv" || kind == ".xlsx" {
		return errors.New("say with --as what the list holds: ideas, phrases, lineup, figures or history")
	}
	from, close, err := openFolder(c.From)
	if err != nil {
		return err
	}
	defer close()
	return c.desk(ctx, from)
}

// openFolder opens a folder, or an archive as one.
func openFolder(path string) (fs.FS, func() error, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, nil, fmt.Errorf("there is nothing at %s: %w", path, err)
	}
	if info.IsDir() {
		return os.DirFS(path), func() error { return nil }, nil
	}
	z, err := zip.OpenReader(path)
	if err != nil {
		return nil, nil, fmt.Errorf("%s is neither a folder nor a .zip that can be read: %w", path, err)
	}
	return z, z.Close, nil
}

// desk brings a desk into an empty house: it is made beside the data, and put in its place once it is whole.
func (c *importCmd) desk(ctx context.Context, from fs.FS) (err error) {
	l, err := lock(c.Data)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, l.Unlock()) }()
	if err := empty(ctx, c.Data); err != nil {
		return err
	}
	fresh, err := os.MkdirTemp(c.Data, "moving-in")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(fresh)) }()
	came, err := moving.In(ctx, from, fresh, time.Now())
	if err != nil {
		return fmt.Errorf("%s did not come in, and nothing was changed: %w", c.From, err)
	}
	kept, err := store.Restore(c.Data, filepath.Join(fresh, store.FileName), time.Now())
	if err != nil {
		return err
	}
	if c.JSON {
		return json.NewEncoder(os.Stdout).Encode(came)
	}
	fmt.Printf("%s has moved in: %s, %s, %s of its logbook.\n", came.Desk, english.Plural(came.Pieces, "piece"), english.Plural(came.Files, "file"), english.Plural(came.Entries, "line"))
	fmt.Printf("Start it with: greenbaton serve --data %s\nSign in as %s with the password %s and choose another; give the others theirs under People.\nSecrets stayed behind: those of channels, chats and programs are typed again in the set-up.\n", c.Data, came.Mail, came.Password)
	if kept != "" {
		fmt.Printf("The empty data that was there is kept in %s.\n", kept)
	}
	return nil
}

// empty reports why a folder holds no empty house.
func empty(ctx context.Context, data string) (err error) {
	if _, err := os.Stat(filepath.Join(data, store.FileName)); errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	db, err := store.Open(ctx, data)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	set, err := store.LoadReference(ctx, db)
	if err == nil && len(set.Desks)+len(set.People) > 0 {
		err = fmt.Errorf("there is a newsroom in %s already, and a desk moves into an empty house only; give another folder with --data", data)
	}
	return err
}
