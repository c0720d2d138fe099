package planning

import (
	"context"
	"fmt"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// derive begins the pieces that legs after release begin, as soon as these do, and passes such a
// leg when the piece it began is out.
func derive(a *newsroom.Command, _ relay.Piece, m relay.Move) error {
	for _, e := range m.Events {
		l := m.Piece.Leg(e.Leg)
		switch {
		case e.Kind == relay.Began && l != nil && l.Later && l.Makes != 0:
			if err := begun(a, &m.Piece, l); err != nil {
				return err
			}
		case e.Kind == relay.WentOut && m.Piece.DerivedFrom != 0:
			if err := passParent(a, &m.Piece); err != nil {
				return err
			}
		}
	}
	return nil
}

// begun makes the piece that a leg begins, once for the leg, for whoever has it or owns the piece.
func begun(a *newsroom.Command, p *relay.Piece, l *relay.Leg) error {
	f := a.Setup.Format(l.Makes)
	if f.ID == 0 || f.Retired {
		return nil // it stays a leg to be done by hand
	}
	has, err := store.DerivedFrom(a, a.Tx, p.ID)
	if err != nil {
		return err
	}
	for _, x := range has {
		if x.DerivedLeg == l.Key && x.Stage != relay.Withdrawn {
			return nil
		}
	}
	owner := l.Holder
	for _, who := range []ref.Person{p.Owner, newsroom.FirstOf(a.Setup.Leads(f.DeskID))} {
		if owner == 0 || !MayCreate(a.Setup.Who(owner, f.DeskID)) {
			owner = who
		}
	}
	d := Draft{
		Title: english.Cut(l.Name+": "+p.Title, 200), Format: f.ID, Owner: owner, WordsFrom: f.WordsFrom, WordsTo: f.WordsTo, Derived: p.ID, DerivedLeg: l.Key,
		Brief: fmt.Sprintf("From “%s”, No. %d, which went out %s.", p.Title, p.Number, a.Setup.At(p.OutAt, p.DeskID)),
	}
	if p.DeskID == f.DeskID {
		d.Topic, d.Campaign, d.Tags = p.TopicID, p.CampaignID, p.Tags
	}
	by := a.Actor
	a.Actor = owner // whoever owns it makes it, by the route
	defer func() { a.Actor = by }()
	board, err := a.Newsroom.BoardAt(a, a.Setup, a.Now)
	if err != nil {
		return err
	}
	_, err = CreateOn(a, board.Replace(a.Put.Pieces), d)
	return err
}

// passParent passes the leg that began a piece which is out now.
func passParent(a *newsroom.Command, p *relay.Piece) error {
	parent, err := store.Piece(a, a.Tx, p.DerivedFrom)
	if err != nil {
		return err
	}
	if l := parent.Leg(p.DerivedLeg); l == nil || l.State != relay.Running {
		return nil
	}
	trusted := a.Trusted
	a.Trusted = true
	defer func() { a.Trusted = trusted }()
	return a.Move(newsroom.Order{Act: relay.ActPass, Piece: parent.ID, Leg: p.DerivedLeg}, func(x relay.Piece, s relay.Scene) (relay.Move, error) {
		return relay.Pass(x, p.DerivedLeg, nil, nil, "“"+p.Title+"” is out", s)
	})
}

// Derived gives what became of the pieces that were begun from one, to who may see them, and the
// piece it was begun from itself.
func (h Overview) Derived(ctx context.Context, who ref.Person, p *relay.Piece) (from *relay.Piece, begun []store.Row, err error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, nil, err
	}
	rows, err := store.DerivedFrom(ctx, h.DB.View(), p.ID)
	if err != nil {
		return nil, nil, err
	}
	sees := func(x *relay.Piece) bool { return relay.May(relay.ActSee, b.Who(who, x.DeskID), x, nil, "") == nil }
	for _, row := range rows {
		if sees(&row.Piece) {
			begun = append(begun, row)
		}
	}
	if p.DerivedFrom != 0 {
		row, err := store.Piece(ctx, h.DB.View(), p.DerivedFrom)
		if err != nil {
			return nil, begun, err
		}
		if sees(&row.Piece) {
			from = &row.Piece
		}
	}
	return from, begun, nil
}
