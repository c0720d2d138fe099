package copyroom

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// nameVersion names the newest version of a copy after what happened with it; from then
// on it stays as it is, and what is written later is another version.
func nameVersion(a *newsroom.Command, was relay.Piece, m relay.Move) error {
	var said []string
	for _, e := range m.Events {
		leg := ""
		if l := m.Piece.Leg(e.Leg); l != nil {
			leg = l.Name
		}
		switch e.Kind {
		case relay.PassedOn:
			if l := m.Piece.Leg(e.Leg); l != nil && l.SignOff {
				said = append(said, leg+" signed it off, by "+a.Setup.Actor(a.Actor))
			} else {
				said = append(said, leg+" passed by "+a.Setup.Actor(a.Actor))
			}
		case relay.SentBack:
			said = append(said, "sent back to "+leg+" by "+a.Setup.Actor(a.Actor))
		case relay.WentOut:
			said = append(said, "went out")
		}
	}
	if len(said) == 0 || was.CopyVersion == 0 {
		return nil
	}
	c, err := store.CopyAt(a, a.Tx, was.ID, was.CopyVersion)
	if errors.Is(err, store.ErrNone) {
		return nil
	} else if err != nil {
		return err
	}
	if c.Label != "" {
		said = append([]string{c.Label}, said...)
	}
	return a.Tx.LabelCopy(a, was.ID, was.CopyVersion, strings.Join(said, "; "))
}

// VersionSheet is a version as it is listed.
type VersionSheet struct {
	store.Copy
	Wrote []ref.Person // who wrote in it, or by whom it was kept
	Aside bool         // it was kept beside the copy, and never was the copy
}

// mostVersions is how many versions are listed.
const mostVersions = 500

// Versions lists the versions of a copy, the newest first, for who may read it: the
// staff of the desk, and who runs a leg of it.
func (h Room) Versions(ctx context.Context, who ref.Person, piece ref.Piece) ([]VersionSheet, store.Row, error) {
	row, err := h.See(ctx, who, piece, relay.ActAsk)
	if err != nil {
		return nil, row, err
	}
	all, err := store.Versions(ctx, h.DB.View(), piece)
	if err != nil {
		return nil, row, err
	}
	asides, err := store.Asides(ctx, h.DB.View(), piece)
	if err != nil {
		return nil, row, err
	}
	var out []VersionSheet
	for _, c := range all[:min(len(all), mostVersions)] {
		v := VersionSheet{Copy: c, Wrote: people(c.People)}
		if len(v.Wrote) == 0 {
			v.Wrote = []ref.Person{c.By}
		}
		out = append(out, v)
	}
	for _, x := range asides {
		c := store.Copy{PieceID: piece, Version: int(-x.ID), Words: x.Words, By: x.By, At: x.At, Label: fmt.Sprintf("written on version %d while somebody else saved", x.BasedOn)}
		out = append(out, VersionSheet{Copy: c, Wrote: []ref.Person{x.By}, Aside: true})
	}
	slices.SortStableFunc(out, func(x, y VersionSheet) int { return int(y.At - x.At) })
	return out, row, nil
}

// Which names a state of a copy: "now", "v7" for a version, "e120" for how it was after an
// edit, "v-3" for a text that was kept beside it.
type Which string

// Now is the copy as it is.
const Now Which = "now"

// state gives the copy of a piece in a state, with proposals left.
func state(ctx context.Context, r store.Reader, row *store.Row, w Which) (copy.Text, error) {
	if w == Now {
		_, text, _, err := newsroom.Newest(ctx, r, row)
		return text.Left(), err
	}
	n, err := strconv.Atoi(strings.TrimLeft(string(w), "ve"))
	if err != nil || len(w) < 2 {
		return nil, newsroom.ErrNotFound
	}
	if w[0] == 'e' {
		text, err := TextAt(ctx, r, row, n)
		return text.Left(), err
	}
	var stored string
	if n < 0 {
		asides, err := store.Asides(ctx, r, row.ID)
		if err != nil {
			return nil, err
		}
		i := slices.IndexFunc(asides, func(a store.Aside) bool { return a.ID == int64(-n) })
		if i < 0 {
			return nil, newsroom.ErrNotFound
		}
		stored = asides[i].Text
	} else {
		c, err := store.CopyAt(ctx, r, row.ID, n)
		if errors.Is(err, store.ErrNone) {
			return nil, newsroom.ErrNotFound
		} else if err != nil {
			return nil, err
		}
		stored = c.Text
	}
	text, err := copy.Parse([]byte(stored))
	return text.Left(), err
}

// Comparison is what is different between two states of a copy.
type Comparison struct {
	From, To Which
	Lines    []copy.Compared
	New      int // words
	Gone     int
	Moved    int // paragraphs
}

// Compare gives a reading view of two states of a copy.
func (h Room) Compare(ctx context.Context, who ref.Person, piece ref.Piece, from, to Which) (Comparison, error) {
	out := Comparison{From: from, To: to}
	row, err := h.See(ctx, who, piece, relay.ActAsk)
	if err != nil {
		return out, err
	}
	a, err := state(ctx, h.DB.View(), &row, from)
	if err != nil {
		return out, err
	}
	b, err := state(ctx, h.DB.View(), &row, to)
	if err != nil {
		return out, err
	}
	out = Compare(a, b)
	out.From, out.To = from, to
	return out, nil
}

// Compare gives what is different between two texts.
func Compare(a, b copy.Text) Comparison {
	out := Comparison{Lines: copy.Compare(a, b)}
	for _, l := range out.Lines {
		if l.Fate == copy.MovedHere {
			out.Moved++
		}
		for _, s := range l.Spans {
			switch n := (copy.Text{s.Op}).Words(); s.Fate {
			case copy.New:
				out.New += n
			case copy.Gone:
				out.Gone += n
			}
		}
	}
	return out
}

// BringBack makes an older state of a copy the newest, or with proposed proposes it. The
// copy as it is stays as a version.
func (h Room) BringBack(ctx context.Context, by ref.Person, piece ref.Piece, w Which, proposed bool) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		what := relay.ActWrite
		if proposed {
			what = relay.ActPropose
		}
		was, err := a.Load(newsroom.Order{Act: what, Piece: piece})
		if err != nil {
			return err
		}
		text, err := state(a, a.Tx, &was, w)
		if err != nil {
			return err
		}
		own, err := store.PicturesOf(a, a.Tx, piece)
		if err != nil {
			return err
		}
		text = text.WithPictures(func(file ref.File) bool { return own[file] })
		if !proposed {
			_, err := SaveCopy(a, was, OnNewest, text, "as it was before "+sayWhich(w)+" was brought back")
			return err
		}
		return propose(a, was, text, "proposed to bring back "+sayWhich(w))
	})
}

// propose proposes a text instead of the copy of a piece; nothing else is to be proposed in it.
func propose(a *newsroom.Command, was store.Row, text copy.Text, what string) error {
	if _, err := HandIn(a, &was, a.Actor); err != nil {
		return err
	}
	s, err := Stage(a, was.ID)
	if err != nil {
		return err
	}
	if len(s.Text.Proposals()) > 0 {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Take or leave what is proposed first; then this can be proposed on what is left."}
	}
	change := copy.Difference(s.Text, text).KeepQueries().Sound()
	if len(change) == 0 {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "The copy is the same as that already."}
	}
	key := fmt.Sprintf("%d.%s", a.Actor, strconv.FormatInt(a.Newsroom.Clock().UnixMilli(), 36))
	if _, err := PutEdit(a, s, newsroom.Taken{By: a.Actor, Client: fmt.Sprintf("back %d", s.Seq), Turn: 1, Change: s.Text.Propose(change, key)}); err != nil {
		return err
	}
	a.Put.Pieces[was.ID] = was.Piece
	return a.Log(store.Entry{DeskID: was.DeskID, PieceID: was.ID, Act: "proposed", What: what, Version: was.Version})
}

func sayWhich(w Which) string {
	switch {
	case strings.HasPrefix(string(w), "v-"):
		return "a text kept beside it"
	case strings.HasPrefix(string(w), "v"):
		return "version " + string(w[1:])
	}
	return "an earlier state"
}

// visit is after how long without a look another look is another visit, in seconds.
const visit = day.Moment(30 * 60)

// reading is how far somebody has read a copy, once they have it before them as it was
// after edit seq.
func (h Room) reading(ctx context.Context, r store.Reader, who ref.Person, piece ref.Piece, seq int) (store.CopyRead, error) {
	last, err := store.CopyReadBy(ctx, r, piece, who)
	now := h.Now()
	switch {
	case errors.Is(err, store.ErrNone):
		return store.CopyRead{PieceID: piece, PersonID: who, Seq: seq, Before: -1, At: now}, nil
	case err == nil && now-last.At > visit:
		last.Before, last.Seq, last.At = last.Seq, seq, now
	case err == nil && seq != last.Seq:
		last.Seq, last.At = seq, now
	}
	return last, err
}

// ReadTo gives the edit up to which somebody had read a copy the time before; -1 if they
// never had.
func (h Room) ReadTo(ctx context.Context, who ref.Person, piece ref.Piece, seq int) (int, error) {
	r, err := h.reading(ctx, h.DB.View(), who, piece, seq)
	return r.Before, err
}

// NoteRead notes that somebody has the copy of a piece before them as it was after edit seq.
func (h Room) NoteRead(ctx context.Context, who ref.Person, piece ref.Piece, seq int) error {
	return h.Do(ctx, who, func(a *newsroom.Command) error {
		a.Hushed = true
		row, err := a.Load(newsroom.Order{Act: relay.ActRead, Piece: piece})
		if err != nil {
			return err
		}
		if _, _, newest, err := newsroom.Newest(a, a.Tx, &row); err != nil || seq < 0 || seq > newest {
			return errors.Join(err, newsroom.Invalid("copy", "There is no such edit of the copy. Reload the page."))
		}
		r, err := h.reading(a, a.Tx, who, piece, seq)
		if err != nil {
			return err
		}
		return a.Tx.SaveCopyRead(a, r)
	})
}
