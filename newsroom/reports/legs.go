package reports

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/core/route"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// legKey is a leg of a format.
type legKey struct {
	format ref.Format
	key    string
}

// dayRuns are the runs of a leg, each with its days and what it was allowed.
type dayRuns struct{ days, allowed []int }

func (r *dayRuns) add(days, allowed int) {
	r.days, r.allowed = append(r.days, days), append(r.allowed, allowed)
}

func (r *dayRuns) took() report.Took {
	if r == nil {
		return report.Took{}
	}
	return report.TookOf(r.days, r.allowed, measure.Quantile)
}

// daysOf gives how many working days a run took, by the days of who had it.
func (t *teller) daysOf(e *newsroom.Entry, r *store.Run) int {
	house := t.b.Planned[e.DeskID]
	cal := house.Days(r.Holder)
	if cal == nil || cal.Empty() {
		cal = house.Calendar
	}
	return max(0, cal.Count(r.StartDay, r.EndDay+1))
}

// legs works out how long each leg took, of runs that ended over the span.
func (t *teller) legs(runs []store.Run) {
	first, rework, waits := map[legKey]*dayRuns{}, map[legKey]*dayRuns{}, map[legKey]*dayRuns{}
	at := func(m map[legKey]*dayRuns, k legKey) *dayRuns {
		if m[k] == nil {
			m[k] = &dayRuns{}
		}
		return m[k]
	}
	ended := t.endsBefore(runs)
	for i := range runs {
		r := &runs[i]
		if !t.Span.Contains(r.EndDay) || r.Outcome != "passed" {
			continue
		}
		e := t.Entry(r.PieceID)
		if e == nil {
			continue
		}
		k, days := legKey{e.FormatID, r.Key}, t.daysOf(e, r)
		if r.Run > 1 {
			at(rework, k).add(days, r.Allowance)
			continue
		}
		at(first, k).add(days, r.Allowance)
		if before := ended(e, r); before != 0 {
			at(waits, k).add(max(0, t.b.Planned[e.DeskID].Calendar.Count(before+1, r.StartDay)), 0)
		}
	}
	for k, runs := range first {
		l := legOf(t.b, k)
		if l == nil {
			continue
		}
		row := LegRow{Format: k.format, Key: k.key, Name: l.Name, Allowance: l.Allowance, Took: runs.took(), Rework: rework[k].took(), Waiting: waits[k].took()}
		if k.format == t.Report.Format {
			t.Legs = append(t.Legs, row)
		}
		if s := t.Slow; row.N >= measure.Few && row.Often() && (s == nil || row.Over*s.N > s.Over*row.N) {
			t.Slow = &row
		}
	}
	order := map[string]int{}
	for i, l := range t.b.Latest(t.Report.Format).Way.Legs {
		order[l.Key] = i
	}
	slices.SortFunc(t.Legs, func(x, y LegRow) int { return order[x.Key] - order[y.Key] })
}

// endsBefore gives when the last of the legs before a run had ended, 0 where there is none.
func (t *teller) endsBefore(runs []store.Run) func(*newsroom.Entry, *store.Run) day.Date {
	type pieceLeg struct {
		piece ref.Piece
		key   string
	}
	asked := make([]bool, len(t.byID)) // only of those of which a run ended in the span
	for i := range runs {
		if r := &runs[i]; t.Span.Contains(r.EndDay) && int(r.PieceID) < len(asked) {
			asked[r.PieceID] = true
		}
	}
	ends := map[pieceLeg]day.Date{}
	for i := range runs {
		if r := &runs[i]; r.EndDay >= t.Span.From-90 && r.EndDay <= t.Span.To && int(r.PieceID) < len(asked) && asked[r.PieceID] && r.Outcome == "passed" && r.Run == 1 {
			ends[pieceLeg{r.PieceID, r.Key}] = r.EndDay
		}
	}
	return func(e *newsroom.Entry, r *store.Run) (last day.Date) {
		for _, l := range t.b.Route(e.RouteID).Way.Legs {
			if l.Key == r.Key {
				for _, before := range l.After {
					last = max(last, ends[pieceLeg{e.ID, before}])
				}
			}
		}
		return last
	}
}

func legOf(b *newsroom.Setup, k legKey) *route.Leg {
	way := b.Latest(k.format).Way
	for i := range way.Legs {
		if way.Legs[i].Key == k.key {
			return &way.Legs[i]
		}
	}
	return nil
}

// people counts who ran what. On desks on which who asks does not see everybody's figures, only
// their own are counted.
func (t *teller) people(runs []store.Run) {
	rows := map[ref.Person]*PersonRow{}
	row := func(p ref.Person, desk ref.Desk) *PersonRow {
		if p == 0 || !t.shows(p, desk) {
			return nil
		}
		if rows[p] == nil {
			rows[p] = &PersonRow{Person: p, Passed: map[string]int{}}
		}
		return rows[p]
	}
	for i := range runs {
		r := &runs[i]
		if !t.Span.Contains(r.EndDay) {
			continue
		}
		e := t.Entry(r.PieceID)
		if e == nil {
			continue
		}
		x := row(r.Holder, e.DeskID)
		if x == nil || r.Outcome != "passed" {
			continue
		}
		if r.Run > 1 { // it came back to them
			x.Back++
			continue
		}
		l := legOf(t.b, legKey{e.FormatID, r.Key})
		if l == nil {
			continue
		}
		x.Passed[l.Name]++
		x.Legs++
		x.Minutes += l.Effort
	}
	for _, e := range t.all {
		for i := range e.Legs {
			if l := &e.Legs[i]; l.State == relay.Running {
				if x := row(l.Holder, e.DeskID); x != nil {
					x.Now++
				}
			}
		}
	}
	for _, r := range rows {
		t.People = append(t.People, *r)
	}
	slices.SortFunc(t.People, func(x, y PersonRow) int { return cmp.Or(y.Minutes-x.Minutes, y.Legs-x.Legs, int(x.Person-y.Person)) })
}

// back counts what was sent back, from where to where and why.
func (t *teller) back(ctx context.Context, runs []store.Run) error {
	type moment struct {
		piece ref.Piece
		at    day.Moment
	}
	from := map[moment]string{}
	for i := range runs {
		if r := &runs[i]; r.Outcome == "sent back" {
			from[moment{r.PieceID, r.EndedAt}] = r.Key
		}
	}
	zone := t.b.Zones[t.desk]
	rows := map[[2]string]*BackRow{}
	for _, d := range t.Look.Desks {
		all, err := store.SentBacks(ctx, t.DB.View(), d, day.Wall(t.Span.From, 0, zone), day.Wall(t.Span.To+1, 0, zone))
		if err != nil {
			return err
		}
		for _, x := range all {
			e := t.Entry(x.PieceID)
			events, err := rule.ReadLines(x.Events)
			if e == nil || err != nil {
				continue
			}
			for _, ev := range events {
				if ev.Kind != rule.SentBack {
					continue
				}
				k := [2]string{t.legName(e, from[moment{x.PieceID, x.At}]), t.legName(e, ev.Leg)}
				if rows[k] == nil {
					rows[k] = &BackRow{From: k[0], To: k[1]}
				}
				r := rows[k]
				r.N++
				r.Pieces = append(r.Pieces, x.PieceID)
				if why := strings.TrimSpace(x.Why); why != "" && !slices.Contains(r.Whys, why) {
					r.Whys = slices.Insert(r.Whys, 0, why)
				}
				break
			}
		}
	}
	for _, r := range rows {
		t.Back = append(t.Back, *r)
	}
	slices.SortFunc(t.Back, func(x, y BackRow) int { return cmp.Or(y.N-x.N, strings.Compare(x.From+x.To, y.From+y.To)) })
	return nil
}

func (t *teller) legName(e *newsroom.Entry, key string) string {
	for _, l := range t.b.Route(e.RouteID).Way.Legs {
		if l.Key == key {
			return l.Name
		}
	}
	return key
}
