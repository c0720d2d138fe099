package desk

import (
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/store"
)

// Facts gives a piece as it is sifted.
func (e *Entry) Facts() sift.Facts {
	return sift.Facts{Piece: &e.Piece, Low: e.low, Pace: e.Pace, InHand: e.InHand, Quiet: e.Quiet, IsQuiet: e.IsQuiet, Open: e.OpenLeg, NextDue: e.NextDue, Values: e.Values}
}

// Columns gives all facts of the pieces of a desk, the extra fields of its formats last.
func (b *Books) Columns(desk int64, now day.Moment) []sift.Column {
	zone := b.Zones[desk]
	h := sift.House{Zone: func(m day.Moment) day.Date { return m.Date(zone) }, Today: now.Date(zone), Name: b.nameOf}
	for _, f := range b.Fields {
		if !f.Retired && b.Format(f.FormatID).DeskID == desk {
			h.Fields = append(h.Fields, sift.Extra{ID: f.ID, Name: b.Format(f.FormatID).Name + ": " + f.Name, Kind: f.Kind})
		}
	}
	return sift.Columns(h)
}

func (b *Books) nameOf(of string, id int64) string {
	switch of {
	case "format":
		return b.Format(id).Name
	case "channel":
		return b.Channel(id).Name
	case "topic":
		return b.Topic(id).Name
	case "campaign":
		return b.Campaign(id).Name
	case "desk":
		return b.Desk(id).Name
	}
	return b.Person(id).Name
}

// Look is what a view looks at: the pieces of some desks that go through a sieve.
type Look struct {
	Desks []int64
	Sieve sift.Sieve
}

// staffLook gives a look at those of its desks that somebody is on the staff of, with
// the one that is looked from among them.
func (b *Books) staffLook(who, desk int64, l Look, what string) (Look, error) {
	if !b.Person(who).Access.May(relay.SeeAll) {
		return l, &relay.Refusal{Reason: relay.ErrNotYours, Text: what + " is for the desk's staff. Your own pieces are under Pieces."}
	}
	l.Desks = slices.DeleteFunc(slices.Clone(l.Desks), func(d int64) bool { return !b.Who(who, d).OnDesk })
	if !slices.Contains(l.Desks, desk) {
		return l, ErrNotFound
	}
	return l, nil
}

func (l *Look) fits(e *Entry) bool {
	f := e.Facts()
	return l.Sieve.Fits(&f)
}

// entries gives the pieces that somebody may see of what they look at.
func (h *House) entries(ctx context.Context, b *Books, who int64, l Look) ([]*Entry, error) {
	all, err := h.all(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	p := b.Person(who)
	var theirs map[int64]bool // of people from outside the staff
	if !p.Access.May(relay.SeeAll) {
		if theirs, err = h.seenBy(ctx, p); err != nil {
			return nil, err
		}
	}
	desks := slices.DeleteFunc(slices.Clone(l.Desks), func(d int64) bool { return !slices.Contains(p.Desks, d) })
	out := make([]*Entry, 0, len(all))
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
func (h *House) EntriesOf(ctx context.Context, who int64, ids []int64) ([]*Entry, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return nil, err
	}
	seen, err := h.entries(ctx, b, who, Look{Desks: b.Person(who).Desks})
	if err != nil {
		return nil, err
	}
	var out []*Entry
	for _, id := range ids {
		i, ok := slices.BinarySearchFunc(seen, id, byID)
		if !ok {
			return nil, ErrNotFound
		}
		out = append(out, seen[i])
	}
	return out, nil
}

// seenBy gives the pieces that are listed for somebody from outside the staff: for
// freelancers those of which a leg is or was theirs (what they could take stands among
// the open legs), for outside reviewers what has reached them.
func (h *House) seenBy(ctx context.Context, p store.Person) (map[int64]bool, error) {
	query, args := "SELECT DISTINCT piece_id FROM leg WHERE holder = ? AND run > 0", []any{p.ID}
	if !slices.Contains(relay.RightTo(relay.ActSee).For(p.Access), relay.Reached) {
		query = "SELECT DISTINCT piece_id FROM leg WHERE holder = ?"
	}
	var ids []int64
	if err := h.DB.View().Select(ctx, &ids, query, args...); err != nil {
		return nil, err
	}
	out := make(map[int64]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out, nil
}
