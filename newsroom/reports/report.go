package reports

import (
	"cmp"
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Asked is what a report is asked for.
type Asked struct {
	Span     Span
	Look     planning.Look
	Format   ref.Format  // of which the legs are shown, 0 is the one with the most pieces out
	By       string      // by what pieces are compared; see Groupings
	Measured ref.Measure // what is compared, 0 is the main one
	First    int         // over which first days, by their place in measure.Windows
	Behind   Behind      // of which number the pieces are asked for
}

// Report is how a desk ran over a span.
type Report struct {
	Asked
	Today     day.Date
	Out       []Went // pieces that went out, the first first
	OnDay     int
	Late      int
	Moved     int
	Weeks     []Bar // by the week, of a year by the month
	Format    ref.Format
	Formats   []FormatRow
	Legs      []LegRow
	Slow      *LegRow // the leg that most often runs over, of all formats
	People    []PersonRow
	Everybody bool // the figures of all people on all these desks are shown
	Back      []BackRow
	Ahead     []Week
	Finished  []Stock
	Did       Comparison
	Made      []Made            // the pieces that make the number asked for
	byID      []*newsroom.Entry // by their number, nil for those that are not reckoned with
}

// Entry gives a piece that the report reckons with, nil for another.
func (r *Report) Entry(id ref.Piece) *newsroom.Entry {
	if int(id) >= len(r.byID) {
		return nil
	}
	return r.byID[id]
}

// Went is a piece that went out, and how.
type Went struct {
	*newsroom.Entry
	On      day.Date
	Fate    report.Fate
	LateBy  int // working days
	Promise day.Date
}

// Bar is what went out in a week or a month, and what is still to come in it.
type Bar struct {
	From, To                  day.Date
	OnDay, Late, Moved, Comes int
	Planned                   int // pieces that were promised for it, or still are
}

// All is how many pieces went out.
func (b Bar) All() int { return b.OnDay + b.Late + b.Moved }

// LegRow is how long a leg of a format took.
type LegRow struct {
	Format    ref.Format
	Key, Name string
	Allowance int // by the newest route
	report.Took
	Rework  report.Took // runs after it was sent back
	Waiting report.Took // from the end of the leg before to its beginning
}

// BackRow is how often pieces were sent back from one leg to another.
type BackRow struct {
	From, To string
	N        int
	Whys     []string // the newest first
	Pieces   []ref.Piece
}

// Stock is how many finished pieces waited for their day at the beginning of a week.
type Stock struct {
	Monday day.Date
	N      int
}

// Of works out how a desk ran, for its leads and staff.
func (h Room) Of(ctx context.Context, who ref.Person, desk ref.Desk, a Asked) (Report, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Report{}, err
	}
	if maySee(b, who, desk) != nil {
		return Report{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "How the desk ran is for its leads and staff."}
	}
	a.Look.Desks = slices.DeleteFunc(slices.Clone(a.Look.Desks), func(d ref.Desk) bool { return maySee(b, who, d) != nil })
	t := teller{Room: h, b: b, who: who, desk: desk, today: h.Now().Date(b.Zones[desk]), Report: Report{Asked: a}}
	t.Today = t.today
	t.Everybody = !slices.ContainsFunc(a.Look.Desks, func(d ref.Desk) bool { return !t.open(d) })
	if err := t.tell(ctx); err != nil {
		return Report{}, err
	}
	return t.Report, nil
}

// open tells whether everybody's figures on a desk are shown to who asks.
func (t *teller) open(desk ref.Desk) bool {
	w := t.b.Who(t.who, desk)
	return w.OnDesk && (w.Access.May(relay.LeadDesk) || t.b.Desk(desk).PeopleOpen)
}

// shows tells whether somebody's figures on a desk are shown to who asks: their own always are.
func (t *teller) shows(p ref.Person, desk ref.Desk) bool { return p == t.who || t.open(desk) }

// teller is a report while it is worked out.
type teller struct {
	Room
	Report
	b     *newsroom.Setup
	who   ref.Person
	desk  ref.Desk
	today day.Date
	all   []*newsroom.Entry // of the desks asked for, that the sieve lets through
	outOn []day.Date        // and on which day each went out, 0 for none
	keys  keys              // of groups that are compared
	runs  []store.Run       // all that are finished, by the day they ended
}

func (t *teller) tell(ctx context.Context) error {
	entries, err := t.Pieces(ctx, t.Now())
	if err != nil {
		return err
	}
	runs, promises, err := t.read(ctx)
	if err != nil {
		return err
	}
	t.runs = runs
	if n := len(entries); n > 0 {
		t.byID = make([]*newsroom.Entry, entries[n-1].ID+1)
	}
	t.all, t.outOn = make([]*newsroom.Entry, 0, len(entries)), make([]day.Date, 0, len(entries))
	sifted := len(t.Look.Sieve.Terms) > 0
	for _, e := range entries {
		if !slices.Contains(t.Look.Desks, e.DeskID) || e.Stage == relay.Withdrawn {
			continue
		}
		if sifted {
			f := e.Facts()
			if !t.Look.Sieve.Fits(&f) {
				continue
			}
		}
		t.all, t.byID[e.ID] = append(t.all, e), e
		var on day.Date
		if e.OutAt != 0 {
			on = e.OutAt.Date(t.b.Zones[e.DeskID])
		}
		t.outOn = append(t.outOn, on)
	}
	t.went(promises)
	t.bars(promises)
	t.ran()
	t.legs()
	t.finished()
	if err := t.back(ctx); err != nil {
		return err
	}
	if err := t.ahead(ctx, entries); err != nil {
		return err
	}
	return t.did(ctx)
}

// went finds what went out over the span, and whether on its day.
func (t *teller) went(promises promises) {
	t.Out = t.wentBetween(t.Span.From, t.Span.To)
	for i := range t.Out {
		x := &t.Out[i]
		p := promises.of(x.ID)
		x.Promise = p.Holds()
		x.Fate, x.LateBy = report.FateOf(p, x.On, t.b.Planned[x.DeskID].Calendar)
		switch x.Fate {
		case report.Late:
			t.Late++
		case report.Moved:
			t.Moved++
		default:
			t.OnDay++
		}
	}
}

// wentBetween gives what went out from one day to another, the first first.
func (t *teller) wentBetween(from, to day.Date) []Went {
	var out []Went
	for i, e := range t.all {
		if on := t.outOn[i]; on != 0 && on >= from && on <= to {
			out = append(out, Went{Entry: e, On: on})
		}
	}
	slices.SortStableFunc(out, func(x, y Went) int { return cmp.Compare(x.OutAt, y.OutAt) })
	return out
}

// bars counts what went out by week, of a year by month, with what is still to come.
func (t *teller) bars(promises promises) {
	for d := t.Span.From; d <= t.Span.To; {
		end := d.Monday() + 6
		if t.Span.Long == Year {
			end = d.AddMonths(1) - 1
		}
		t.Weeks = append(t.Weeks, Bar{From: d, To: min(end, t.Span.To)})
		d = end + 1
	}
	at := func(d day.Date) *Bar {
		if !t.Span.Contains(d) {
			return nil
		}
		i, ok := slices.BinarySearchFunc(t.Weeks, d, func(b Bar, d day.Date) int {
			switch {
			case b.To < d:
				return -1
			case b.From > d:
				return 1
			}
			return 0
		})
		if !ok {
			return nil
		}
		return &t.Weeks[i]
	}
	for _, x := range t.Out {
		w := at(x.On)
		t.made(Behind{What: WentOut, From: w.From}, x.Entry)
		t.made(Behind{What: WentOut, From: w.From, Text: string(x.Fate)}, x.Entry)
		switch x.Fate {
		case report.Late:
			w.Late++
		case report.Moved:
			w.Moved++
		default:
			w.OnDay++
		}
	}
	for i, e := range t.all {
		if e.Stage == relay.UnderWay && e.GoesOut != 0 {
			if w := at(e.GoesOut.Date(t.b.Zones[e.DeskID])); w != nil {
				w.Comes++
				t.made(Behind{What: Comes, From: w.From}, e)
			}
		}
		on := promises.of(e.ID).Holds()
		if on == 0 {
			if on = t.outOn[i]; on == 0 {
				on = e.GoesOut.Date(t.b.Zones[e.DeskID])
			}
		}
		if w := at(on); w != nil {
			w.Planned++
			t.made(Behind{What: WasPlanned, From: w.From}, e)
		}
	}
}

// finished counts, for the beginning of each week, the pieces whose last leg was passed and that
// were not out yet.
func (t *teller) finished() {
	const asked = day.Date(1) // of those whose last leg is looked for, before it is found
	ready := make([]day.Date, len(t.byID))
	for i, e := range t.all {
		if out := t.outOn[i]; out >= t.Span.From.Monday() || out == 0 && e.Stage == relay.UnderWay && e.Ready() {
			ready[e.ID] = asked
		}
	}
	for i := range t.runs {
		r := &t.runs[i]
		if r.EndDay > t.Span.To {
			break
		}
		if int(r.PieceID) >= len(ready) || ready[r.PieceID] == 0 || r.Outcome != "passed" {
			continue
		}
		if e := t.byID[r.PieceID]; e.OutAt == 0 || r.EndedAt <= e.OutAt { // not one after release
			ready[r.PieceID] = r.EndDay
		}
	}
	for d := t.Span.From.Monday(); d <= min(t.Span.To, t.today); d += 7 {
		t.Finished = append(t.Finished, Stock{Monday: d})
	}
	for i, e := range t.all {
		on, out := ready[e.ID], t.outOn[i]
		if on <= asked {
			continue
		}
		if out == 0 {
			out = t.today + 1
		}
		for i := range t.Finished {
			if s := &t.Finished[i]; on < s.Monday && s.Monday <= out {
				s.N++
				t.made(Behind{What: ReadyAt, From: s.Monday}, e)
			}
		}
	}
}
