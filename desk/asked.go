package desk

import (
	"context"
	"fmt"

	"greenbaton/core/brief"
	"greenbaton/core/check"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// asked is what the conditions of legs are held against, of several pieces.
type asked struct {
	b      *Books
	steps  map[int64][]store.Step
	words  map[int64]int
	values map[int64]map[int64]string
	briefs map[int64]brief.Brief
	titled map[int64]bool            // a title is chosen
	found  map[int64][]check.Finding // in the copies of pieces with a leg that asks for checks
	owed   map[reasonKey]int         // queries with which a piece came back and that nobody has answered
}

// reasonKey is a run of a leg.
type reasonKey struct {
	piece int64
	leg   string
	run   int
}

// asked reads what the conditions of the legs of pieces are held against.
func (b *Books) asked(ctx context.Context, r store.Reader, pieces ...*relay.Piece) (asked, error) {
	a, ids, strict := asked{b: b}, make([]int64, len(pieces)), []int64{}
	for i, p := range pieces {
		ids[i] = p.ID
		if b.strict(p.FormatID) {
			strict = append(strict, p.ID)
		}
	}
	var err error
	if a.steps, err = store.StepsOf(ctx, r, ids); err != nil {
		return a, err
	}
	if a.words, err = store.WordsOf(ctx, r, ids); err != nil {
		return a, err
	}
	if a.values, err = store.ValuesOf(ctx, r, ids); err != nil {
		return a, err
	}
	if a.briefs, err = store.BriefsOf(ctx, r, strict); err != nil {
		return a, err
	}
	if a.titled, err = store.TitledOf(ctx, r, strict); err != nil {
		return a, err
	}
	for _, p := range pieces {
		if err := a.failing(ctx, r, p); err != nil {
			return a, err
		}
	}
	return a, a.readOwed(ctx, r, ids)
}

// readOwed counts the queries with which pieces came back and that are not answered.
func (a *asked) readOwed(ctx context.Context, r store.Reader, pieces []int64) error {
	reasons, err := store.ReasonsOf(ctx, r, pieces)
	if err != nil || len(reasons) == 0 {
		return err
	}
	answers, err := answersTo(ctx, r, reasons)
	if err != nil {
		return err
	}
	a.owed = map[reasonKey]int{}
	for _, q := range reasons {
		if !q.Answered(answers[q.ID]) {
			a.owed[reasonKey{q.PieceID, q.Leg, q.Reason}]++
		}
	}
	return nil
}

// strict reports whether a format wants something to be there before the writing begins.
func (b *Books) strict(format int64) bool {
	for _, x := range b.forms[format] {
		if x.Must {
			return true
		}
	}
	return b.Format(format).Titled
}

// unmet says what a leg still asks for before it is passed.
func (a asked) unmet(p *relay.Piece, l *relay.Leg) []string {
	unmet := check.Unmet(p, l, stepsOf(l.Key, a.steps[p.ID]), a.words[p.ID], a.b.missing(p, l.Key, a.values[p.ID]))
	if owed := a.sayOwed(p, l); owed != "" {
		unmet = append(unmet, owed)
	}
	unmet = append(unmet, a.musts(p, l.Key)...)
	return append(a.lacks(p, l.Key), unmet...)
}

// lacks says what must be there before the writing begins and is not.
func (a asked) lacks(p *relay.Piece, leg string) []string {
	says, ok := a.briefs[p.ID]
	if !ok {
		says = briefOf(p)
	}
	return a.b.forms[p.FormatID].Lacks(p, leg, says, a.b.Format(p.FormatID).Titled, a.titled[p.ID])
}

// sayOwed says how many queries with which a leg came back are not answered.
func (a asked) sayOwed(p *relay.Piece, l *relay.Leg) string {
	switch n := a.owed[reasonKey{p.ID, l.Key, l.Run}]; n {
	case 0:
		return ""
	case 1:
		return "a query it came back with is not answered"
	default:
		return fmt.Sprintf("%d queries it came back with are not answered", n)
	}
}
