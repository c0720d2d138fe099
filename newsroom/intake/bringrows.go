package intake

import (
	"errors"
	"fmt"
	"slices"

	"greenbaton/core/bring"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/field"
	"greenbaton/core/figure"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// BringPlan says how the rows of a list are read.
type BringPlan struct {
	Columns bring.Map   `json:"columns"`
	Order   bring.Order `json:"order,omitempty"`  // of day and month in its dates; none while nobody has said
	Format  ref.Format  `json:"format,omitempty"` // of pieces whose row names none; 0 for none
	Owner   ref.Person  `json:"owner,omitempty"`  // likewise
	// Who is meant by names that nobody here has, in small letters; 0 for nobody.
	People map[string]ref.Person `json:"people,omitempty"`
	// What states of elsewhere mean, in small letters: whether the piece went out.
	States map[string]bool `json:"states,omitempty"`
	Mark   figure.Mark     `json:"mark,omitempty"` // before the fraction of its figures; none while nobody has said
}

// Fate is what becomes of a row.
type Fate string

// The fates of rows.
const (
	RowNew   Fate = "new"
	RowClash Fate = "clash"      // it could come in, and somebody should look first
	RowSame  Fate = "same"       // it is here already
	RowBad   Fate = "unreadable" // it cannot come in
)

// BringRow is a row of a list with what becomes of it, and why.
type BringRow struct {
	Line   int
	Title  string
	Fate   Fate
	Says   string
	idea   idea.Idea
	draft  planning.Draft
	pastOf planning.Past
	text   string         // of its copy
	does   []store.Figure // what a piece did
}

// reader reads the rows of one list against what there is.
type reader struct {
	b       *newsroom.Setup
	desk    ref.Desk
	by      ref.Person
	now     day.Moment
	kind    bring.Kind
	plan    BringPlan
	ideas   map[string]*shelved          // by title, by phrase for search phrases
	pieces  map[string][]*newsroom.Entry // by title
	taken   map[slotTime]string          // the title of what holds a time of a channel
	lines   map[string]int               // where a title stood before in the list
	nobody  map[string]int               // names that nobody here has, with how often they stand
	states  map[string]int               // that rows name, in small letters, likewise
	unclear string                       // the first figure that can be read in two ways
	slots   map[channelDay]int           // when a channel's slot of a day goes out, as it is asked for
	figureReader
}

type channelDay struct {
	channel ref.Channel
	on      day.Date
}

type slotTime struct {
	channel ref.Channel
	at      day.Moment
}

func newReader(b *newsroom.Setup, d ref.Desk, by ref.Person, now day.Moment, kind bring.Kind, plan BringPlan, ideas []*shelved, pieces []*newsroom.Entry) *reader {
	r := &reader{b: b, desk: d, by: by, now: now, kind: kind, plan: plan, ideas: map[string]*shelved{}, pieces: map[string][]*newsroom.Entry{}, taken: map[slotTime]string{}, lines: map[string]int{}, slots: map[channelDay]int{}, nobody: map[string]int{}, states: map[string]int{}}
	for _, i := range ideas {
		if i.DeskID != d {
			continue
		}
		if k := bring.Same(i.Title); k != "" {
			r.ideas[k] = i
		}
		if kind == bring.Phrases && i.Phrase != "" {
			r.ideas["phrase "+bring.Same(i.Phrase)] = i
		}
	}
	for _, e := range pieces {
		if e.DeskID != d {
			continue
		}
		k := bring.Same(e.Title)
		r.pieces[k] = append(r.pieces[k], e)
		if e.GoesOut > now && e.Stage != relay.Withdrawn {
			r.taken[slotTime{e.ChannelID, e.GoesOut}] = e.Title
		}
	}
	return r
}

// read says what becomes of each row of a table.
func (r *reader) read(t bring.Table) []BringRow {
	out := make([]BringRow, len(t.Rows))
	for i, cells := range t.Rows {
		row := r.plan.Columns.Read(cells)
		for key, typed := range row {
			if r.isFigure(key) {
				row[key] = r.figure(typed)
			}
		}
		out[i] = BringRow{Line: t.Lines[i], Title: english.Cut(row["title"], 120), Fate: RowNew}
		switch r.kind {
		case bring.Lineup:
			r.piece(&out[i], row)
		case bring.History:
			r.past(&out[i], row)
		case bring.Figures:
			r.figures(&out[i], row)
		default:
			r.thought(&out[i], row)
		}
	}
	return out
}

// figure gives a figure as it is meant, and notes the first that can be read in two ways.
func (r *reader) figure(typed string) string {
	if _, err := figure.Read(typed); r.unclear == "" && errors.As(err, new(*figure.Unclear)) {
		r.unclear = typed
	}
	if r.plan.Mark == "" {
		return typed
	}
	return figure.Meant(typed, r.plan.Mark)
}

// isFigure reports whether a field of a row is a figure.
func (r *reader) isFigure(key string) bool {
	return bring.IsFigure(key) || slices.ContainsFunc(r.b.Measures, func(m store.Measure) bool { return measureKey(m) == key }) ||
		slices.ContainsFunc(r.b.Fields, func(f store.Field) bool {
			return (f.Kind == field.Number || f.Kind == field.Money) && fieldKey(f) == key
		})
}

func (x *BringRow) is(f Fate, text string, args ...any) {
	x.Fate, x.Says = f, fmt.Sprintf(text, args...)
}

// figureBad says what is wrong with a figure in a row: how it could be read, or that it is none.
func figureBad(err error, typed, of string) string {
	var unclear *figure.Unclear
	if errors.As(err, &unclear) {
		return english.UpperFirst(unclear.Error()) + "."
	}
	return fmt.Sprintf("“%s” is no number%s.", english.Cut(typed, 40), of)
}
