package copyroom

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"greenbaton/core/brief"
	"greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Asked is what the conditions of legs are held against, of several pieces.
type Asked struct {
	B      *newsroom.Setup
	Steps  map[ref.Piece][]store.Step
	Words  map[ref.Piece]int
	Values map[ref.Piece]map[ref.Field]string
	briefs map[ref.Piece]brief.Brief
	titled map[ref.Piece]bool            // a title is chosen
	found  map[ref.Piece][]check.Finding // in the copies of pieces with a leg that asks for checks
	owed   map[ref.Piece][]query.Query   // queries that legs ask for an answer to, and that nobody has answered
	turns  map[ref.Piece][]ref.Person    // whose turn it is on each query that is open, of pieces with a leg that asks for none to be
	over   map[ref.Piece][]store.Lack    // what was asked for of others, and what was passed over
}

// AskedOf reads what the conditions of the legs of pieces are held against.
func AskedOf(b *newsroom.Setup, ctx context.Context, r store.Reader, pieces ...*relay.Piece) (Asked, error) {
	a, ids, strict := Asked{B: b}, make([]ref.Piece, len(pieces)), []ref.Piece{}
	for i, p := range pieces {
		ids[i] = p.ID
		if wantsBrief(b, p.FormatID) {
			strict = append(strict, p.ID)
		}
	}
	var err error
	if a.Steps, err = store.StepsOf(ctx, r, ids); err != nil {
		return a, err
	}
	if a.Words, err = store.WordsOf(ctx, r, ids); err != nil {
		return a, err
	}
	if a.Values, err = store.ValuesOf(ctx, r, ids); err != nil {
		return a, err
	}
	if a.briefs, err = store.BriefsOf(ctx, r, strict); err != nil {
		return a, err
	}
	if a.titled, err = store.TitledOf(ctx, r, strict); err != nil {
		return a, err
	}
	if a.over, err = store.LacksOf(ctx, r, ids); err != nil {
		return a, err
	}
	for _, p := range pieces {
		if err := a.failing(ctx, r, p); err != nil {
			return a, err
		}
	}
	return a, a.ReadOwed(ctx, r, ids)
}

// ReadOwed reads the queries with which pieces came back, and the notes of sign-offs, that
// are not answered.
func (a *Asked) ReadOwed(ctx context.Context, r store.Reader, pieces []ref.Piece) error {
	owed, err := store.OwedOf(ctx, r, pieces)
	if err != nil || len(owed) == 0 {
		return err
	}
	answers, err := AnswersTo(ctx, r, owed)
	if err != nil {
		return err
	}
	a.owed = map[ref.Piece][]query.Query{}
	for _, q := range owed {
		if !q.Answered(answers[q.ID]) {
			a.owed[q.PieceID] = append(a.owed[q.PieceID], q)
		}
	}
	return nil
}

// wantsBrief reports whether a format wants something to be there before the writing begins.
func wantsBrief(b *newsroom.Setup, format ref.Format) bool {
	for _, x := range b.Forms[format] {
		if x.Must {
			return true
		}
	}
	return b.Format(format).Titled
}

// Unmet says what a leg still asks for before it is passed. What was passed over once is not
// asked for again, as long as the leg that was passed so stays passed.
func (a Asked) Unmet(p *relay.Piece, l *relay.Leg) []check.Lack {
	var own []check.Lack // what its holder sees to
	for _, text := range append(a.sayOwed(p, l), a.musts(p, l)...) {
		own = append(own, check.Lack{Key: l.Key + " " + text, Text: text})
	}
	all := slices.Concat(a.before(p, l.Key), a.waiting(p, l), check.Unmet(p, l, stepsOf(p, l.Key, a.Steps[p.ID]), a.Words[p.ID], missing(a.B, p, l.Key, a.Values[p.ID])), own)
	return slices.DeleteFunc(all, func(x check.Lack) bool { return a.passedOver(p, x.Key) })
}

// passedOver reports whether a leg was passed all the same for want of something.
func (a Asked) passedOver(p *relay.Piece, key string) bool {
	return slices.ContainsFunc(a.over[p.ID], func(x store.Lack) bool {
		l := p.Leg(x.Leg)
		return x.OfPerson == 0 && x.What == key && l != nil && l.State == relay.Passed && l.Run == x.Run
	})
}

// AskedFor gives when somebody was last asked for what a leg lacks, for this run of it; 0 for
// never.
func (a Asked) AskedFor(p *relay.Piece, l *relay.Leg, x check.Lack) (at day.Moment) {
	for _, y := range a.over[p.ID] {
		if y.OfPerson == x.Of && x.Of != 0 && y.Leg == l.Key && y.Run == l.Run && y.What == x.Key {
			at = y.At
		}
	}
	return at
}

// Lacks says what must be there before the writing begins and is not.
func (a Asked) Lacks(p *relay.Piece, leg string) []string { return check.Texts(a.before(p, leg)) }

// before gives what must be there before the writing begins and is not; the owner sees to it.
func (a Asked) before(p *relay.Piece, leg string) []check.Lack {
	says, ok := a.briefs[p.ID]
	if !ok {
		says = BriefOf(p)
	}
	var out []check.Lack
	for _, text := range a.B.Forms[p.FormatID].Lacks(p, leg, says, a.B.Format(p.FormatID).Titled, a.titled[p.ID]) {
		out = append(out, check.Lack{Key: text, Text: text, Of: p.Owner})
	}
	return out
}

// waiting gives the queries that have to be settled before a leg is passed and wait for others
// than its holder, by whom they wait for.
func (a Asked) waiting(p *relay.Piece, l *relay.Leg) []check.Lack {
	if !slices.Contains(a.B.Rules[p.FormatID].Musts(l.Key), check.Queries) {
		return nil
	}
	n := map[ref.Person]int{}
	for _, who := range a.turns[p.ID] {
		if who != 0 && who != l.Holder {
			n[who]++
		}
	}
	var out []check.Lack
	for _, who := range slices.Sorted(maps.Keys(n)) {
		text := "a query waits for their word"
		if n[who] > 1 {
			text = fmt.Sprintf("%d queries wait for their word", n[who])
		}
		out = append(out, check.Lack{Key: fmt.Sprintf("%s queries %d", l.Key, who), Text: text, Of: who})
	}
	return out
}

// sayOwed says how many queries a leg still asks for an answer to.
func (a Asked) sayOwed(p *relay.Piece, l *relay.Leg) []string {
	back, notes := 0, 0
	for _, q := range a.owed[p.ID] {
		switch {
		case q.Leg != l.Key:
		case q.Note:
			notes++
		case q.Reason == l.Run:
			back++
		}
	}
	var out []string
	switch {
	case back == 1:
		out = append(out, "a query it came back with is not answered")
	case back > 1:
		out = append(out, fmt.Sprintf("%d queries it came back with are not answered", back))
	}
	if notes > 0 {
		out = append(out, SayNotes(notes))
	}
	return out
}

// SayNotes says how many notes of a sign-off are not answered.
func SayNotes(n int) string {
	if n == 1 {
		return "a note of the sign-off is not answered"
	}
	return fmt.Sprintf("%d notes of the sign-off are not answered", n)
}

// Unheeded counts the notes of sign-offs on a piece that no leg has answered: those that
// came with its last leg, or whose leg was left out.
func (a Asked) Unheeded(p *relay.Piece) int {
	n := 0
	for _, q := range a.owed[p.ID] {
		if l := p.Leg(q.Leg); q.Note && (l == nil || l.State != relay.Passed) {
			n++
		}
	}
	return n
}

// BriefOf is the brief of a piece of which nothing else is said.
func BriefOf(p *relay.Piece) brief.Brief {
	return brief.Brief{WordsFrom: p.WordsFrom, WordsTo: p.WordsTo, About: p.Brief, Answers: map[string]string{}}
}

// missing gives the names of the fields that a leg asks for and that are not filled in.
func missing(b *newsroom.Setup, p *relay.Piece, leg string, values map[ref.Field]string) []string {
	l := b.Route(p.RouteID).Way.Leg(leg)
	if l == nil {
		return nil
	}
	var out []string
	for _, f := range b.FieldsOf(p.FormatID) {
		if slices.Contains(l.Requires, f.Key) && values[f.ID] == "" {
			out = append(out, f.Name)
		}
	}
	return out
}

// stepsOf gives the steps of one leg as package check reads them. A step for another role is
// for whoever had the last leg of that role.
func stepsOf(p *relay.Piece, leg string, steps []store.Step) []check.Step {
	var out []check.Step
	for _, s := range steps {
		if s.Leg == leg {
			x := check.Step{Text: s.Text, Must: s.Must, Done: s.DoneBy != 0}
			for l := range p.Every() {
				if s.Role != "" && l.Role == s.Role && l.State != relay.Skipped {
					x.Of = l.Holder
				}
			}
			out = append(out, x)
		}
	}
	return out
}
