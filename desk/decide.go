package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Decide takes, or leaves, proposals on a copy by their keys; no keys are all of them.
// It gives how many it was.
func (h *House) Decide(ctx context.Context, by, piece int64, take bool, keys []string) (int, error) {
	n := 0
	err := h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{act: relay.ActRead, piece: piece})
		if err != nil {
			return err
		}
		hand, err := a.hand(&was, by)
		if err != nil {
			return err
		}
		own := !slices.ContainsFunc(keys, func(k string) bool { return copy.By(k) != by })
		if !hand.Decides && (take || len(keys) == 0 || !own) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Those who write in this copy take and leave what is proposed; you can take back what you proposed yourself."}
		}
		s, err := a.stage(piece)
		if err != nil {
			return err
		}
		pick := func(k string) bool { return len(keys) == 0 || slices.Contains(keys, k) }
		theirs := map[int64]int{}
		for _, p := range s.text.Proposals() {
			if slices.ContainsFunc(p.Keys, pick) {
				n++
				theirs[p.By]++
			}
		}
		if n == 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This has been decided already."}
		}
		change := s.text.Decide(take, pick)
		seq, err := a.putEdit(s, taken{By: by, Client: fmt.Sprintf("decided %d", s.seq), Turn: 1, Change: change})
		if err != nil {
			return err
		}
		a.undo.Edits = append(a.undo.Edits, undoEdit{piece, seq})
		a.put.pieces[piece] = was.Piece
		var of []string
		for _, id := range slices.Sorted(maps.Keys(theirs)) {
			of = append(of, fmt.Sprintf("%d of %s", theirs[id], First(a.b.Name(id))))
		}
		verb := map[bool]string{true: "took", false: "left"}[take]
		a.did = []string{fmt.Sprintf("%s %s on “%s”", verb, Plural(n, "proposed change"), was.Title)}
		return a.log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: verb, What: fmt.Sprintf("%s %s: %s", verb, Plural(n, "proposed change"), strings.Join(of, ", ")), Version: was.Version})
	})
	return n, err
}

// undoEdits takes back edits of copies that the house made.
func (a *act) undoEdits(s *undoState) (pieces []int64, err error) {
	for _, e := range s.Edits {
		if err := a.takeBackEdit(e); err != nil {
			return nil, err
		}
		pieces = append(pieces, e.Piece)
	}
	return pieces, nil
}

// takeBackEdit does the opposite of an edit, behind all that came since: what it took away
// comes back where it was, what it brought goes, and what others wrote stays.
func (a *act) takeBackEdit(u undoEdit) error {
	was, err := a.load(order{act: relay.ActRead, piece: u.Piece})
	if err != nil {
		return err
	}
	hand, err := a.hand(&was, a.by)
	if err != nil {
		return err
	}
	before, err := textAt(a, a.tx, &was, u.Seq-1)
	if err != nil {
		return err
	}
	s, err := a.stage(u.Piece)
	if err != nil {
		return err
	}
	since, err := s.after(a, u.Seq-1)
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
	hand.Known = s.known
	if !hand.Decides && s.text.Admits(back, hand.Hand) != nil {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "You no longer decide on this copy. Ask its owner, or propose it anew."}
	}
	if _, err := a.putEdit(s, taken{By: a.by, Client: fmt.Sprintf("taken back %d", u.Seq), Turn: s.seq, Change: back}); err != nil {
		return err
	}
	a.put.pieces[u.Piece] = was.Piece
	return a.log(store.Entry{DeskID: was.DeskID, PieceID: u.Piece, Act: "undone", What: "took back a decision on proposed changes", Version: was.Version})
}
