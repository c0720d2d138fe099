package newsroom

import (
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// logMove writes a move into the logbook: one entry for the command, which names
// the events that people did; what followed by itself is in before and after.
func (a *Command) logMove(was relay.Piece, m relay.Move) error {
	e := store.Entry{DeskID: m.Piece.DeskID, PieceID: m.Piece.ID, Version: m.Piece.Version}
	var what []string
	for _, ev := range m.Events {
		s := a.SayEvent(&was, &m.Piece, ev)
		if s == "" {
			continue
		}
		what = append(what, s)
		if e.Act == "" {
			e.Act, e.Why = string(ev.Kind), ev.Why
		}
	}
	e.What = strings.Join(what, "; ")
	e.Before, e.After = a.Differ(&was, &m.Piece)
	return a.LogEvents(&m.Piece, e, append(EventsOf(m), ChangesOf(&was, &m.Piece)...))
}

// Log appends an entry by the one who acts, now.
func (a *Command) Log(e store.Entry) error {
	return a.LogAs(a.Actor, e)
}

// LogAs appends an entry of something that somebody did, and that is stored only now.
func (a *Command) LogAs(who ref.Person, e store.Entry) error {
	e.At, e.Actor = a.Now, who
	if e.PieceID != 0 {
		a.logged[e.PieceID] = e.DeskID
	}
	if a.Rule != nil && e.Why == "" {
		e.Why = "House rule: " + a.Setup.HouseRule(a.Rule.ID).Sentence
	}
	return a.Tx.Log(a, e)
}
