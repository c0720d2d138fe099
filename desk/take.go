package desk

import (
	"context"
	"errors"

	"greenbaton/core/copy"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// CopyEdit is a change of a copy from an open page.
type CopyEdit struct {
	Client string // the page
	Turn   int    // its number there, from 1
	Base   int    // the newest edit that the page knew
	Change copy.Change
	Then   *CopyEdit // one that was made on top of it before it was known to be taken; its Base is not looked at
}

// EditTaken says what became of an edit that was taken.
type EditTaken struct {
	Seq     int  // its number; that of the newest edit where it is none
	Nothing bool // after the edits before it, it changed nothing, and is not stored
}

// pending is an edit that waits to be stored.
type pending struct {
	CopyEdit
	ctx       context.Context // of whoever made it
	piece, by int64
	taken     EditTaken
	err       error
	done      chan struct{}
}

// EditCopy does a change to a copy. It is put behind the edits that came before, so that
// it does what whoever made it meant; sent twice, it is done once. What comes in at the
// same time is stored together. The name of a page is one among those of whoever sends it.
func (h *House) EditCopy(ctx context.Context, by, piece int64, e CopyEdit) (EditTaken, error) {
	return h.edit(ctx, &pending{CopyEdit: e, ctx: ctx, piece: piece, by: by})
}

func (h *House) edit(ctx context.Context, w *pending) (EditTaken, error) {
	if w.Client == "" || len(w.Client) > 40 || w.Turn < 1 || w.Base < 0 {
		return EditTaken{}, bad("copy", "This edit says not where it comes from. Reload the page.")
	}
	w.done = make(chan struct{})
	rs := partOf[rooms](h)
	rs.mu.Lock()
	rs.queue = append(rs.queue, w)
	lead := !rs.leads
	rs.leads = true
	rs.mu.Unlock()
	if lead {
		h.storeEdits(context.WithoutCancel(ctx))
	}
	<-w.done
	return w.taken, w.err
}

// storeEdits stores what is in the queue; what comes in meanwhile is left to another.
func (h *House) storeEdits(ctx context.Context) {
	rs := partOf[rooms](h)
	rs.mu.Lock()
	batch := rs.queue
	rs.queue = nil
	rs.mu.Unlock()
	h.takeEdits(ctx, batch)
	rs.mu.Lock()
	rs.leads = len(rs.queue) > 0
	more := rs.leads
	rs.mu.Unlock()
	for _, w := range batch {
		close(w.done)
	}
	if more {
		go h.storeEdits(ctx)
	}
}

// takeEdits stores edits in one transaction. One that is refused hinders no other.
func (h *House) takeEdits(ctx context.Context, batch []*pending) {
	err := h.act(ctx, 0, func(a *act) error {
		a.hushed = true // the pages that have the copy open hear of each edit
		for _, w := range batch {
			var refused *relay.Refusal
			if w.err = a.take(w); w.err != nil && !errors.As(w.err, &refused) && !errors.Is(w.err, ErrNotFound) {
				return w.err
			}
		}
		return nil
	})
	if err != nil {
		for _, w := range batch {
			w.taken, w.err = EditTaken{}, err
		}
	}
}

// take puts an edit, and one made on top of it, behind those that came before, asks
// whether they may be done, and stores them.
func (a *act) take(w *pending) error {
	if err := a.admit(w.ctx, w.by); err != nil {
		return err
	}
	s, err := a.stage(w.piece)
	if err != nil {
		return err
	}
	if w.Base > s.seq {
		return bad("copy", "This edit was made on a copy that is not stored here. Reload the page.")
	}
	if w.taken, err = a.takeOne(s, w.by, w.CopyEdit, nil); err != nil || w.Then == nil {
		return err
	}
	then := *w.Then
	then.Client, then.Base = w.Client, w.Base
	w.taken, err = a.takeOne(s, w.by, then, &w.CopyEdit)
	return err
}

// takeOne takes one edit, which was made on top of another one of the same page.
func (a *act) takeOne(s *stage, by int64, e CopyEdit, on *CopyEdit) (EditTaken, error) {
	old, err := store.EditOf(a, a.tx, s.piece, by, e.Client, e.Turn)
	if err == nil {
		return EditTaken{Seq: old.Seq}, nil // it was sent again, because the answer was lost
	} else if !errors.Is(err, store.ErrNone) {
		return EditTaken{}, err
	}
	hand, err := a.hand(&s.row, by)
	if err != nil {
		return EditTaken{}, err
	}
	later, err := s.after(a, e.Base)
	if err != nil {
		return EditTaken{}, err
	}
	c := behind(by, e, on, later)
	hand.Known = s.known
	if err := s.text.Admits(c, hand.Hand); err != nil {
		if !hand.Writes {
			return EditTaken{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "You can propose changes to this copy, not make them: " + misfitText(err) + "."}
		}
		return EditTaken{}, bad("copy", "The edit was not taken: %s.", misfitText(err))
	}
	if len(c) == 0 {
		return EditTaken{Seq: s.seq, Nothing: true}, nil
	}
	seq, err := a.putEdit(s, taken{By: by, Client: e.Client, Turn: e.Turn, Change: c})
	return EditTaken{Seq: seq}, err
}

// behind gives the change of an edit as it is after all edits that were taken since its
// base; where it was made on top of one that is among those, up to that one as seen
// from there.
func behind(by int64, e CopyEdit, on *CopyEdit, later []taken) copy.Change {
	c := e.Change.Sound()
	var under copy.Change
	if on != nil {
		under = on.Change.Sound()
	}
	for _, l := range later {
		switch {
		case on == nil:
			c = l.Change.Transform(c, true)
		case l.By == by && l.Client == e.Client && l.Turn == on.Turn:
			on = nil
		default:
			c = under.Transform(l.Change, false).Transform(c, true)
			under = l.Change.Transform(under, true)
		}
	}
	return c
}

func misfitText(err error) string {
	text := err.Error()
	if prefix := copy.ErrMisfit.Error() + ": "; len(text) > len(prefix) && text[:len(prefix)] == prefix {
		return text[len(prefix):]
	}
	return text
}
