package main

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"greenbaton/core/bring"
	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// errPartly says that some of a list came in, and some did not.
var errPartly = errors.New("some rows did not come in")

// largest is how many bytes a list has at most, with what comes along.
const largest = 256 << 20

// listed is what became of a list.
type listed struct {
	List   string        `json:"list"`
	Desk   string        `json:"desk"`
	Rows   int           `json:"rows"`
	New    int           `json:"new"`
	Clash  int           `json:"clash"`
	Here   int           `json:"here"` // already
	Bad    int           `json:"unreadable"`
	CameIn int           `json:"came_in"`
	Notes  []string      `json:"notes,omitempty"`
	Left   []listedRow   `json:"left,omitempty"` // that did not come in
	Fields []listedField `json:"columns"`
}

type listedRow struct {
	Line  int    `json:"line"`
	Title string `json:"title"`
	Says  string `json:"why"`
}

type listedField struct {
	Column string `json:"column"`
	As     string `json:"read_as"`
}

// list brings a list into a desk, or only says what would become of its rows.
func (c *importCmd) list(ctx context.Context) (err error) {
	data, err := c.read()
	if err != nil {
		return err
	}
	read := format.ReadTable
	if bring.Kind(c.As) == bring.History {
		read = format.ReadHistory
	}
	t, err := read(filepath.Base(c.From), data)
	if err != nil {
		return err
	}
	var h *rooms.Newsroom
	if c.Look {
		var forget func() error
		if h, forget, err = openCopy(ctx, c.Data); err != nil {
			return err
		}
		defer func() { err = errors.Join(err, forget()) }()
	} else {
		var close func()
		if h, close, err = openHouse(ctx, c.Data, slog.New(slog.DiscardHandler)); err != nil {
			return err
		}
		defer close()
	}
	h.ReadCopy = format.FromText
	x, err := c.bring(ctx, h, t)
	if err != nil {
		return err
	}
	if c.JSON {
		err = json.NewEncoder(os.Stdout).Encode(x)
	} else {
		x.print(os.Stdout, c.Look)
	}
	switch left := x.Rows - x.CameIn - x.Here; {
	case err != nil || left == 0 || c.Look:
	case x.CameIn == 0:
		return fmt.Errorf("none of %s came in", english.Counted(left, "row"))
	default:
		return fmt.Errorf("%w: %d of %d", errPartly, left, x.Rows)
	}
	return err
}

// read reads what is to be brought in; a folder becomes an archive.
func (c *importCmd) read() ([]byte, error) {
	info, err := os.Stat(c.From)
	if err != nil {
		return nil, fmt.Errorf("there is nothing at %s: %w", c.From, err)
	}
	var b bytes.Buffer
	if info.IsDir() {
		z := zip.NewWriter(&b)
		if err := errors.Join(z.AddFS(os.DirFS(c.From)), z.Close()); err != nil {
			return nil, err
		}
	} else {
		f, err := os.Open(c.From)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		if _, err := io.Copy(&b, io.LimitReader(f, largest+1)); err != nil {
			return nil, err
		}
	}
	if b.Len() > largest {
		return nil, fmt.Errorf("%s is larger than %d MB; bring it in in parts", c.From, largest>>20)
	}
	return b.Bytes(), nil
}

// bring looks at a list as the page for it does, and brings it in.
func (c *importCmd) bring(ctx context.Context, h *rooms.Newsroom, t bring.Table) (out listed, err error) {
	desk, err := deskCalled(ctx, h, c.Desk)
	if err != nil {
		return out, err
	}
	who, err := whoIs(ctx, h, desk, c.For)
	if err != nil {
		return out, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return out, err
	}
	id, err := h.Intake.LookAt(ctx, who, desk, bring.Kind(c.As), filepath.Base(c.From), t)
	if err != nil {
		return out, err
	}
	x, err := h.Intake.Bringing(ctx, who, id)
	if err != nil {
		return out, err
	}
	p := x.Plan
	p.Order = bring.Order(c.Days)
	if c.Days == "" {
		p.Order = x.Plan.Order
	}
	if c.Format != "" {
		if p.Format, err = formatCalled(b, desk, c.Format); err != nil {
			return out, err
		}
	}
	if err := c.meant(&p, b); err != nil {
		return out, err
	}
	if err := h.Intake.MatchColumns(ctx, who, id, p); err != nil {
		return out, err
	}
	if x, err = h.Intake.Bringing(ctx, who, id); err != nil {
		return out, err
	}
	if len(x.Orders) > 0 && x.Plan.Order == "" {
		return out, errors.New("its days can be read in more than one way; say with --days how they are written")
	}
	out = listed{List: x.Name, Desk: b.Desk(desk).Name, Rows: len(x.Rows), Notes: t.Notes, New: x.Counts[intake.RowNew], Clash: x.Counts[intake.RowClash], Here: x.Counts[intake.RowSame], Bad: x.Counts[intake.RowBad]}
	read := make([]string, len(t.Header))
	for _, f := range x.Fields(b) {
		if at, ok := x.Plan.Columns[f.Key]; ok {
			read[at] = f.Name
		}
	}
	for i, name := range t.Header {
		out.Fields = append(out.Fields, listedField{name, read[i]})
	}
	for _, r := range x.Rows {
		if r.Fate == intake.RowBad || r.Fate == intake.RowClash && !c.Clashes {
			out.Left = append(out.Left, listedRow{r.Line, r.Title, r.Says})
		}
	}
	if c.Look || out.New == 0 && !(c.Clashes && out.Clash > 0) {
		return out, nil
	}
	if err := h.Intake.BringIn(ctx, who, id, c.Clashes); err != nil {
		return out, err
	}
	x, err = h.Intake.Bringing(ctx, who, id)
	out.CameIn = x.Came
	return out, err
}

// meant adds what was said of figures, names and states to how a list is read.
func (c *importCmd) meant(p *intake.BringPlan, b *newsroom.Setup) error {
	p.Mark = map[string]figure.Mark{"comma": figure.Comma, "point": figure.Point}[c.Mark]
	p.People, p.States = map[string]ref.Person{}, map[string]bool{}
	for name, mail := range c.Who {
		i := slices.IndexFunc(b.People, func(x store.Person) bool { return strings.EqualFold(x.Mail, mail) })
		switch {
		case i >= 0:
			p.People[name] = b.People[i].ID
		case mail == "nobody":
			p.People[name] = 0
		default:
			return fmt.Errorf("nobody here has the mail address %s", mail)
		}
	}
	for _, s := range c.WentOut {
		p.States[s] = true
	}
	for _, s := range c.NotOut {
		p.States[s] = false
	}
	return nil
}

// formatCalled finds a format of a desk by its name.
func formatCalled(b *newsroom.Setup, desk ref.Desk, name string) (ref.Format, error) {
	var names []string
	for _, f := range b.FormatsOf(desk) {
		if strings.EqualFold(f.Name, name) {
			return f.ID, nil
		}
		names = append(names, english.Quoted(f.Name))
	}
	return 0, fmt.Errorf("the desk has no format %s; there is %s", english.Quoted(name), english.And(names))
}

// print says what became of a list in sentences.
func (x *listed) print(w io.Writer, looked bool) {
	for _, n := range x.Notes {
		fmt.Fprintln(w, n)
	}
	for _, f := range x.Fields {
		if f.As == "" {
			fmt.Fprintf(w, "Column %s is not read.\n", english.Quoted(f.Column))
			continue
		}
		fmt.Fprintf(w, "Column %s is read as %s.\n", english.Quoted(f.Column), english.Quoted(f.As))
	}
	for _, r := range x.Left {
		fmt.Fprintf(w, "Row %d, %s: %s\n", r.Line, english.Quoted(english.Cut(r.Title, 60)), r.Says)
	}
	if looked {
		fmt.Fprintf(w, "%s of %s would come in to %s; %d clash, %d are here already, %d cannot be read. Nothing was changed.\n", english.UpperFirst(english.Counted(x.New, "row")), x.List, x.Desk, x.Clash, x.Here, x.Bad)
		return
	}
	fmt.Fprintf(w, "%s of %s came in to %s; %d are here already. It is taken back as one under Ideas, Import a list.\n", english.UpperFirst(english.Counted(x.CameIn, "row")), x.List, x.Desk, x.Here)
}
