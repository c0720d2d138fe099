package reports

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/report"
	"greenbaton/core/route"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

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

// legRuns are the runs of a leg: the first of each piece, those after it was sent back, and the
// days it waited to begin.
type legRuns struct{ first, rework, waits dayRuns }

// legs works out how long each leg took, of runs that ended over the span.
func (t *teller) legs() {
	of := map[ref.Format][]legRuns{} // by the legs of the newest route
	before := t.endsBefore()
	within := ended(t.runs, t.Span.From, t.Span.To)
	for i := range within {
		r := &within[i]
		e := t.Entry(r.PieceID)
		if e == nil || r.Outcome != "passed" {
			continue
		}
		way := t.b.Latest(e.FormatID).Way.Legs
		at := legAt(way, r.Key)
		if at < 0 {
			continue
		}
		if of[e.FormatID] == nil {
			of[e.FormatID] = make([]legRuns, len(way))
		}
		l, days := &of[e.FormatID][at], t.daysOf(e, r)
		if r.Run > 1 {
			l.rework.add(days, r.Allowance)
			t.made(Behind{What: Rework, Format: e.FormatID, Text: r.Key}, e)
			continue
		}
		l.first.add(days, r.Allowance)
		t.made(Behind{What: Took, Format: e.FormatID, Text: r.Key}, e)
		if report.RanOver(days, r.Allowance) {
			t.made(Behind{What: Over, Format: e.FormatID, Text: r.Key}, e)
		}
		if last := before(e, r); last != 0 {
			l.waits.add(max(0, t.b.Planned[e.DeskID].Calendar.Count(last+1, r.StartDay)), 0)
		}
	}
	for format, all := range of {
		for i, l := range t.b.Latest(format).Way.Legs {
			if len(all[i].first.days) == 0 {
				continue
			}
			row := LegRow{Format: format, Key: l.Key, Name: l.Name, Allowance: l.Allowance, Took: all[i].first.took(), Rework: all[i].rework.took(), Waiting: all[i].waits.took()}
			if format == t.Report.Format {
				t.Legs = append(t.Legs, row)
			}
			if s := t.Slow; row.N >= measure.Few && row.Often() && (s == nil || row.Over*s.N > s.Over*row.N || row.Over*s.N == s.Over*row.N && row.Format < s.Format) {
				t.Slow = &row
			}
		}
	}
}

// mostWaited is how many days before a span a leg may have ended for which one in it waited.
const mostWaited = 90

// endsBefore gives when the last of the legs before a run had ended, 0 where there is none.
func (t *teller) endsBefore() func(*newsroom.Entry, *store.Run) day.Date {
	most := 0
	for _, r := range t.b.Routes {
		most = max(most, len(r.Way.Legs))
	}
	within := ended(t.runs, t.Span.From, t.Span.To)
	row := make([]int32, len(t.byID)) // of the pieces of which a run ended in the span, from 1 on
	n := int32(0)
	for i := range within {
		if id := int(within[i].PieceID); id < len(row) && row[id] == 0 {
			n++
			row[id] = n
		}
	}
	ends := make([]day.Date, int(n+1)*most) // of each of these, by the legs of its route
	for i, runs := 0, ended(t.runs, t.Span.From-mostWaited, t.Span.To); i < len(runs); i++ {
		r := &runs[i]
		e := t.Entry(r.PieceID)
		if e == nil || row[r.PieceID] == 0 || r.Outcome != "passed" || r.Run > 1 {
			continue
		}
		if at := legAt(t.b.Route(e.RouteID).Way.Legs, r.Key); at >= 0 {
			ends[int(row[r.PieceID])*most+at] = r.EndDay
		}
	}
	return func(e *newsroom.Entry, r *store.Run) (last day.Date) {
		way := t.b.Route(e.RouteID).Way.Legs
		at := legAt(way, r.Key)
		if at < 0 {
			return 0
		}
		for _, key := range way[at].After {
			if i := legAt(way, key); i >= 0 {
				last = max(last, ends[int(row[e.ID])*most+i])
			}
		}
		return last
	}
}

// legAt gives the place of a leg on a route, -1 where it has none of that key.
func legAt(legs []route.Leg, key string) int {
	for i := range legs {
		if legs[i].Key == key {
			return i
		}
	}
	return -1
}

// back counts what was sent back, from where to where and why.
func (t *teller) back(ctx context.Context) error {
	type moment struct {
		piece ref.Piece
		at    day.Moment
	}
	from := map[moment]string{}
	runs := ended(t.runs, t.Span.From-1, t.Span.To+1) // days of runs are of their desk's zone
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
