package desk

import (
	"context"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// logMove writes a move into the logbook: one entry for the act, which names
// the events that people did; what followed by itself is in before and after.
func (a *act) logMove(was relay.Piece, m relay.Move) error {
	e := store.Entry{DeskID: m.Piece.DeskID, PieceID: m.Piece.ID, Version: m.Piece.Version}
	var what []string
	for _, ev := range m.Events {
		s := a.sayEvent(&was, &m.Piece, ev)
		if s == "" {
			continue
		}
		what = append(what, s)
		if e.Act == "" {
			e.Act, e.Why = string(ev.Kind), ev.Why
		}
	}
	e.What = strings.Join(what, "; ")
	e.Before, e.After = a.differ(&was, &m.Piece)
	return a.logEvents(&m.Piece, e, append(eventsOf(m), changesOf(&was, &m.Piece)...))
}

// log appends an entry by the one who acts, now.
func (a *act) log(e store.Entry) error {
	return a.logAs(a.by, e)
}

// logAs appends an entry of something that somebody did, and that is stored only now.
func (a *act) logAs(who int64, e store.Entry) error {
	e.At, e.Actor = a.now, who
	if a.rule != nil && e.Why == "" {
		e.Why = "House rule: " + a.b.HouseRule(a.rule.ID).Sentence
	}
	return a.tx.Log(a, e)
}

// PieceLog gives a page of the logbook of a piece, newest first, below an entry (0: from the newest).
func (h *House) PieceLog(ctx context.Context, who, piece, below int64, limit int) ([]store.Entry, error) {
	if _, err := h.see(ctx, who, piece, relay.ActReadLog); err != nil {
		return nil, err
	}
	return store.LogOfPiece(ctx, h.DB.View(), piece, below, limit)
}

// DeskLog gives a page of the logbook of a desk, newest first, for its staff and
// leads, with the titles of the pieces in it.
func (h *House) DeskLog(ctx context.Context, who, desk, below int64, limit int) ([]store.Entry, map[int64]string, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return nil, nil, err
	}
	if err := relay.May(relay.ActReadLog, b.Who(who, desk), &relay.Piece{}, nil, ""); err != nil {
		return nil, nil, err
	}
	es, err := store.LogOfDesk(ctx, h.DB.View(), desk, below, limit)
	if err != nil {
		return nil, nil, err
	}
	var ids []int64
	for _, e := range es {
		ids = append(ids, e.PieceID)
	}
	titles, err := store.Titles(ctx, h.DB.View(), ids)
	return es, titles, err
}
