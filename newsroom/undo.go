package newsroom

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// UndoState is what a command replaced.
type UndoState struct {
	Pieces  []UndoPiece   `json:"pieces,omitempty"`
	Absence []ref.Absence `json:"absence,omitempty"` // days off that were entered
	Runs    []undoRun     `json:"runs,omitempty"`    // runs that ended
	Ideas   []UndoIdea    `json:"ideas,omitempty"`
	Batch   ref.Batch     `json:"batch,omitempty"`   // the list that came in
	Made    []ref.Piece   `json:"made,omitempty"`    // pieces
	Chosen  []UndoChoice  `json:"chosen,omitempty"`  // titles and pictures
	Request ref.Request   `json:"request,omitempty"` // of which a piece was made
	Edits   []UndoEdit    `json:"edits,omitempty"`   // of copies
	Queries []UndoQuery   `json:"queries,omitempty"` // that were settled, or opened again
}

// UndoChoice is what was chosen of a kind before; 0 nothing.
type UndoChoice struct {
	Piece ref.Piece     `json:"piece"`
	Kind  string        `json:"kind"`
	Was   ref.Candidate `json:"was,omitempty"`
}

// UndoEdit is an edit of a copy that the house made for somebody.
type UndoEdit struct {
	Piece ref.Piece `json:"piece"`
	Seq   int       `json:"seq"`
}

// UndoQuery is a query as it was: settled, or open.
type UndoQuery struct {
	ID      ref.Query `json:"id"`
	Settled bool      `json:"settled"`
}

// UndoIdea is an idea as a command found it.
type UndoIdea struct {
	ID      ref.Idea  `json:"id"`
	Version int       `json:"version"` // after the command
	Was     idea.Idea `json:"was,omitzero"`
}

// UndoPiece is a piece as a command found it.
type UndoPiece struct {
	Version int                  `json:"version"` // after the command
	Was     relay.Piece          `json:"was"`
	Values  map[ref.Field]string `json:"values,omitempty"` // fields that were filled in
	Brief   *brief.Brief         `json:"brief,omitempty"`  // when it was changed
}

type undoRun struct {
	ID     int64      `json:"id"`
	Format ref.Format `json:"format"`
}

// Remember keeps what a command replaced of a piece, so that whoever did it can take it
// back, and what that is called.
func (a *Command) Remember(what string, p UndoPiece) {
	if what != "" {
		a.Did = append(a.Did, what)
	}
	for i := range a.Undo.Pieces { // as it was before the whole act
		if x := &a.Undo.Pieces[i]; x.Was.ID == p.Was.ID {
			x.Version = p.Version
			for f, v := range p.Values {
				if _, known := x.Values[f]; !known {
					if x.Values == nil {
						x.Values = map[ref.Field]string{}
					}
					x.Values[f] = v
				}
			}
			return
		}
	}
	a.Undo.Pieces = append(a.Undo.Pieces, p)
}

// lasting are the events after which there is no way back but another act.
var lasting = []relay.Kind{relay.Created, relay.WentOut, relay.Withdrew, relay.Missed, relay.Rerouted}

// rememberMove keeps what a move replaced.
func (a *Command) rememberMove(was relay.Piece, m relay.Move) {
	var said []string
	for _, e := range m.Events {
		if slices.Contains(lasting, e.Kind) {
			return
		}
		if s := a.SayEvent(&was, &m.Piece, e); s != "" {
			said = append(said, s)
		}
	}
	if len(said) > 0 {
		a.Remember(fmt.Sprintf("%s of “%s”", strings.Join(said, "; "), was.Title), UndoPiece{Version: was.Version + 1, Was: was})
	}
}

// keepUndo stores what the command replaced.
func (a *Command) keepUndo() error {
	if a.Actor == 0 || len(a.Did) == 0 || a.Newsroom.DB.InBatch() { // a played history is not taken back
		return nil
	}
	text, err := json.Marshal(a.Undo)
	if err != nil {
		return err
	}
	what := []rune(strings.Join(a.Did, "; "))
	a.UndoID, err = a.Tx.AddUndo(a, store.Undo{At: a.Now, Actor: a.Actor, What: string(what[:min(300, len(what))]), State: string(text)})
	return err
}

// undoFor is for how long, in seconds, the last act is offered to be taken back.
const undoFor day.Moment = 30 * 60

// LastUndo gives what somebody did last and could take back, or none.
func (h *Newsroom) LastUndo(ctx context.Context, who ref.Person) (store.Undo, error) {
	u, err := store.LastUndo(ctx, h.DB.View(), who, h.Now()-undoFor)
	if errors.Is(err, store.ErrNone) {
		return store.Undo{}, nil
	} else if err != nil {
		return u, err
	}
	if later, err := h.dependsOn(ctx, u); err != nil || later {
		return store.Undo{}, err
	}
	return u, nil
}

// dependsOn reports whether something later depends on what a command did, so that it can no
// longer be taken back: a piece, idea or query of it is another by now.
func (h *Newsroom) dependsOn(ctx context.Context, u store.Undo) (bool, error) {
	var state UndoState
	if err := json.Unmarshal([]byte(u.State), &state); err != nil {
		return false, fmt.Errorf("read undo %d: %w", u.ID, err)
	}
	r := h.DB.View()
	for _, p := range state.Pieces {
		if is, err := store.VersionOf(ctx, r, "piece", p.Was.ID); err != nil || is != p.Version {
			return true, ignoreNone(err)
		}
	}
	for _, id := range state.Made {
		if is, err := store.VersionOf(ctx, r, "piece", id); err != nil || is > 1 {
			return true, ignoreNone(err)
		}
	}
	for _, i := range state.Ideas {
		if is, err := store.VersionOf(ctx, r, "idea", i.ID); err != nil || is != i.Version {
			return true, ignoreNone(err)
		}
	}
	for _, q := range state.Queries {
		if is, err := store.QueryAt(ctx, r, q.ID); err != nil || is.Settled() == q.Settled {
			return true, ignoreNone(err)
		}
	}
	return false, nil
}

func ignoreNone(err error) error {
	if errors.Is(err, store.ErrNone) {
		return nil
	}
	return err
}

// Undo takes back a command for the one who did it, as long as nothing later depends on
// it. It gives what was taken back, and
// of which pieces.
func (h *Newsroom) Undo(ctx context.Context, by ref.Person, id ref.Undo) (what string, pieces []ref.Piece, err error) {
	if batch, err := h.undoesBatch(ctx, by, id); err != nil {
		return "", nil, err
	} else if batch != 0 { // in several transactions, so that nobody waits for it
		what, err = h.Hooks.Batch(ctx, by, batch)
		return what, nil, err
	}
	again := false
	err = h.Do(ctx, by, func(a *Command) error {
		u, err := store.UndoByID(a, a.Tx, id)
		switch {
		case errors.Is(err, store.ErrNone) || err == nil && u.Actor != by:
			return ErrNotFound
		case err != nil:
			return err
		case u.UndoneAt != 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This was taken back already."}
		}
		what = u.What
		var state UndoState
		if err := json.Unmarshal([]byte(u.State), &state); err != nil {
			return fmt.Errorf("read undo %d: %w", id, err)
		}
		for _, p := range state.Pieces {
			if err := a.restore(p); err != nil {
				return err
			}
			pieces = append(pieces, p.Was.ID)
		}
		for _, undo := range a.Newsroom.Hooks.Undo {
			of, err := undo(a, &state)
			if err != nil {
				return err
			}
			pieces = append(pieces, of...)
		}
		for _, r := range state.Runs {
			if err := a.Tx.DropRun(a, r.ID); err != nil {
				return err
			}
			a.learnt = append(a.learnt, r.Format)
		}
		again = a.SetUp
		return a.Tx.MarkUndone(a, id, a.Now)
	})
	if err == nil && again {
		h.Refresh(ctx)
	}
	return what, pieces, err
}

// undoesBatch gives the list whose coming in a command was, 0 for another act.
func (h *Newsroom) undoesBatch(ctx context.Context, by ref.Person, id ref.Undo) (ref.Batch, error) {
	u, err := store.UndoByID(ctx, h.DB.View(), id)
	if err != nil || u.Actor != by || u.UndoneAt != 0 {
		return 0, nil // what is wrong with it is said by who takes it back
	}
	var state UndoState
	err = json.Unmarshal([]byte(u.State), &state)
	return state.Batch, err
}

// restore puts a piece back to where a command found it.
func (a *Command) restore(u UndoPiece) error {
	row, err := store.Piece(a, a.Tx, u.Was.ID)
	if err != nil {
		return err
	}
	if row.Version != u.Version {
		err := a.Changed(row, u.Version)
		var r *relay.Refusal
		if errors.As(err, &r) {
			r.Text = fmt.Sprintf("“%s” has changed since, so it can no longer be taken back. Change it by hand.", row.Title)
		}
		return err
	}
	m := relay.Restore(row.Piece, u.Was)
	if len(u.Values) > 0 {
		values, err := store.Values(a, a.Tx, row.ID)
		if err != nil {
			return err
		}
		for f, v := range u.Values {
			if err := a.SetValue(row.ID, f, v, values); err != nil {
				return err
			}
		}
	}
	for _, f := range a.Newsroom.Hooks.Restore {
		if err := f(a, row.Piece, u); err != nil {
			return err
		}
	}
	return a.Keep(row.Piece, m)
}
