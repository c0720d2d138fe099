package reports

import (
	"context"
	"net/url"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Goal is what a desk is to reach in a quarter, and how far it is.
type Goal struct {
	store.Goal
	Measure store.Measure // the zero value for pieces that are out
	To      day.Date      // the last day of the quarter
	Is      float64
	Even    float64 // where it would be if it came evenly
	Sum     report.Sum
	Coming  int // pieces under way that are to go out in it
	Over    bool
}

// OffCourse reports whether it will likely not be reached.
func (g Goal) OffCourse() bool { return !g.Over && g.Sum.Likely < g.Target }

// Missed reports whether its quarter is over and it was not reached.
func (g Goal) Missed() bool { return g.Over && g.Is < g.Target }

// Goals gives the goals of a desk's quarter in which a day lies, for its leads and staff.
func (h Room) Goals(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) ([]Goal, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if err := maySee(b, who, desk); err != nil {
		return nil, err
	}
	all, err := store.Goals(ctx, h.DB.View(), desk)
	if err != nil {
		return nil, err
	}
	var out []Goal
	for _, g := range all {
		if g.Quarter == on.QuarterStart() {
			x, err := h.goal(ctx, b, g)
			if err != nil {
				return nil, err
			}
			out = append(out, x)
		}
	}
	return out, nil
}

// goal works out where a goal stands and where it will likely end.
func (h Room) goal(ctx context.Context, b *newsroom.Setup, g store.Goal) (Goal, error) {
	today := h.Now().Date(b.Zones[g.DeskID])
	x := Goal{Goal: g, Measure: b.Measure(g.MeasureID), To: g.Quarter.AddMonths(3) - 1}
	x.Over = today > x.To
	x.Even = report.Even(g.Target, g.Quarter, x.To, today)
	sieve, err := sieveOf(g.Sieve, planning.Columns(b, g.DeskID), today)
	if err != nil {
		return x, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return x, err
	}
	counts := func(e *newsroom.Entry) bool {
		if e.DeskID != g.DeskID || e.Stage == relay.Withdrawn {
			return false
		}
		f := e.Facts()
		return sieve.Fits(&f)
	}
	x.Sum, x.Is, x.Coming, err = h.likely(ctx, b, entries, counts, g.MeasureID, Span{From: g.Quarter, To: x.To})
	return x, err
}

// sieveOf reads what counts toward a goal, as a view is addressed.
func sieveOf(address string, columns []sift.Column, today day.Date) (sift.Sieve, error) {
	if _, q, ok := strings.Cut(address, "?"); ok {
		address = q
	}
	q, err := url.ParseQuery(address)
	if err != nil {
		return sift.Sieve{}, newsroom.Invalid("sieve", "That is no address of a view. Copy it from Pieces, with the filter that counts.")
	}
	s, err := sift.Parse(columns, q, today)
	if err != nil {
		return s, newsroom.Invalid("sieve", "%s.", err.Error())
	}
	return s, nil
}

// likely works out what those pieces that count come to over a span: what is so far, and
// what likely will be by its last day. Of a measure that is not added up, what is so far is all there is to
// say; for one the pieces are in the order of their ids.
func (h Room) likely(ctx context.Context, b *newsroom.Setup, of []*newsroom.Entry, counts func(*newsroom.Entry) bool, m ref.Measure, s Span) (report.Sum, float64, int, error) {
	out := 0
	from, to := s.around()
	var coming []*newsroom.Entry // that are to go out in it
	for _, e := range of {
		at := e.OutAt
		if at == 0 && e.Stage == relay.UnderWay {
			at = e.GoesOut
		}
		if at < from || at > to || !s.Contains(at.Date(b.Zones[e.DeskID])) || !counts(e) {
			continue
		}
		if e.OutAt != 0 {
			out++
		} else {
			coming = append(coming, e)
		}
	}
	chances := make([]float64, len(coming))
	for i, e := range coming {
		var err error
		if chances[i], err = h.chanceBy(ctx, b, e, s.To, len(coming)); err != nil {
			return report.Sum{}, 0, 0, err
		}
	}
	if m == 0 {
		return report.Chances(out, chances), float64(out), len(coming), nil
	}
	is, err := h.over(ctx, b, once(func(id ref.Piece) bool { e := newsroom.EntryOf(of, id); return e != nil && counts(e) }), m, s)
	if err != nil || b.Measure(m).How != measure.Added {
		return report.Sum{Likely: is, Lo: is, Hi: is}, is, len(coming), err
	}
	spread, err := h.spreadOf(ctx, b, m)
	if err != nil {
		return report.Sum{}, 0, 0, err
	}
	var brings []report.Spread
	for _, e := range coming {
		g := spread[e.FormatID]
		brings = append(brings, report.Spread{Median: g.Median, Q1: g.Q1, Q3: g.Q3})
	}
	return report.Coming(is, brings, chances), is, len(coming), nil
}

// once asks of each piece once.
func once(ask func(ref.Piece) bool) func(ref.Piece) bool {
	known := map[ref.Piece]bool{}
	return func(id ref.Piece) bool {
		is, ok := known[id]
		if !ok {
			is = ask(id)
			known[id] = is
		}
		return is
	}
}

// over gives what some pieces did by a measure over a span of whole months: added up, averaged by what
// the days weigh, or the last that each came to, added up.
func (h Room) over(ctx context.Context, b *newsroom.Setup, among func(ref.Piece) bool, m ref.Measure, s Span) (float64, error) {
	months, err := store.FigureMonths(ctx, h.DB.View(), m, s.From, s.To) // by month
	if err != nil {
		return 0, err
	}
	how := b.Measure(m).How
	var sum, weight float64
	last := map[ref.Piece]float64{}
	for _, x := range months {
		if !among(x.PieceID) {
			continue
		}
		switch how {
		case measure.Averaged:
			sum, weight = sum+x.Value*x.Weight, weight+x.Weight
		case measure.Last:
			sum, last[x.PieceID] = sum+x.Value-last[x.PieceID], x.Value
		default:
			sum += x.Value
		}
	}
	if how == measure.Averaged && weight > 0 {
		return sum / weight, nil
	}
	return sum, nil
}

// SaveGoal sets a goal of a quarter, for leads.
func (h Room) SaveGoal(ctx context.Context, by ref.Person, g store.Goal) error {
	return h.SetUpAct(ctx, by, g.DeskID, func(a *newsroom.Command) error {
		g.Name, g.Sieve = strings.TrimSpace(g.Name), strings.TrimSpace(g.Sieve)
		was := store.Goal{}
		all, err := store.Goals(a, a.Tx, g.DeskID)
		if err != nil {
			return err
		}
		if g.ID != 0 {
			i := slices.IndexFunc(all, func(x store.Goal) bool { return x.ID == g.ID })
			if i < 0 {
				return newsroom.ErrNotFound
			}
			was = all[i]
		}
		m := a.Setup.Measure(g.MeasureID)
		today := a.Now.Date(a.Setup.Zones[g.DeskID])
		switch {
		case g.Name == "" || len([]rune(g.Name)) > 80:
			return newsroom.Invalid("goal", "Say what is to be reached in up to 80 characters, like 40 features and recipes out.")
		case slices.ContainsFunc(all, func(x store.Goal) bool {
			return x.ID != g.ID && x.Quarter == g.Quarter && strings.EqualFold(x.Name, g.Name)
		}):
			return newsroom.Invalid("goal", "There is this goal already in the quarter. Change that one, or name this one otherwise.")
		case g.MeasureID != 0 && m.DeskID != g.DeskID:
			return newsroom.Invalid("measure", "Choose one of the desk's measures.")
		case g.Target <= 0 || g.Target > 1e12:
			return newsroom.Invalid("target", "A goal is above zero. Say how many it is to be.")
		case g.MeasureID == 0 && (g.Target != float64(int(g.Target)) || g.Target > 10_000):
			return newsroom.Invalid("target", "The pieces aimed at are a whole number up to 10,000.")
		case g.Quarter == 0 || g.Quarter != g.Quarter.QuarterStart() || g.Quarter < today-800 || g.Quarter > today+800:
			return newsroom.Invalid("quarter", "Choose one of the quarters.")
		}
		if _, err := sieveOf(g.Sieve, planning.Columns(a.Setup, g.DeskID), today); err != nil {
			return err
		}
		if _, err := a.Tx.SaveGoal(a, g); err != nil {
			return err
		}
		before, after := newsroom.Differ(was, g)
		return a.Log(store.Entry{DeskID: g.DeskID, Act: "set up", What: "set the goal “" + g.Name + "”", Before: before, After: after})
	})
}

// DropGoal takes a goal away.
func (h Room) DropGoal(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Goal) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		all, err := store.Goals(a, a.Tx, desk)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(x store.Goal) bool { return x.ID == id })
		if i < 0 {
			return newsroom.ErrNotFound
		}
		if err := a.Tx.DropGoal(a, id); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: "took away the goal “" + all[i].Name + "”"})
	})
}
