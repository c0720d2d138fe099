package review

import (
	"context"
	"fmt"
	"slices"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// VerdictSheet is who is asked about a piece, and what they said.
type VerdictSheet struct {
	Legs    []VerdictLeg
	Readers []store.Reviewer // who are only asked to read
	Past    []PastVerdict    // all verdicts, the newest first
	Edits   bool             // who looks may ask somebody
	Mine    string           // the leg that waits for the verdict of who looks
}

// VerdictLeg is a leg that signs the copy off.
type VerdictLeg struct {
	*relay.Leg
	Voices  []VoiceSheet
	Needs   string // how many must say yes, where it is not all
	Changed bool   // the copy is another since it was signed off
	Since   int    // the edit up to which it was read then
	Again   bool   // and the route asks for another yes then
}

// VoiceSheet is somebody who is asked.
type VoiceSheet struct {
	store.Reviewer
	Verdict store.Verdict
	Turn    bool
	For     ref.Person // who stands in for them now, 0 nobody
}

// PastVerdict is a verdict, and whether the copy is another since.
type PastVerdict struct {
	store.Verdict
	Older bool
}

// Verdicts gives who is asked about a piece, for the staff of its desk.
func (h Room) Verdicts(ctx context.Context, who ref.Person, piece ref.Piece) (VerdictSheet, error) {
	var out VerdictSheet
	row, err := h.See(ctx, who, piece, relay.ActSee)
	if err != nil {
		return out, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return out, err
	}
	asked, err := store.ReviewersOf(ctx, h.DB.View(), piece)
	if err != nil {
		return out, err
	}
	said, err := store.VerdictsOf(ctx, h.DB.View(), piece)
	if err != nil {
		return out, err
	}
	_, text, _, err := newsroom.Newest(ctx, h.DB.View(), &row)
	if err != nil {
		return out, err
	}
	now, today := contentHash(text), h.Now().Date(b.Zones[row.DeskID])
	w := b.Who(who, row.DeskID)
	out.Edits = relay.May(relay.ActPlan, w, &row.Piece, nil, "") == nil && row.Stage == relay.UnderWay
	for i := range row.Legs {
		l := &row.Legs[i]
		if !l.SignOff || l.State == relay.Skipped {
			continue
		}
		x := verdictLeg(b, &row, l, asked, said, now)
		for k := range x.Voices {
			v := &x.Voices[k]
			if in := standsIn(b, v.PersonID, today); in != v.PersonID {
				v.For = in
			}
			if v.Turn && (v.ID != 0 || len(x.Voices) > 1 || w.Access.May(relay.AnswerAsked)) && (v.PersonID == who || v.For == who) {
				out.Mine = l.Name
			}
		}
		out.Legs = append(out.Legs, x)
	}
	if !relay.MayHouse(relay.SeeAll, w) {
		return VerdictSheet{Mine: out.Mine}, nil
	}
	for _, r := range asked {
		if r.Leg == "" && r.RevokedAt == 0 {
			out.Readers = append(out.Readers, r)
		}
	}
	for _, v := range slices.Backward(said) {
		out.Past = append(out.Past, PastVerdict{v, v.Hash != now})
	}
	return out, nil
}

func verdictLeg(b *newsroom.Setup, row *store.Row, l *relay.Leg, asked []store.Reviewer, said []store.Verdict, now string) VerdictLeg {
	review := review(b, &row.Piece, l.Key)
	x := VerdictLeg{Leg: l, Again: review.Again}
	vs := voices(b, &row.Piece, l, asked, said)
	turns := relay.Turns(spoken(vs), review.InOrder)
	for i, v := range vs {
		x.Voices = append(x.Voices, VoiceSheet{Reviewer: v.Reviewer, Verdict: v.Verdict, Turn: l.State == relay.Running && slices.Contains(turns, i)})
	}
	switch n := len(vs); {
	case n > 1 && review.Need == 1:
		x.Needs = "one yes is enough"
	case n > 1 && review.Need > 1 && review.Need < n:
		x.Needs = fmt.Sprintf("%d yes are enough", review.Need)
	case n > 1:
		x.Needs = "all must say yes"
	}
	if review.InOrder && len(vs) > 1 {
		x.Needs += ", one after the other"
	}
	if s := signedAs(l, said); l.State == relay.Passed && s.ID != 0 && s.Hash != now {
		x.Changed, x.Since = true, s.Seq
	}
	return x
}

// VerdictsOwed gives the pieces that wait for somebody's verdict, theirs or that of somebody
// they stand in for, those asked first; for who is asked by name.
func (h Room) VerdictsOwed(ctx context.Context, who ref.Person) ([]store.Row, []relay.Leg, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, nil, err
	}
	people := []ref.Person{who}
	for _, x := range b.Absences {
		if zone := b.Zones[newsroom.FirstOf(b.Person(x.PersonID).Desks)]; zone != nil && standsIn(b, x.PersonID, h.Now().Date(zone)) == who && x.StandIn == who && !slices.Contains(people, x.PersonID) {
			people = append(people, x.PersonID)
		}
	}
	asked, err := store.ReviewsFor(ctx, h.DB.View(), people)
	if err != nil {
		return nil, nil, err
	}
	var rows []store.Row
	var legs []relay.Leg
	for _, r := range asked {
		row, err := store.Piece(ctx, h.DB.View(), r.PieceID)
		if err != nil {
			return nil, nil, err
		}
		if l := row.Leg(r.Leg); l != nil && l.State == relay.Running && l.Run == r.Run {
			rows, legs = append(rows, row), append(legs, *l)
		}
	}
	return rows, legs, nil
}
