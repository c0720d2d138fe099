package figures

import (
	"context"
	"maps"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Sums gives what all pieces did, by measure and piece, as it was worked out when figures came in.
func (h Room) Sums(ctx context.Context) (map[ref.Measure]map[ref.Piece]store.FigureSum, error) {
	s := newsroom.PartOf[sums](h.Newsroom)
	s.mu.Lock()
	by, n := s.by, s.n
	s.mu.Unlock()
	if by != nil {
		return by, nil
	}
	all, err := store.FigureSums(store.Latest(ctx), h.DB.View())
	if err != nil {
		return nil, err
	}
	by = map[ref.Measure]map[ref.Piece]store.FigureSum{}
	for _, x := range all {
		if by[x.MeasureID] == nil {
			by[x.MeasureID] = map[ref.Piece]store.FigureSum{}
		}
		by[x.MeasureID][x.PieceID] = x
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.n == n {
		s.by = by
	}
	return by, nil
}

// PutOnly stores figures of a list that comes in in parts; once all are in, SettleList works out what
// follows from them.
func PutOnly(a *newsroom.Command, all []store.Figure) error {
	for i := range all {
		all[i].Stands = true
	}
	return a.Tx.PutFigures(a, all)
}

// SettleList works out what follows from the figures that came with a list.
func SettleList(a *newsroom.Command, list ref.Batch) error {
	keys, err := a.Tx.KeysOfSource(a, store.ListSource(list))
	if err != nil {
		return err
	}
	touched := map[store.FigureKey]bool{}
	for _, k := range keys {
		touched[k] = true
	}
	return settleAll(a, touched)
}

// Put stores figures of a desk's pieces, each in the place of what its source said of that day
// before, and works out what follows from them.
func Put(a *newsroom.Command, all []store.Figure) error {
	touched := map[store.FigureKey]bool{}
	for i := range all {
		all[i].Stands = true
		touched[store.FigureKey{PieceID: all[i].PieceID, MeasureID: all[i].MeasureID}] = true
	}
	if err := a.Tx.PutFigures(a, all); err != nil {
		return err
	}
	return settleAll(a, touched)
}

// settleAll works out anew what pieces did of which figures changed.
func settleAll(a *newsroom.Command, touched map[store.FigureKey]bool) error {
	return settleBy(a, touched, store.Measure{})
}

// settleBy does so while this command makes another of a measure.
func settleBy(a *newsroom.Command, touched map[store.FigureKey]bool, changed store.Measure) error {
	if len(touched) == 0 {
		return nil
	}
	if a.Figures == nil {
		a.Figures = map[store.FigureKey]store.FigureSum{}
	}
	also := map[store.FigureKey]bool{} // what is weighed by them
	for k := range touched {
		for _, m := range a.Setup.Measures {
			if m.WeighedBy == k.MeasureID {
				also[store.FigureKey{PieceID: k.PieceID, MeasureID: m.ID}] = true
			}
		}
	}
	maps.Copy(touched, also)
	for _, k := range sorted(touched) {
		m := a.Setup.Measure(k.MeasureID)
		if changed.ID == k.MeasureID {
			m = changed
		}
		if err := settle(a, k, m); err != nil {
			return err
		}
	}
	return nil
}

// days gives what stands of the figures of a piece by a measure, by day, each with its weight.
func days(ctx context.Context, r store.Reader, m store.Measure, piece ref.Piece) ([]measure.Point, []store.Figure, []bool, error) {
	rows, err := store.FiguresOn(ctx, r, piece, m.ID)
	if err != nil {
		return nil, nil, nil, err
	}
	said := make([]measure.Said, len(rows))
	for i, f := range rows {
		said[i] = measure.Said{Day: f.Day, Source: f.Source, Value: f.Value, At: f.At}
	}
	stand := measure.Stand(said)
	for i := range said {
		said[i].Stands = stand[i]
	}
	points := measure.Days(said)
	if m.How == measure.Averaged && m.WeighedBy != 0 {
		by, _, _, err := days(ctx, r, store.Measure{ID: m.WeighedBy}, piece)
		if err != nil {
			return nil, nil, nil, err
		}
		weights := map[day.Date]float64{}
		for _, p := range by {
			weights[p.Day] = p.Value
		}
		for i := range points {
			points[i].Weight = max(0, weights[points[i].Day])
		}
	}
	return points, rows, stand, nil
}

// settle works out what a piece did by a measure: which of its figures stand, what it did over its
// first days and in all, and by month.
func settle(a *newsroom.Command, k store.FigureKey, m store.Measure) error {
	points, rows, stand, err := days(a, a.Tx, m, k.PieceID)
	if err != nil {
		return err
	}
	for i, f := range rows {
		if f.Stands != stand[i] {
			f.Stands = stand[i]
			if err := a.Tx.SetStands(a, f); err != nil {
				return err
			}
		}
	}
	out, err := outOf(a, k.PieceID)
	if err != nil {
		return err
	}
	a.Figures[k] = store.FigureSum{}
	if err := a.Tx.SetFigureMonths(a, k, months(m, k.PieceID, points)); err != nil || len(points) == 0 {
		return err
	}
	a.Figures[k] = sumOf(m, k.PieceID, points, out)
	return a.Tx.PutFigureSum(a, a.Figures[k])
}

// outOf gives the day on which a piece went out, as this command stored it or as it was before.
func outOf(a *newsroom.Command, piece ref.Piece) (day.Date, error) {
	if p, ok := a.Put.Pieces[piece]; ok {
		return outDay(a.Setup, &p), nil
	}
	entries, err := a.Newsroom.Pieces(a, a.Now)
	if err != nil {
		return 0, err
	}
	if e := newsroom.EntryOf(entries, piece); e != nil {
		return outDay(a.Setup, &e.Piece), nil
	}
	return 0, newsroom.ErrNotFound
}

// outDay gives the day on which a piece went out, 0 while it is not out.
func outDay(b *newsroom.Setup, p *relay.Piece) day.Date {
	if p.OutAt == 0 {
		return 0
	}
	return p.OutAt.Date(b.Zones[p.DeskID])
}

// sumOf puts the figures of a piece together. Of a piece that is not out there are no first days.
func sumOf(m store.Measure, piece ref.Piece, points []measure.Point, out day.Date) store.FigureSum {
	s := store.FigureSum{PieceID: piece, MeasureID: m.ID, FromDay: points[0].Day, ToDay: points[len(points)-1].Day}
	put := func(bit int, into *float64, from, to day.Date) {
		if v, ok := m.How.Over(points, from, to); ok {
			*into = v
			s.Knows |= 1 << bit
		} else if m.How == measure.Added { // nothing came on these days, and figures are kept of it
			s.Knows |= 1 << bit
		}
	}
	if out != 0 {
		for i, into := range []*float64{&s.First1, &s.First7, &s.First28} {
			put(i, into, out, out+day.Date(measure.Windows[i])-1)
		}
	}
	put(3, &s.Total, s.FromDay, s.ToDay)
	return s
}

// months puts the figures of a piece together by month.
func months(m store.Measure, piece ref.Piece, points []measure.Point) []store.FigureMonth {
	var out []store.FigureMonth
	for i := 0; i < len(points); {
		month := points[i].Day.MonthStart()
		n := i
		for n < len(points) && points[n].Day.MonthStart() == month {
			n++
		}
		if v, ok := m.How.Over(points[i:n], points[i].Day, points[n-1].Day); ok {
			out = append(out, store.FigureMonth{MeasureID: m.ID, Month: month, PieceID: piece, Value: v, Weight: m.How.Weight(points[i:n], points[i].Day, points[n-1].Day)})
		}
		i = n
	}
	return out
}

// resettle works out anew what a piece did over its first days when these are others.
func resettle(a *newsroom.Command, was relay.Piece, m relay.Move) error {
	if was.OutAt == m.Piece.OutAt || was.ID == 0 {
		return nil
	}
	all, err := store.FigureSumsOf(a, a.Tx, m.Piece.ID)
	touched := map[store.FigureKey]bool{}
	for _, s := range all {
		touched[store.FigureKey{PieceID: s.PieceID, MeasureID: s.MeasureID}] = true
	}
	if err != nil {
		return err
	}
	return settleAll(a, touched)
}

// sorted gives the keys of touched figures in order.
func sorted(touched map[store.FigureKey]bool) []store.FigureKey {
	return slices.SortedFunc(maps.Keys(touched), func(x, y store.FigureKey) int {
		return int(x.PieceID-y.PieceID)*2 + int(min(1, max(-1, x.MeasureID-y.MeasureID)))
	})
}

// DropList takes back the figures that came with a list; what they took the place of stands again.
func DropList(a *newsroom.Command, list ref.Batch) error {
	keys, err := a.Tx.DropSource(a, store.ListSource(list))
	if err != nil {
		return err
	}
	touched := map[store.FigureKey]bool{}
	for _, k := range keys {
		touched[k] = true
	}
	return settleAll(a, touched)
}
