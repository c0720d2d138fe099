package intake

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/bring"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/ref"
	"greenbaton/core/weblog"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/store"
)

// figureReader is what rows of figures are read against.
type figureReader struct {
	paths  map[string]ref.Piece // of pages
	known  func(piece ref.Piece) ([]store.Figure, error)
	have   map[ref.Piece]map[figureAt]float64 // what stands, of pieces that were asked for
	stands map[pieceFigure]int                // where a figure stood before in the list
	number map[int]*newsroom.Entry
	days   map[string]day.Date // cells that were read
	failed error
}

type figureAt struct {
	measure ref.Measure
	on      day.Date
}

type pieceFigure struct {
	piece ref.Piece
	figureAt
}

// figures reads a row as what a piece did on a day: a column for each measure, or one that names
// the measure and one with the figure.
func (r *reader) figures(x *BringRow, row bring.Row) {
	x.Title = english.Cut(row["piece"], 120)
	e, why := r.found(row["piece"])
	if e == nil {
		x.is(RowBad, "%s", why)
		return
	}
	x.Title = english.Cut(e.Title, 120)
	on, err := r.dayOf(row["day"])
	if err != nil {
		x.is(RowBad, "%s", map[bool]string{true: "There is no day in this row.", false: english.UpperFirst(err.Error()) + "."}[row["day"] == ""])
		return
	}
	var says []string
	for _, m := range r.b.MeasuresOf(r.desk) {
		typed, ok := row[measureKey(m)]
		if bring.Same(row["measure"]) == bring.Same(m.Name) && row["measure"] != "" {
			typed, ok = row["value"], true
		} else if row["measure"] == "" && m.Main && row["value"] != "" {
			typed, ok = row["value"], true
		}
		if !ok || typed == "" {
			continue
		}
		n, err := figure.Read(typed)
		if err != nil {
			x.is(RowBad, "%s", figureBad(err, typed, " for "+m.Name))
			return
		}
		v, _ := n.Float64()
		if err := figures.CheckFigure(m, v, on, r.now.Date(r.b.Zones[r.desk])); err != nil {
			x.is(RowBad, "%s", err.Error())
			return
		}
		x.does = append(x.does, store.Figure{PieceID: e.ID, MeasureID: m.ID, Day: on, Value: v})
		says = append(says, figures.Say(m, v))
	}
	if len(x.does) == 0 {
		x.is(RowBad, "%s", map[bool]string{true: "There is no figure in this row.", false: fmt.Sprintf("The desk has no measure “%s”. A lead adds it under Measures.", english.Cut(row["measure"], 40))}[row["measure"] == ""])
		return
	}
	x.Says = english.Date(on) + ": " + english.And(says)
	r.compare(x)
}

// dayOf reads the day of a row.
func (r *reader) dayOf(cell string) (day.Date, error) {
	if d, ok := r.days[cell]; ok {
		return d, nil
	}
	d, err := bring.Date(cell, r.plan.Order)
	if err == nil {
		if r.days == nil {
			r.days = map[string]day.Date{}
		}
		r.days[cell] = d
	}
	return d, err
}

// compare says whether the figures of a row are new, here already, or take the place of others.
func (r *reader) compare(x *BringRow) {
	if r.stands == nil {
		r.stands, r.have = map[pieceFigure]int{}, map[ref.Piece]map[figureAt]float64{}
	}
	same, replaced := 0, ""
	for _, f := range x.does {
		k := figureAt{f.MeasureID, f.Day}
		if line, ok := r.stands[pieceFigure{f.PieceID, k}]; ok {
			x.is(RowClash, "Row %d says something of that day already.", line)
			return
		}
		r.stands[pieceFigure{f.PieceID, k}] = x.Line
		if r.have[f.PieceID] == nil {
			all, err := r.known(f.PieceID)
			if err != nil {
				r.failed = err
			}
			r.have[f.PieceID] = map[figureAt]float64{}
			for _, is := range all {
				if is.Stands {
					r.have[f.PieceID][figureAt{is.MeasureID, is.Day}] += is.Value
				}
			}
		}
		if was, ok := r.have[f.PieceID][k]; ok && was == f.Value {
			same++
		} else if ok {
			replaced = "; it takes the place of " + figures.Number(was)
		}
	}
	if same == len(x.does) {
		x.is(RowSame, "%s, as it stands already.", x.Says)
		return
	}
	x.Says += replaced + "."
}

// found gives the piece of a desk that a cell names by its number, its address or its title, or
// says why none is meant.
func (r *reader) found(cell string) (*newsroom.Entry, string) {
	if r.number == nil {
		r.number = map[int]*newsroom.Entry{}
		for _, all := range r.pieces {
			for _, e := range all {
				r.number[e.Number] = e
			}
		}
	}
	cell = strings.TrimSpace(cell)
	digits := strings.TrimLeft(strings.TrimPrefix(strings.TrimPrefix(strings.ToLower(cell), "no."), "#"), " ")
	if n, err := figure.Whole(digits); err == nil {
		if e := r.number[n]; e != nil {
			return e, ""
		}
		return nil, fmt.Sprintf("No piece of the desk has the number %d.", n)
	}
	if strings.Contains(cell, "/") {
		if id, ok := r.paths[weblog.PathOf(cell)]; ok {
			for _, e := range r.number {
				if e.ID == id {
					return e, ""
				}
			}
		}
	}
	switch all := r.pieces[bring.Same(cell)]; {
	case cell == "":
		return nil, "There is no piece in this row."
	case len(all) == 1:
		return all[0], ""
	case len(all) > 1:
		var out *newsroom.Entry
		for _, e := range all {
			if e.OutAt != 0 && out != nil {
				return nil, fmt.Sprintf("Several pieces have this title, No. %d and No. %d among them. Write the number.", out.Number, e.Number)
			} else if e.OutAt != 0 {
				out = e
			}
		}
		if out != nil {
			return out, ""
		}
		return nil, "Several pieces have this title. Write the number."
	}
	return nil, "No piece of the desk has this number, address or title."
}

// figuresAtOnce is how many rows of figures come in in one transaction.
const figuresAtOnce = 2_500

// bringFigures stores the figures of rows.
func bringFigures(a *newsroom.Command, x *Bringing, rows []BringRow) error {
	var all []store.Figure
	for _, r := range rows {
		if r.Fate != RowNew && !(x.Every && r.Fate == RowClash) {
			continue
		}
		for _, f := range r.does {
			f.Source, f.At = store.ListSource(x.ID), a.Now
			all = append(all, f)
		}
		x.Came++
	}
	if err := figures.PutOnly(a, all); err != nil || x.Done+len(rows) < len(x.Rows) {
		return err
	}
	return figures.SettleList(a, x.ID)
}

// takeBackFigures takes back the figures that came with a list; what they took the place of stands
// again.
func (h Imports) takeBackFigures(ctx context.Context, by ref.Person, x Bringing) (string, error) {
	said := fmt.Sprintf("%s from “%s”", x.says(), x.Name)
	return said, h.Do(ctx, by, func(a *newsroom.Command) error {
		if err := figures.DropList(a, x.ID); err != nil {
			return err
		}
		x.State = store.TakenBack
		if err := a.Tx.MarkBatchUndone(a, x.ID, a.Now); err != nil {
			return err
		}
		if err := a.Log(store.Entry{DeskID: x.DeskID, Act: "took back", What: "took back " + said}); err != nil {
			return err
		}
		return a.Tx.SaveBatch(a, x.Batch)
	})
}
