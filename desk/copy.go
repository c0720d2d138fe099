package desk

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// sitting is how long somebody's saves count as one version, in seconds.
const sitting = 10 * 60

// errIsOut refuses to change what readers have before them.
var errIsOut = &relay.Refusal{Reason: relay.ErrNotNow, Field: "title", Text: "The piece is out. Withdraw it before changing its copy, title or description."}

// Saved is what became of a save.
type Saved struct {
	Version int   // the newest version of the copy now
	Words   int   // in it
	Aside   int64 // not 0: somebody else had saved meanwhile, and the text sent is kept beside the copy under this id
}

// SaveCopy stores a new version of the copy of a piece, written on version
// base. If there is a newer one by now nothing is overwritten: the text is kept
// beside the copy.
func (h *House) SaveCopy(ctx context.Context, by, piece int64, base int, text []byte) (Saved, error) {
	var out Saved
	t, err := copy.Parse(text)
	if err != nil {
		return out, &relay.Refusal{Reason: relay.ErrInput, Field: "copy", Text: "The copy was not saved: " + err.Error() + "."}
	}
	err = h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{act: relay.ActWrite, piece: piece})
		if err != nil {
			return err
		}
		if base != was.CopyVersion && was.CopyVersion > 0 {
			out, err = a.keepAside(was, base, t)
			return err
		}
		out, err = a.saveCopy(was, t, true)
		return err
	})
	return out, err
}

// saveCopy stores a text as the newest version. With goesOn it is the same work
// going on, and takes the place of the version before if that is of the same
// person and sitting.
func (a *act) saveCopy(was store.Row, t copy.Text, goesOn bool) (Saved, error) {
	if was.Stage == relay.Out {
		return Saved{}, errIsOut
	}
	text, words := string(t.JSON()), t.Words()
	var last store.Copy
	if was.CopyVersion > 0 {
		var err error
		if last, err = store.CopyAt(a, a.tx, was.ID, was.CopyVersion); err != nil {
			return Saved{}, err
		}
		if last.Text == text {
			return Saved{Version: last.Version, Words: last.Words}, nil
		}
	}
	next := store.Copy{PieceID: was.ID, Version: was.CopyVersion + 1, Text: text, Words: words, By: a.by, At: a.now}
	if err := a.tx.AddCopy(a, next); err != nil {
		return Saved{}, err
	}
	is := was.Piece
	is.CopyVersion = next.Version
	is.Legs = append([]relay.Leg(nil), was.Legs...)
	for _, l := range is.Running() {
		if l.Holder == a.by {
			l.TouchedAt = a.now
		}
	}
	if err := a.save(was.Piece, is); err != nil {
		return Saved{}, err
	}
	if goesOn && last.By == a.by && a.now-last.At < sitting {
		if err := a.tx.DropCopy(a, was.ID, last.Version); err != nil {
			return Saved{}, err
		}
	} else if err := a.log(store.Entry{
		DeskID: was.DeskID, PieceID: was.ID, Act: "wrote", What: "worked on the copy", Version: was.Version,
		Before: fmt.Sprintf("version %d, %s", last.Version, Plural(last.Words, "word")), After: fmt.Sprintf("version %d, %s", next.Version, Plural(words, "word")),
	}); err != nil {
		return Saved{}, err
	}
	return Saved{Version: next.Version, Words: words}, a.stand(is)
}

func (a *act) keepAside(was store.Row, base int, t copy.Text) (Saved, error) {
	id, err := a.tx.AddAside(a, store.Aside{PieceID: was.ID, BasedOn: base, Text: string(t.JSON()), Words: t.Words(), By: a.by, At: a.now})
	if err != nil {
		return Saved{}, err
	}
	last, err := store.CopyAt(a, a.tx, was.ID, was.CopyVersion)
	if err != nil {
		return Saved{}, err
	}
	err = a.log(store.Entry{
		DeskID: was.DeskID, PieceID: was.ID, Act: "kept", Version: was.Version,
		What: fmt.Sprintf("wrote on version %d while %s saved version %d; both texts are kept", base, a.b.Name(last.By), last.Version),
	})
	return Saved{Version: last.Version, Words: last.Words, Aside: id}, err
}

// UseAside makes a kept text the copy; the copy as it was stays as a version.
func (h *House) UseAside(ctx context.Context, by, piece, aside int64) error {
	return h.settle(ctx, by, piece, aside, func(a *act, was store.Row, x store.Aside) error {
		t, err := copy.Parse([]byte(x.Text))
		if err != nil {
			return err
		}
		_, err = a.saveCopy(was, t, false)
		return err
	})
}

// DropAside puts a kept text away; it stays stored.
func (h *House) DropAside(ctx context.Context, by, piece, aside int64) error {
	return h.settle(ctx, by, piece, aside, func(a *act, was store.Row, x store.Aside) error {
		return a.log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "put away", Version: was.Version,
			What: fmt.Sprintf("put away the text of %s that was kept beside the copy", a.b.Name(x.By))})
	})
}

func (h *House) settle(ctx context.Context, by, piece, aside int64, f func(*act, store.Row, store.Aside) error) error {
	return h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{act: relay.ActWrite, piece: piece})
		if err != nil {
			return err
		}
		kept, err := store.Asides(a, a.tx, piece)
		if err != nil {
			return err
		}
		for _, x := range kept {
			if x.ID != aside {
				continue
			}
			if err := f(a, was, x); err != nil {
				return err
			}
			return a.tx.SettleAside(a, piece, aside, a.now)
		}
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This text has been dealt with already."}
	})
}

// Slug makes the last part of a page's address from a title.
func Slug(title string, number int) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		if b.Len() >= 60 {
			break
		}
	}
	return fmt.Sprintf("%d-%s", number, strings.Trim(b.String(), "-"))
}
