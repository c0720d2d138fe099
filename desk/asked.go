package desk

import (
	"context"

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
	titled map[int64]bool // a title is chosen
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
	a.titled, err = store.TitledOf(ctx, r, strict)
	return a, err
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
