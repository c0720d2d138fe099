package planning

import (
	"context"
	"net/url"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Columns gives all facts of the pieces of a desk, the extra fields of its formats last.
func Columns(b *newsroom.Setup, desk ref.Desk) []sift.Column {
	zone := b.Zones[desk]
	h := sift.Source{Zone: func(m day.Moment) day.Date { return m.Date(zone) }, Name: b.NameOf}
	for _, f := range b.Fields {
		if !f.Retired && b.Format(f.FormatID).DeskID == desk {
			h.Fields = append(h.Fields, sift.Extra{ID: f.ID, Name: b.NameOfField(f), Kind: f.Kind})
		}
	}
	return sift.Columns(h)
}

// staffColumns are facts of pieces that only the desk's own people see, and ask for.
var staffColumns = []string{"owner", "desk", "left", "campaign", "priority", "tags", "topic"}

// ColumnsFor gives the facts of the pieces of a desk that somebody may see and ask for.
func ColumnsFor(b *newsroom.Setup, who ref.Person, desk ref.Desk) []sift.Column {
	columns := Columns(b, desk)
	if b.Person(who).Access.May(relay.SeeAll) {
		return columns
	}
	return slices.DeleteFunc(columns, func(c sift.Column) bool { return c.Field != 0 || slices.Contains(staffColumns, c.Key) })
}

// LookOf gives what an address of a view asks for, with the columns by which somebody may ask: the
// pieces of the desk, or with desks=all of all of theirs. What is not understood is refused.
func LookOf(b *newsroom.Setup, who ref.Person, desk ref.Desk, q url.Values, today day.Date) (Look, error) {
	l := Look{Desks: []ref.Desk{desk}}
	if q.Get("desks") == "all" {
		l.Desks = b.Person(who).Desks
	}
	var err error
	if l.Sieve, err = sift.Parse(ColumnsFor(b, who, desk), q, today); err != nil {
		return l, newsroom.Invalid("query", "%s.", english.UpperFirst(err.Error()))
	}
	return l, nil
}

// Look is what a view looks at: the pieces of some desks that go through a sieve.
type Look struct {
	Desks []ref.Desk
	Sieve sift.Sieve
	Trial *plan.Trial // changes that are tried; nil looks at the plan as it is
}

// staffLook gives a look at those of its desks that somebody is on the staff of, with
// the one that is looked from among them.
func staffLook(b *newsroom.Setup, who ref.Person, desk ref.Desk, l Look, what string) (Look, error) {
	if !b.Person(who).Access.May(relay.SeeAll) {
		return l, &relay.Refusal{Reason: relay.ErrNotYours, Text: what + " is for the desk's staff. Your own pieces are under Pieces."}
	}
	l.Desks = slices.DeleteFunc(slices.Clone(l.Desks), func(d ref.Desk) bool { return !b.Who(who, d).OnDesk })
	if !slices.Contains(l.Desks, desk) {
		return l, newsroom.ErrNotFound
	}
	return l, nil
}

func (l *Look) fits(e *newsroom.Entry) bool {
	f := e.Facts()
	return l.Sieve.Fits(&f)
}

// Entries gives the pieces that somebody may see of what they look at.
func (h Overview) Entries(ctx context.Context, b *newsroom.Setup, who ref.Person, l Look) ([]*newsroom.Entry, error) {
	all, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	p := b.Person(who)
	var theirs map[ref.Piece]bool // of people from outside the staff
	if !p.Access.May(relay.SeeAll) {
		if theirs, err = h.seenBy(ctx, p); err != nil {
			return nil, err
		}
	}
	desks := slices.DeleteFunc(slices.Clone(l.Desks), func(d ref.Desk) bool { return !slices.Contains(p.Desks, d) })
	out := make([]*newsroom.Entry, 0, len(all))
	var f sift.Facts // one for all, since its address is given away
	for _, e := range all {
		if !slices.Contains(desks, e.DeskID) || theirs != nil && !theirs[e.ID] {
			continue
		}
		if len(l.Sieve.Terms) > 0 {
			if f = e.Facts(); !l.Sieve.Fits(&f) {
				continue
			}
		}
		out = append(out, e)
	}
	return out, nil
}

// EntriesOf gives pieces by their ids, in that order, to somebody who may see all of
// them.
func (h Overview) EntriesOf(ctx context.Context, who ref.Person, ids []ref.Piece) ([]*newsroom.Entry, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	seen, err := h.Entries(ctx, b, who, Look{Desks: b.Person(who).Desks})
	if err != nil {
		return nil, err
	}
	var out []*newsroom.Entry
	for _, id := range ids {
		i, ok := slices.BinarySearchFunc(seen, id, newsroom.ByID)
		if !ok {
			return nil, newsroom.ErrNotFound
		}
		out = append(out, seen[i])
	}
	return out, nil
}

// seenBy gives the pieces that are listed for somebody from outside the staff: for
// freelancers those of which a leg is or was theirs (what they could take stands among
// the open legs), for outside reviewers what has reached them.
func (h Overview) seenBy(ctx context.Context, p store.Person) (map[ref.Piece]bool, error) {
	query, args := "SELECT DISTINCT piece_id FROM leg WHERE holder = ? AND run > 0", []any{p.ID}
	if !slices.Contains(relay.RightTo(relay.ActSee).For(p.Access), relay.Reached) {
		query = "SELECT DISTINCT piece_id FROM leg WHERE holder = ?"
	}
	var ids []ref.Piece
	if err := h.DB.View().Select(ctx, &ids, query, args...); err != nil {
		return nil, err
	}
	out := make(map[ref.Piece]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out, nil
}
