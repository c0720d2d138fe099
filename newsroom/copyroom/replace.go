package copyroom

import (
	"context"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Replace is a whole copy as a program gives it.
type Replace struct {
	Text    copy.Text
	Seq     int  // the newest edit that the program knew, which is to be the newest still; OnNewest for whichever is
	Propose bool // what is different is proposed
}

// ReplaceCopy makes a text the copy of a piece, as one edit, or proposes it. Queries stay with their
// words. Where something is proposed in the copy, that is settled first, so that it is not lost.
func (h Room) ReplaceCopy(ctx context.Context, by ref.Person, piece ref.Piece, o Replace) (Saved, error) {
	var out Saved
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		act := relay.ActWrite
		if o.Propose {
			act = relay.ActPropose
		}
		was, err := a.Load(newsroom.Order{Act: act, Piece: piece})
		if err != nil {
			return err
		}
		s, err := Stage(a, piece)
		if err != nil {
			return err
		}
		switch {
		case o.Seq != OnNewest && o.Seq != s.Seq:
			return &relay.Refusal{Reason: relay.ErrChanged, Field: "copy", Text: "The copy was changed since you read it. Read it again, and bring yours in line with it."}
		case len(s.Text.Proposals()) > 0:
			return &relay.Refusal{Reason: relay.ErrNotNow, Field: "copy", Text: "Something is proposed in this copy. Take or leave that first; otherwise it would be lost."}
		case size(o.Text) > copy.MaxBytes:
			return newsroom.Invalid("copy", "A copy has up to %d MB.", copy.MaxBytes>>20)
		}
		own, err := store.PicturesOf(a, a.Tx, piece)
		if err != nil {
			return err
		}
		text := o.Text.WithPictures(func(file ref.File) bool { return own[file] })
		if o.Propose {
			return propose(a, was, text, "proposed another copy, by a program")
		}
		out, err = SaveCopy(a, was, OnNewest, text, "as it was before a program replaced it")
		return err
	})
	return out, err
}
