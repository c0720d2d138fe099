package plan

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// row is a board with pieces on slots: '.' is an open slot, a letter a piece, a capital one
// that is ready. The first slot is the gap.
func row(row string) *Board {
	b := &Board{Now: 1, Desks: map[ref.Desk]*Desk{1: {Zone: time.UTC}}}
	slots := []day.Moment{1000}
	for i, c := range row {
		t := day.Moment(2000 + 1000*i)
		slots = append(slots, t)
		if c == '.' {
			continue
		}
		p := &relay.Piece{ID: ref.Piece(c), DeskID: 1, ChannelID: 1, Stage: relay.UnderWay, GoesOut: t, Legs: []relay.Leg{{Key: "a", State: relay.Running}}}
		if c < 'a' {
			p.Legs[0].State = relay.Passed
		}
		b.Pieces = append(b.Pieces, p)
	}
	slices.SortFunc(b.Pieces, func(x, y *relay.Piece) int { return int(x.ID - y.ID) })
	b.Slots = func(ref.Channel) []day.Moment { return slots }
	return b
}

// after gives the row, the gap first, once changes are made.
func after(b *Board, changes []Change) string {
	out := []byte{}
	at := map[ref.Piece]day.Moment{}
	for _, p := range b.Pieces {
		at[p.ID] = p.GoesOut
	}
	for _, c := range changes {
		at[c.Piece] = c.At
	}
	for _, t := range b.Slots(1) {
		c := byte('.')
		for id, x := range at {
			if x == t {
				c = byte(id)
			}
		}
		out = append(out, c)
	}
	return string(out)
}

func TestAGapIsClosedUpToTheNextHole(t *testing.T) {
	for _, x := range []struct {
		row  string
		how  Closing
		want string
	}{
		{"ab.c", Closing{}, "ab..c"},
		{"abc", Closing{Until: 'b'}, "ab.c"},
		{"aBc", Closing{}, "acB."}, // who is ready stays, and is passed
		{"aBc", Closing{Ready: true}, "aBc."},
		{"aBc", Closing{Until: 'B'}, "aB.c"},
		{".a", Closing{}, "..a"},
		{"AB", Closing{}, ".AB"},
	} {
		b := row(x.row)
		if got := after(b, b.Close(1, 1000, x.how)); got != x.want {
			t.Errorf("%s closed by %+v is %s, want %s", x.row, x.how, got, x.want)
		}
	}
	b := row("ab")
	if got := b.Gap(1, 3000); got != 2000 {
		t.Errorf("before the second piece is %d", got)
	}
	if got := b.Gap(1, 1000); got != 1000 {
		t.Errorf("an open slot is %d", got)
	}
}

// The slow way: take out all that move, and put them in their order on the slots that are then
// open, the gap first; all that lies behind the next hole stays.
func TestClosingAgreesWithTheSlowWay(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 15))
	moved := 0
	for range 20_000 {
		var s []byte
		for i := range 1 + r.IntN(8) {
			c := byte('a' + i)
			switch r.IntN(5) {
			case 0:
				c = '.'
			case 1:
				c = byte('A' + i)
			}
			s = append(s, c)
		}
		how := Closing{Ready: r.IntN(3) == 0}
		if c := s[r.IntN(len(s))]; r.IntN(2) == 0 && c != '.' {
			how.Until = ref.Piece(c)
		}
		stretch := s
		if k := slices.Index(s, '.'); k >= 0 {
			stretch = s[:k]
		}
		if k := slices.Index(stretch, byte(how.Until)); how.Until != 0 && k >= 0 {
			stretch = stretch[:k+1]
		}
		all := append([]byte{'.'}, s...)
		var order []byte
		for i, c := range stretch {
			if c >= 'a' || how.Ready || ref.Piece(c) == how.Until {
				order, all[i+1] = append(order, c), '.'
			}
		}
		for i, k := 0, 0; k < len(order); i++ {
			if all[i] == '.' {
				all[i], k = order[k], k+1
			}
		}
		b := row(string(s))
		changes := b.Close(1, 1000, how)
		moved += len(changes)
		if got := after(b, changes); got != string(all) {
			t.Fatalf(".%s closed by %+v is %s, want %s", s, how, got, all)
		}
		if !slices.IsSortedFunc(changes, func(x, y Change) int { return int(x.At - y.At) }) {
			t.Fatal("they do not come in the order of their dates")
		}
	}
	if moved < 20_000 {
		t.Errorf("only %d pieces moved", moved)
	}
}
