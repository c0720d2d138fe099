package reports

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Ran is how often a leg was passed over the span, and at how many pieces it runs now.
type Ran struct {
	Leg     string
	Passed  int
	Minutes int // that what was passed is reckoned with
	Back    int // passed again after it was sent back
	Now     int
}

// FormatRow is what was run of a format.
type FormatRow struct {
	Format ref.Format
	Out    int   // pieces that went out over the span
	Ran    []Ran // its legs, as its newest route has them
}

// PersonRow is what somebody ran.
type PersonRow struct {
	Person  ref.Person
	Ran     []Ran // what was passed most often first
	Legs    int
	Minutes int
	Back    int
	Now     int
}

// ranKey is a leg that somebody ran.
type ranKey struct {
	desk   ref.Desk
	format ref.Format
	person ref.Person
	leg    string // by its name
}

// ran counts who ran what, of which formats. On desks on which who asks does not see everybody's
// figures, only their own are counted by person.
func (t *teller) ran() {
	all := map[ranKey]*Ran{}
	count := func(k ranKey) *Ran {
		if all[k] == nil {
			all[k] = &Ran{Leg: k.leg}
		}
		return all[k]
	}
	runs := ended(t.runs, t.Span.From, t.Span.To)
	for i := range runs {
		r := &runs[i]
		e := t.Entry(r.PieceID)
		if e == nil || r.Outcome != "passed" {
			continue
		}
		way := t.b.Latest(e.FormatID).Way.Legs
		at := legAt(way, r.Key)
		if at < 0 {
			continue
		}
		l := &way[at]
		k := ranKey{e.DeskID, e.FormatID, r.Holder, l.Name}
		x := count(k)
		if r.Run > 1 {
			x.Back++
			t.madeBy(CameBack, k, e)
			continue
		}
		x.Passed++
		x.Minutes += l.Effort
		t.madeBy(WasRun, k, e)
	}
	for _, e := range t.all {
		if e.Stage != relay.UnderWay {
			continue
		}
		for i := range e.Legs {
			if l := &e.Legs[i]; l.State == relay.Running {
				k := ranKey{e.DeskID, e.FormatID, l.Holder, l.Name}
				count(k).Now++
				t.madeBy(RunsNow, k, e)
			}
		}
	}
	t.formats(all)
	t.people(all)
}

// add counts a leg with another.
func add(to map[string]*Ran, x *Ran) {
	if to[x.Leg] == nil {
		to[x.Leg] = &Ran{Leg: x.Leg}
	}
	r := to[x.Leg]
	r.Passed, r.Minutes, r.Back, r.Now = r.Passed+x.Passed, r.Minutes+x.Minutes, r.Back+x.Back, r.Now+x.Now
}

func (t *teller) formats(all map[ranKey]*Ran) {
	legs, out := map[ref.Format]map[string]*Ran{}, map[ref.Format]int{}
	for _, x := range t.Out {
		out[x.FormatID]++
		legs[x.FormatID] = map[string]*Ran{}
	}
	for k, x := range all {
		if legs[k.format] == nil {
			legs[k.format] = map[string]*Ran{}
		}
		add(legs[k.format], x)
	}
	for f, rows := range legs {
		way := t.b.Latest(f).Way
		place := func(r Ran) int {
			for i := range way.Legs {
				if way.Legs[i].Name == r.Leg {
					return i
				}
			}
			return len(way.Legs) // one that the route no longer has
		}
		x := FormatRow{Format: f, Out: out[f]}
		for _, r := range rows {
			x.Ran = append(x.Ran, *r)
		}
		slices.SortFunc(x.Ran, func(x, y Ran) int { return cmp.Or(place(x)-place(y), strings.Compare(x.Leg, y.Leg)) })
		t.Formats = append(t.Formats, x)
	}
	slices.SortFunc(t.Formats, func(x, y FormatRow) int { return cmp.Or(y.Out-x.Out, int(x.Format-y.Format)) })
	t.Report.Format = t.Asked.Format
	if t.Report.Format == 0 && len(t.Formats) > 0 {
		t.Report.Format = t.Formats[0].Format
	}
}

func (t *teller) people(all map[ranKey]*Ran) {
	legs := map[ref.Person]map[string]*Ran{}
	for k, x := range all {
		if k.person == 0 || !t.shows(k.person, k.desk) {
			continue
		}
		if legs[k.person] == nil {
			legs[k.person] = map[string]*Ran{}
		}
		add(legs[k.person], x)
	}
	for p, rows := range legs {
		x := PersonRow{Person: p}
		for _, r := range slices.Collect(maps.Values(rows)) {
			x.Ran = append(x.Ran, *r)
			x.Legs, x.Minutes, x.Back, x.Now = x.Legs+r.Passed, x.Minutes+r.Minutes, x.Back+r.Back, x.Now+r.Now
		}
		slices.SortFunc(x.Ran, func(x, y Ran) int { return cmp.Or(y.Passed-x.Passed, strings.Compare(x.Leg, y.Leg)) })
		t.People = append(t.People, x)
	}
	slices.SortFunc(t.People, func(x, y PersonRow) int {
		return cmp.Or(y.Minutes-x.Minutes, y.Legs-x.Legs, int(x.Person-y.Person))
	})
}
