package figures

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/weblog"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// errNotFigures refuses who may not bring figures in.
var errNotFigures = &relay.Refusal{Reason: relay.ErrNotYours, Text: "Figures are brought in by leads and staff of the desk."}

// Log is a log of a web server that is brought in.
type Log struct {
	Desk    ref.Desk
	Measure ref.Measure // that its visits are figures of
	Name    string      // of the file
	Ours    string      // addresses that are left out
	Far     func(lines int) error
}

// Addressed gives the pieces of a desk by the path of their page.
func (h Room) Addressed(ctx context.Context, desk ref.Desk) (map[string]ref.Piece, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	out := map[string]ref.Piece{}
	for _, e := range entries {
		if e.DeskID != desk || e.OutAt == 0 {
			continue
		}
		if p := weblog.PathOf(newsroom.AddressOf(b, "", &e.Piece)); len(p) > 1 {
			out[p] = e.ID
		}
	}
	also, err := store.Addresses(ctx, h.DB.View())
	for _, x := range also {
		if e := newsroom.EntryOf(entries, x.PieceID); e != nil && e.DeskID == desk {
			if p := weblog.PathOf(x.Address); len(p) > 1 {
				out[p] = e.ID
			}
		}
	}
	return out, err
}

// CountLog counts the visits of a desk's pieces in a log and stores them, by the hour: what is sent
// twice is counted once.
func (h Room) CountLog(ctx context.Context, by ref.Person, l Log, r io.Reader) (weblog.Tally, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return weblog.Tally{}, err
	}
	ours, wrong := weblog.Prefixes(l.Ours)
	m := b.Measure(l.Measure)
	switch {
	case !b.Who(by, l.Desk).Access.May(relay.MakePieces):
		return weblog.Tally{}, errNotFigures
	case m.ID == 0 || m.DeskID != l.Desk || m.Retired:
		return weblog.Tally{}, newsroom.Invalid("measure", "Choose the measure of which visits are figures.")
	case wrong != "":
		return weblog.Tally{}, newsroom.Invalid("ours", "“%s” is no address. Write them like 203.0.113.7 or 203.0.113.0/24, with a line for each.", english.Cut(wrong, 60))
	}
	paths, err := h.Addressed(ctx, l.Desk)
	if err != nil {
		return weblog.Tally{}, err
	}
	find := func(path string) (ref.Piece, bool) { p, ok := paths[path]; return p, ok }
	t, err := weblog.Count(r, find, ours, b.Zones[l.Desk], l.Far)
	if errors.Is(err, weblog.ErrMuch) {
		return t, newsroom.Invalid("file", "%s.", english.UpperFirst(err.Error()))
	} else if err != nil {
		return t, err
	}
	if t.Lines == t.Broken {
		return t, newsroom.Invalid("file", "No line of it is in the Common or the Combined Log Format of web servers. Choose the access log.")
	}
	return t, h.storeTally(ctx, by, l, t)
}

// tallyAtOnce is how many figures of a log are stored in one transaction.
const tallyAtOnce = 5_000

func (h Room) storeTally(ctx context.Context, by ref.Person, l Log, t weblog.Tally) error {
	var all []store.Figure
	total := 0
	for k, n := range t.Visits {
		total += n
		all = append(all, store.Figure{PieceID: k.Piece, MeasureID: l.Measure, Day: k.Day, Source: fmt.Sprintf("log %d", k.Hour), Value: float64(n), At: h.Now()})
	}
	slices.SortFunc(all, func(x, y store.Figure) int {
		if x.PieceID != y.PieceID {
			return int(x.PieceID - y.PieceID)
		}
		if x.Day != y.Day {
			return int(x.Day - y.Day)
		}
		return strings.Compare(x.Source, y.Source)
	})
	for part := range slices.Chunk(all, tallyAtOnce) {
		if err := h.Do(ctx, by, func(a *newsroom.Command) error {
			part, err := larger(a, part)
			if err != nil {
				return err
			}
			return Put(a, part)
		}); err != nil {
			return err
		}
	}
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Log(store.Entry{DeskID: l.Desk, Act: "figure", What: fmt.Sprintf("brought in %s of %s from the log “%s”", english.Plural(total, "visit"), english.Plural(len(all), "hour of a piece"), l.Name)})
	})
}

// larger leaves, of an hour that was counted before, the larger count: a log that is sent while it
// grows, or that ends within an hour, takes nothing away from a whole one.
func larger(a *newsroom.Command, part []store.Figure) ([]store.Figure, error) {
	out := slices.Clone(part)
	known := map[store.FigureKey][]store.Figure{}
	for i, f := range out {
		k := store.FigureKey{PieceID: f.PieceID, MeasureID: f.MeasureID}
		if _, ok := known[k]; !ok {
			var err error
			if known[k], err = store.FiguresOn(a, a.Tx, f.PieceID, f.MeasureID); err != nil {
				return nil, err
			}
		}
		for _, x := range known[k] {
			if x.Day == f.Day && x.Source == f.Source {
				out[i].Value = max(f.Value, x.Value)
			}
		}
	}
	return out, nil
}
