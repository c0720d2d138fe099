package rooms_test

import (
	"fmt"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// filled is a house whose logbook has 100,000 entries about 2,000 pieces, over 60 days.
func filled(b *testing.B) *testHouse {
	b.Helper()
	h := newHouse(b)
	first := h.piece(h.make("12-18"))
	from := h.Now() - 60*86400
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error {
		for i := range ref.Piece(100_000) {
			p := first.Piece
			p.ID, p.Legs = 1+i%2_000, append([]relay.Leg(nil), p.Legs...)
			at := from + (h.Now()-from)*day.Moment(i)/100_000
			for k := range p.Legs {
				p.Legs[k].TouchedAt = at
			}
			kind := rule.Passed
			if i%3 == 0 {
				kind = rule.Begins
			}
			e := store.Entry{DeskID: 1, PieceID: p.ID, Act: "passed", What: "passed Draft to Pia, Pictures", At: at, Actor: 3, Events: rule.Lines([]rule.Event{{Kind: kind, Leg: "draft", To: 3}, {Kind: rule.Begins, Leg: "pics"}}), State: (&rule.State{Piece: p}).Record()}
			if err := tx.Log(ctx, e); err != nil {
				return err
			}
		}
		return nil
	}))
	return h
}

// One rule tried over 100,000 entries: one that hears of a command, and one of time, which
// has to look at every entry.
func BenchmarkTrial(b *testing.B) {
	h := filled(b)
	for name, r := range map[string]rule.Rule{
		"of an act":  {When: rule.Begins, If: []rule.Cond{{Field: "pace", Op: rule.Is, Values: []string{"short"}}}, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellOwner}, Words: "x"}}},
		"of time":    {When: rule.Quiet, N: 2, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellOwner}, Words: "x"}}},
		"that gives": {When: rule.Begins, If: []rule.Cond{{Field: "leg", Op: rule.Is, Values: []string{"Pictures"}}}, Then: []rule.Action{{Do: rule.Give, To: []string{fmt.Sprint(freelance)}}}},
	} {
		r.DeskID = 1
		b.Run(name, func(b *testing.B) {
			told := 0
			for b.Loop() {
				x, err := h.Rules.TryRule(ctx, lead, r, 90, func(int, int) { told++ })
				if err != nil || x.Read < 100_000 {
					b.Fatal(x.Read, err)
				}
			}
			if told == 0 {
				b.Fatal("no progress is told")
			}
		})
	}
}

// A command on a desk with 200 rules that hear of it and do nothing.
func BenchmarkAnActUnderTwoHundredRules(b *testing.B) {
	for _, n := range []int{0, 200} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			h := newHouse(b)
			for range n {
				h.rules(rule.Rule{When: rule.Changed, If: []rule.Cond{{Field: "pace", Op: rule.IsNot, Values: []string{"short", "no room", "in hand", "no day"}}, {Field: "title", Op: rule.Contains, Values: []string{"zzz"}}}, Then: []rule.Action{{Do: rule.SetField, Field: "priority", Value: "2"}}})
			}
			p := h.make("12-18")
			for i := 0; b.Loop(); i++ {
				priority := relay.Priority(i % 2)
				h.must(h.Planning.EditPieces(ctx, lead, []planning.Edit{{Piece: p, Priority: &priority}}))
			}
		})
	}
}
