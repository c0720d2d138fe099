package store

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// lets is what a sieve lets through, said once more in the plainest way.
func (s LogSieve) lets(e Entry) bool {
	has := func(in string) bool { return strings.Contains(strings.ToLower(in), strings.ToLower(s.Words)) }
	of := e.DeskID == s.Desk
	if s.Piece != 0 {
		of = e.PieceID == s.Piece
	}
	by := s.Actor == 0 || s.Actor == e.Actor || s.Actor == -1 && e.Actor == 0
	return of && by && (len(s.Kinds) == 0 || slices.Contains(s.Kinds, e.Act)) && (s.Words == "" || has(e.What) || has(e.Why)) &&
		(s.From == 0 || e.At >= s.From) && (s.To == 0 || e.At < s.To) && (s.Below == 0 || e.Seq < s.Below) && (s.Behind == 0 || e.Seq > s.Behind)
}

func TestALogbookIsSifted(t *testing.T) {
	db := fresh(t)
	r := rand.New(rand.NewPCG(1, 2))
	one := func(of ...string) string { return of[r.IntN(len(of))] }
	var all []Entry
	if err := db.Write(ctx, func(tx *Tx) error {
		for i := range 60 {
			e := Entry{At: day.Moment(10 + i/2), DeskID: ref.Desk(1 + r.Int64N(2)), PieceID: ref.Piece(1 + r.Int64N(3)), Actor: ref.Person(r.Int64N(3)), Act: one("passed", "wrote", "gave"), What: one("passed Draft", "100% of it", "a_b"), Why: one("", "late", "Draft")}
			if err := tx.Log(ctx, e); err != nil {
				return err
			}
			e.Seq = int64(i + 1)
			all = append(all, e)
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	for range 600 {
		s := LogSieve{Desk: ref.Desk(1 + r.Int64N(2)), Piece: ref.Piece(r.Int64N(4)), Actor: ref.Person(r.Int64N(4) - 1), Words: one("", "draft", "%", "_", "la"), Oldest: r.IntN(2) == 0, Limit: 1 + r.IntN(60)}
		if r.IntN(2) == 0 {
			s.Kinds = []string{"passed", one("gave", "took")}
		}
		for _, bound := range []*day.Moment{&s.From, &s.To} {
			*bound = day.Moment(r.IntN(2) * (8 + r.IntN(34)))
		}
		for _, bound := range []*int64{&s.Below, &s.Behind} {
			*bound = r.Int64N(2) * r.Int64N(62)
		}
		var want []int64
		for _, e := range all {
			if s.lets(e) {
				want = append(want, e.Seq)
			}
		}
		if !s.Oldest {
			slices.Reverse(want)
		}
		want = want[:min(len(want), s.Limit)]
		entries, err := LogOf(ctx, db.View(), s)
		if err != nil {
			t.Fatal(err)
		}
		var got []int64
		for _, e := range entries {
			got = append(got, e.Seq)
		}
		if !slices.Equal(got, want) {
			t.Fatalf("%+v: entries %v, want %v", s, got, want)
		}
	}
}
