package copyroom

import (
	"context"
	"errors"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
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
	ctx   context.Context // of whoever made it
	piece ref.Piece
	by    ref.Person
	taken EditTaken
	err   error
	done  chan struct{}
}

// EditCopy does a change to a copy. It is put behind the edits that came before, so that
// it does what whoever made it meant; sent twice, it is done once. What comes in at the
// same time is stored together. The name of a page is one among those of whoever sends it.
func (h Room) EditCopy(ctx context.Context, by ref.Person, piece ref.Piece, e CopyEdit) (EditTaken, error) {
	return h.edit(ctx, &pending{CopyEdit: e, ctx: ctx, piece: piece, by: by})
}

func (h Room) edit(ctx context.Context, w *pending) (EditTaken, error) {
	if w.Client == "" || len(w.Client) > 40 || w.Turn < 1 || w.Base < 0 {
		return EditTaken{}, newsroom.Invalid("copy", "This edit says not where it comes from. Reload the page.")
	}
	w.done = make(chan struct{})
	rs := newsroom.PartOf[sessions](h.Newsroom)
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
func (h Room) storeEdits(ctx context.Context) {
	rs := newsroom.PartOf[sessions](h.Newsroom)
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
func (h Room) takeEdits(ctx context.Context, batch []*pending) {
	err := h.Do(ctx, 0, func(a *newsroom.Command) error {
		a.Hushed = true // the pages that have the copy open hear of each edit
		for _, w := range batch {
			var refused *relay.Refusal
			if w.err = take(a, w); w.err != nil && !errors.As(w.err, &refused) && !errors.Is(w.err, newsroom.ErrNotFound) {
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
func take(a *newsroom.Command, w *pending) error {
	if err := a.Admit(w.ctx, w.by); err != nil {
		return err
	}
	s, err := Stage(a, w.piece)
	if err != nil {
		return err
	}
	if w.Base > s.Seq {
		return newsroom.Invalid("copy", "This edit was made on a copy that is not stored here. Reload the page.")
	}
	if w.taken, err = takeOne(a, s, w.by, w.CopyEdit, nil); err != nil || w.Then == nil {
		return err
	}
	then := *w.Then
	then.Client, then.Base = w.Client, w.Base
	w.taken, err = takeOne(a, s, w.by, then, &w.CopyEdit)
	return err
}

// takeOne takes one edit, which was made on top of another one of the same page.
func takeOne(a *newsroom.Command, s *stage, by ref.Person, e CopyEdit, on *CopyEdit) (EditTaken, error) {
	old, err := store.EditOf(a, a.Tx, s.piece, by, e.Client, e.Turn)
	if err == nil {
		return EditTaken{Seq: old.Seq}, nil // it was sent again, because the answer was lost
	} else if !errors.Is(err, store.ErrNone) {
		return EditTaken{}, err
	}
	hand, err := HandIn(a, &s.row, by)
	if err != nil {
		return EditTaken{}, err
	}
	later, err := s.After(a, e.Base)
	if err != nil {
		return EditTaken{}, err
	}
	c := behind(by, e, on, later)
	hand.Known = s.Known
	if err := s.Text.Admits(c, hand.Hand); err != nil {
		if !hand.Writes {
			return EditTaken{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "You can propose changes to this copy, not make them: " + newsroom.MisfitText(err) + "."}
		}
		return EditTaken{}, newsroom.Invalid("copy", "The edit was not taken: %s.", newsroom.MisfitText(err))
	}
	if len(c) == 0 {
		return EditTaken{Seq: s.Seq, Nothing: true}, nil
	}
	seq, err := PutEdit(a, s, newsroom.Taken{By: by, Client: e.Client, Turn: e.Turn, Change: c})
	return EditTaken{Seq: seq}, err
}

// behind gives the change of an edit as it is after all edits that were taken since its
// base; where it was made on top of one that is among those, up to that one as seen
// from there.
func behind(by ref.Person, e CopyEdit, on *CopyEdit, later []newsroom.Taken) copy.Change {
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
