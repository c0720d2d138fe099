package plan

import (
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

// Whatever is offered as complete ends whole, every piece in it, and clashes with
// nothing; a squeeze never goes below the least; what is offered as a help helps.
func TestWaysOutKeepTheirWord(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 16))
	kinds := map[Kind]int{}
	for range 500 {
		b := randomBoard(r, 8)
		for _, p := range b.Pieces {
			was := b.Desk(p).Forward(p, b.Today(1))
			ways := b.Ways(p.ID)
			if was.Pace != Short && len(ways) > 0 {
				t.Fatal("a piece that is not short has ways out")
			}
			if again := b.Ways(p.ID); !reflect.DeepEqual(again, ways) {
				t.Fatal("the same board gives other ways out")
			}
			for _, w := range ways {
				c, err := b.Preview(w.Changes)
				if err != nil {
					t.Fatalf("%s cannot be done: %v", w.Kind, err)
				}
				if w.Complete {
					kinds[w.Kind]++
				}
				for _, e := range c.Effects {
					if h := b.Desk(e.Was); w.Complete && h.Forward(&e.Move.Piece, b.Today(1)).InHand < 0 {
						t.Fatalf("%s is offered as complete and ends short", w.Kind)
					}
					for _, l := range e.Move.Piece.Legs {
						if o := e.Was.Leg(l.Key); w.Kind == Squeeze && (l.Need() > o.Need() || l.Rework == 0 && l.Allowance < o.Least) {
							t.Fatalf("%s is squeezed from %d to %d, its least is %d", l.Key, o.Need(), l.Need(), o.Least)
						}
					}
				}
				if w.Complete && len(c.Clashes) > 0 || !w.Complete && w.InHand < was.InHand {
					t.Fatalf("%s: %+v", w.Kind, w)
				}
			}
		}
	}
	for _, k := range []Kind{Squeeze, HandOn, Overlap, Both, Later, Trade} {
		if kinds[k] == 0 {
			t.Errorf("no piece was ever made whole by %q", k)
		}
	}
}

// A squeeze takes as few legs as can do it: no smaller set, squeezed to the least,
// makes the piece whole.
func TestASqueezeTakesTheFewestLegs(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 18))
	seen := 0
	for range 300 {
		b := randomBoard(r, 5)
		for _, p := range b.Pieces {
			for _, w := range b.Ways(p.ID) {
				if w.Kind != Squeeze || !w.Complete || len(w.Changes) < 2 {
					continue
				}
				seen++
				h := b.Desk(p)
				for mask := range 1 << len(p.Legs) {
					q, n := *p, 0
					q.Legs = slices.Clone(p.Legs)
					for i := range q.Legs {
						if l := &q.Legs[i]; mask>>i&1 == 1 && !l.Done() {
							n++
							if l.Rework > 0 {
								l.Rework = 1
							} else {
								l.Allowance = l.Least
							}
						}
					}
					if n < len(w.Changes) && h.Forward(&q, b.Today(1)).InHand >= 0 {
						t.Fatalf("%d legs would do, %d are squeezed", n, len(w.Changes))
					}
				}
			}
		}
	}
	if seen == 0 {
		t.Error("no squeeze of two legs was seen")
	}
}
