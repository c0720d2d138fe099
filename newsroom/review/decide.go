package review

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Decide takes, or leaves, proposals on a copy by their keys; no keys are all of them.
// It gives how many it was.
func (h Room) Decide(ctx context.Context, by ref.Person, piece ref.Piece, take bool, keys []string) (int, error) {
	n := 0
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActRead, Piece: piece})
		if err != nil {
			return err
		}
		hand, err := copyroom.HandIn(a, &was, by)
		if err != nil {
			return err
		}
		own := !slices.ContainsFunc(keys, func(k string) bool { return copy.By(k) != by })
		if !hand.Decides && (take || len(keys) == 0 || !own) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Those who write in this copy take and leave what is proposed; you can take back what you proposed yourself."}
		}
		s, err := copyroom.Stage(a, piece)
		if err != nil {
			return err
		}
		pick := func(k string) bool { return len(keys) == 0 || slices.Contains(keys, k) }
		theirs := map[ref.Person]int{}
		for _, p := range s.Text.Proposals() {
			if slices.ContainsFunc(p.Keys, pick) {
				n++
				theirs[p.By]++
			}
		}
		if n == 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This has been decided already."}
		}
		change := s.Text.Decide(take, pick)
		seq, err := copyroom.PutEdit(a, s, newsroom.Taken{By: by, Client: fmt.Sprintf("decided %d", s.Seq), Turn: 1, Change: change})
		if err != nil {
			return err
		}
		a.Undo.Edits = append(a.Undo.Edits, newsroom.UndoEdit{Piece: piece, Seq: seq})
		a.Put.Pieces[piece] = was.Piece
		var of []string
		for _, id := range slices.Sorted(maps.Keys(theirs)) {
			of = append(of, fmt.Sprintf("%d of %s", theirs[id], newsroom.First(a.Setup.Name(id))))
		}
		verb := map[bool]string{true: "took", false: "left"}[take]
		a.Did = []string{fmt.Sprintf("%s %s on “%s”", verb, english.Plural(n, "proposed change"), was.Title)}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: verb, What: fmt.Sprintf("%s %s: %s", verb, english.Plural(n, "proposed change"), strings.Join(of, ", ")), Version: was.Version})
	})
	return n, err
}

// undoEdits takes back edits of copies that the house made.
func undoEdits(a *newsroom.Command, s *newsroom.UndoState) (pieces []ref.Piece, err error) {
	for _, e := range s.Edits {
		if err := takeBackEdit(a, e); err != nil {
			return nil, err
		}
		pieces = append(pieces, e.Piece)
	}
	return pieces, nil
}

// takeBackEdit does the opposite of an edit, behind all that came since: what it took away
// comes back where it was, what it brought goes, and what others wrote stays.
func takeBackEdit(a *newsroom.Command, u newsroom.UndoEdit) error {
	was, err := a.Load(newsroom.Order{Act: relay.ActRead, Piece: u.Piece})
	if err != nil {
		return err
	}
	hand, err := copyroom.HandIn(a, &was, a.Actor)
	if err != nil {
		return err
	}
	before, err := copyroom.TextAt(a, a.Tx, &was, u.Seq-1)
	if err != nil {
		return err
	}
	s, err := copyroom.Stage(a, u.Piece)
	if err != nil {
		return err
	}
	since, err := s.After(a, u.Seq-1)
	if err != nil {
		return err
	}
	if len(since) == 0 || since[0].Seq != u.Seq {
		return fmt.Errorf("edit %d of piece %d is not stored", u.Seq, u.Piece)
	}
	back, err := since[0].Change.Invert(copy.Change(before))
	if err != nil {
		return err
	}
	for _, l := range since[1:] {
		back = l.Change.Transform(back, true)
	}
	hand.Known = s.Known
	if !hand.Decides && s.Text.Admits(back, hand.Hand) != nil {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "You no longer decide on this copy. Ask its owner, or propose it anew."}
	}
	if _, err := copyroom.PutEdit(a, s, newsroom.Taken{By: a.Actor, Client: fmt.Sprintf("taken back %d", u.Seq), Turn: s.Seq, Change: back}); err != nil {
		return err
	}
	a.Put.Pieces[u.Piece] = was.Piece
	return a.Log(store.Entry{DeskID: was.DeskID, PieceID: u.Piece, Act: "undone", What: "took back a decision on proposed changes", Version: was.Version})
}
