package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Preview works out what changes of the plan would come to, for somebody who may
// make them. Nothing is stored.
func (h *House) Preview(ctx context.Context, by int64, changes []plan.Change) (plan.Consequence, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return plan.Consequence{}, err
	}
	if err := b.mayChange(by, board, changes); err != nil {
		return plan.Consequence{}, err
	}
	return board.Preview(changes)
}

// mayChange asks for each change whether somebody may make it, and whether it names
// people of the desk.
func (b *Books) mayChange(by int64, board *plan.Board, changes []plan.Change) error {
	if len(changes) == 0 || len(changes) > 200 {
		return bad("", "Choose between one and two hundred changes.")
	}
	for _, c := range changes {
		if c.Do == plan.DoAway {
			if err := b.mayTakeOff(by, c.Person); err != nil {
				return err
			}
			continue
		}
		p := board.Piece(c.Piece)
		if p == nil {
			return ErrNotFound
		}
		who, passBy := b.Who(by, p.DeskID), b.Desk(p.DeskID).PassBy
		if by == 0 {
			who = relay.Who{System: true}
		}
		if relay.May(relay.ActSee, who, p, nil, passBy) != nil {
			return ErrNotFound
		}
		act, leg := relay.ActPlan, (*relay.Leg)(nil)
		if c.Do == plan.DoGive {
			act, leg = relay.ActGive, p.Leg(c.Leg)
			if c.Person != 0 && !b.available(c.Person, p.DeskID) {
				return bad("to", "This person does not belong to the desk. Choose somebody else.")
			}
		}
		if err := relay.May(act, who, p, leg, passBy); err != nil {
			return err
		}
	}
	return nil
}

// mayTakeOff lets leads of one of somebody's desks, and staff for themselves, enter
// days off.
func (b *Books) mayTakeOff(by, person int64) error {
	who, p := b.Person(by), b.Person(person)
	if by == person && who.Access.OnStaff() {
		return nil
	}
	if who.Access == relay.Lead && slices.ContainsFunc(p.Desks, func(d int64) bool { return slices.Contains(who.Desks, d) }) {
		return nil
	}
	return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Days off are entered by leads of the desk, and by staff for themselves."}
}

// Change is the order to change the plan as it was previewed.
type Change struct {
	Changes []plan.Change
	Seal    string // of the consequence that was shown; empty where none was
	Version int    // of the only piece, 0 where that does not matter
	What    string // in a few words, for the one who takes it back
}

// ChangePlan carries out changes of the plan. With a seal, what is stored is what
// was previewed: if anything changed in between, it is refused. It gives the number
// under which it can be undone.
func (h *House) ChangePlan(ctx context.Context, by int64, o Change) (int64, error) {
	var undo int64
	err := h.act(ctx, by, func(a *act) error {
		board, err := h.board(a, a.b, a.now)
		if err != nil {
			return err
		}
		if err := a.b.mayChange(by, board, o.Changes); err != nil {
			return err
		}
		for _, ch := range o.Changes {
			if p := board.Piece(ch.Piece); p != nil && o.Version != 0 && o.Version != p.Version {
				return a.changed(store.Row{Piece: *p}, o.Version)
			}
		}
		c, err := board.Preview(o.Changes)
		if err != nil {
			return err
		}
		if o.Seal != "" && o.Seal != c.Seal() {
			return &relay.Refusal{Reason: relay.ErrChanged, Text: "Something changed since this was worked out, so nothing was done. Below is what it would come to now."}
		}
		undo, err = a.carryOut(c, o.What)
		return err
	})
	if err == nil && slices.ContainsFunc(o.Changes, func(c plan.Change) bool { return c.Do == plan.DoAway }) {
		err = h.Refresh(ctx)
	}
	return undo, err
}

// undoState is what a change replaced.
type undoState struct {
	Pieces  []undoPiece `json:"pieces,omitempty"`
	Absence []int64     `json:"absence,omitempty"`
}

type undoPiece struct {
	Version int         `json:"version"` // after the change
	Was     relay.Piece `json:"was"`
}

// carryOut stores a consequence and what it replaced.
func (a *act) carryOut(c plan.Consequence, what string) (int64, error) {
	var state undoState
	for _, ch := range c.Changes {
		if ch.Do != plan.DoAway {
			continue
		}
		id, err := a.takeOff(ch)
		if err != nil {
			return 0, err
		}
		state.Absence = append(state.Absence, id)
	}
	for _, e := range c.Effects {
		if e.Untouched {
			continue
		}
		row, err := store.Piece(a, a.tx, e.Was.ID)
		if err != nil {
			return 0, err
		}
		if row.Version != e.Was.Version {
			return 0, fmt.Errorf("piece %d is version %d on the board and %d in the data", row.ID, e.Was.Version, row.Version)
		}
		if err := a.keep(row.Piece, e.Move); err != nil {
			return 0, err
		}
		if err := a.tellDates(e); err != nil {
			return 0, err
		}
		state.Pieces = append(state.Pieces, undoPiece{row.Version + 1, row.Piece})
	}
	for _, ch := range c.Changes {
		if ch.Do == plan.DoAway { // the books know it only after this act
			if err := a.tx.StaleOf(a, ch.Person); err != nil {
				return 0, err
			}
		}
	}
	text, err := json.Marshal(state)
	if err != nil {
		return 0, err
	}
	return a.tx.AddUndo(a, store.Undo{At: a.now, Actor: a.by, What: string([]rune(what)[:min(300, len([]rune(what)))]), State: string(text)})
}

func (a *act) takeOff(c plan.Change) (int64, error) {
	p := a.b.Person(c.Person)
	note := strings.TrimSpace(c.Note)
	if len([]rune(note)) > 100 {
		return 0, bad("note", "Keep the note under 100 characters.")
	}
	id, err := a.tx.AddAbsence(a, store.Absence{PersonID: p.ID, FromDay: c.Date, ToDay: c.To, Note: note})
	if err != nil {
		return 0, err
	}
	a.setUp = true
	return id, a.log(store.Entry{
		DeskID: p.Desks[0], Act: "set up", What: fmt.Sprintf("entered days off of %s, %s to %s", p.Name, Short(c.Date), Short(c.To)), Why: note,
	})
}

// tellDates tells holders of running legs that they are due on another day.
func (a *act) tellDates(e plan.Effect) error {
	for _, d := range e.Dates {
		l := e.Move.Piece.Leg(d.Leg)
		if l.State != relay.Running || l.Holder == 0 || l.Holder == a.by || d.From == 0 || d.To == 0 || e.Was.Leg(d.Leg).Holder != l.Holder {
			continue
		}
		n := note{to: l.Holder, kind: "due", text: fmt.Sprintf("%s is now due %s, no longer %s.", l.Name, Short(d.To), Short(d.From))}
		if err := a.send(&e.Move.Piece, relay.Event{Kind: relay.Placed, Leg: d.Leg}, n); err != nil {
			return err
		}
	}
	return nil
}

// Undo takes back a change of the plan for the one who made it, as long as nothing
// later depends on it. It gives what was taken back.
func (h *House) Undo(ctx context.Context, by, id int64) (string, error) {
	what, again := "", false
	err := h.act(ctx, by, func(a *act) error {
		u, err := store.UndoByID(a, a.tx, id)
		switch {
		case errors.Is(err, store.ErrNone) || err == nil && u.Actor != by:
			return ErrNotFound
		case err != nil:
			return err
		case u.UndoneAt != 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This was taken back already."}
		}
		what = u.What
		var state undoState
		if err := json.Unmarshal([]byte(u.State), &state); err != nil {
			return fmt.Errorf("read undo %d: %w", id, err)
		}
		for _, p := range state.Pieces {
			if err := a.restore(p); err != nil {
				return err
			}
		}
		for _, id := range state.Absence {
			i := slices.IndexFunc(a.b.Absences, func(x store.Absence) bool { return x.ID == id })
			if i < 0 {
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: "These days off were taken back in the set-up already."}
			}
			if again, err = true, a.dropAbsence(a.b.Absences[i]); err != nil {
				return err
			}
		}
		return a.tx.MarkUndone(a, id, a.now)
	})
	if err == nil && again {
		err = h.Refresh(ctx)
	}
	return what, err
}

// restore puts a piece back to where a change found it.
func (a *act) restore(u undoPiece) error {
	row, err := store.Piece(a, a.tx, u.Was.ID)
	if err != nil {
		return err
	}
	if err := relay.May(relay.ActSee, a.who(row.DeskID), &row.Piece, nil, ""); err != nil {
		return ErrNotFound
	}
	if row.Version != u.Version {
		err := a.changed(row, u.Version)
		var r *relay.Refusal
		if errors.As(err, &r) {
			r.Text = fmt.Sprintf("“%s” has changed since, so it can no longer be taken back. Change it by hand.", row.Title)
		}
		return err
	}
	m := relay.Move{Piece: u.Was, Events: []relay.Event{{Kind: relay.Restored}}}
	m.Piece.CopyVersion, m.Piece.Version = row.CopyVersion, row.Version
	for i := range m.Piece.Legs {
		l := &m.Piece.Legs[i]
		if now := row.Leg(l.Key); now != nil {
			l.TouchedAt = max(l.TouchedAt, now.TouchedAt)
			if now.Holder != l.Holder {
				m.Events = append(m.Events, relay.Event{Kind: relay.Given, Leg: l.Key, From: now.Holder, To: l.Holder})
			}
		}
	}
	return a.keep(row.Piece, m)
}

// Report notes how many minutes of work are left in a leg, as its holder says.
func (h *House) Report(ctx context.Context, by, piece int64, leg string, left, version int) error {
	return h.act(ctx, by, func(a *act) error {
		return a.move(order{relay.ActReport, piece, leg, version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.Report(p, leg, left, s)
		})
	})
}
