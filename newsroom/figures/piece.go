package figures

import (
	"context"
	"errors"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// PieceDid is what one piece did by one measure.
type PieceDid struct {
	Measure store.Measure
	Sum     store.FigureSum
	Days    []measure.Point
	Others  measure.Group // the other pieces of its format over the longest first days that it is out, of those that are out as long
	Window  int           // these days; 0 where it is out for none of them
	Is      float64       // what it did over them
	Known   bool
}

// Sheet is how a piece did, as it is shown on its page.
type Sheet struct {
	Out     day.Date
	Did     []PieceDid // measures of which there are figures, the main one first
	Aims    []Aim
	Outcome store.Outcome // the zero value while nobody said how it did
	Notes   bool          // who looks may note figures
	Aiming  bool          // and set aims, and say how it did
}

// Of gives how a piece did, for those who see all of its desk.
func (h Room) Of(ctx context.Context, who ref.Person, piece ref.Piece) (Sheet, error) {
	row, err := h.See(ctx, who, piece, relay.ActSee)
	if err != nil {
		return Sheet{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Sheet{}, err
	}
	w := b.Who(who, row.DeskID)
	if !w.Access.May(relay.SeeAll) || !w.OnDesk {
		return Sheet{}, nil
	}
	s := Sheet{Out: outDay(b, &row.Piece), Notes: w.Access.May(relay.MakePieces), Aiming: relay.May(relay.ActPlan, w, &row.Piece, nil, "") == nil}
	if s.Aims, err = h.aimsOf(ctx, b, &row.Piece); err != nil {
		return s, err
	}
	if s.Outcome, err = store.OutcomeOf(ctx, h.DB.View(), piece, 0); err != nil && !errors.Is(err, store.ErrNone) {
		return s, err
	}
	sums, err := h.Sums(ctx)
	if err != nil {
		return s, err
	}
	for _, m := range b.MeasuresOf(row.DeskID) {
		sum, ok := sums[m.ID][piece]
		if !ok {
			continue
		}
		x := PieceDid{Measure: m, Sum: sum}
		if x.Days, _, _, err = days(ctx, h.DB.View(), m, piece); err != nil {
			return s, err
		}
		if err := h.beside(ctx, b, &x, &row.Piece, s.Out, sums[m.ID]); err != nil {
			return s, err
		}
		s.Did = append(s.Did, x)
	}
	return s, nil
}

// beside puts a piece beside the others of its format.
func (h Room) beside(ctx context.Context, b *newsroom.Setup, x *PieceDid, p *relay.Piece, out day.Date, sums map[ref.Piece]store.FigureSum) error {
	today := h.Now().Date(b.Zones[p.DeskID])
	window := -1
	for i, n := range measure.Windows {
		if out != 0 && out+day.Date(n) <= today {
			window = i
		}
	}
	if window < 0 {
		return nil
	}
	x.Window = measure.Windows[window]
	x.Is, x.Known = x.Sum.First(window)
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return err
	}
	var values []float64
	for _, e := range entries {
		if e.ID == p.ID || e.FormatID != p.FormatID || e.OutAt == 0 || e.Stage != relay.Out || outDay(b, &e.Piece)+day.Date(x.Window) > today {
			continue
		}
		if s, ok := sums[e.ID]; ok {
			if v, ok := s.First(window); ok {
				values = append(values, v)
			}
		}
	}
	x.Others = measure.NewGroup("", values)
	return nil
}
