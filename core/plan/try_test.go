package plan

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Tried together, changes come to what they come to one by one: each that can be carried out
// is, on what those before it made, days off first; each that cannot is given with its reason
// and leaves no trace.
func TestTryingLeavesOutOnlyWhatCannotBeDone(t *testing.T) {
	cases, failed := 0, 0
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 27))
		b := randomBoard(r, 3+r.IntN(5))
		start := boardText(b)
		var changes []Change
		for range 1 + r.IntN(6) {
			changes = append(changes, randomChange(r, b))
		}
		if r.IntN(4) == 0 {
			changes = append(changes, Change{Do: DoMove, Piece: 99, At: b.Now}) // a piece that is gone
		}
		got := b.Try(changes)
		cases += len(changes)
		failed += len(got.Failed)
		if len(got.Changes)+len(got.Failed) != len(changes) {
			t.Fatalf("seed %d: %d carried out, %d failed, of %d", seed, len(got.Changes), len(got.Failed), len(changes))
		}
		// one by one, in the order that is promised
		away, pieces := b, map[ref.Piece]relay.Piece{}
		for _, p := range b.Pieces {
			pieces[p.ID] = *p
		}
		for _, c := range changes {
			if c.Do == DoAway {
				if x, err := away.Away(c); err == nil {
					away = x
				}
			}
		}
		for _, c := range changes {
			p, ok := pieces[c.Piece]
			if c.Do == DoAway || !ok {
				continue
			}
			if m, err := away.Desk(&p).Apply(p, c, b.Scene(&p)); err == nil {
				pieces[c.Piece] = m.Piece
			}
		}
		for _, p := range got.After.Pieces {
			if want := pieces[p.ID]; !reflect.DeepEqual(*p, want) {
				t.Fatalf("seed %d: %v\ngot  %+v\nwant %+v", seed, changes, *p, want)
			}
		}
		if again, err := b.Preview(got.Changes); err != nil || again.Seal() != got.Seal() {
			t.Fatalf("seed %d: what can be done is refused or comes to something else: %v", seed, err)
		}
		if _, err := b.Preview(changes); (err == nil) != (len(got.Failed) == 0) {
			t.Fatalf("seed %d: previewed %v, %d failed", seed, err, len(got.Failed))
		}
		if boardText(b) != start {
			t.Fatalf("seed %d: the board was changed", seed)
		}
	}
	if failed < 500 {
		t.Errorf("only %d of %d changes failed: little is tried", failed, cases)
	}
}

// What is worked out on a board as it would be is not remembered as what is.
func TestTheLoadOfATrialIsNotKept(t *testing.T) {
	b := randomBoard(rand.New(rand.NewPCG(3, 4)), 5)
	b.Load()
	kept := b.Worked
	times := 0
	b.Remember = func(*load.Sheet) { times++ }
	for _, c := range []Change{{Do: DoAway, Person: 1, Date: date("2026-11-25"), To: date("2026-12-02")}, {Do: DoMove, Piece: 1, At: day.Moment(b.Slots(1)[9])}} {
		x := b.Try([]Change{c})
		if x.After.Load() == kept || times > 0 {
			t.Errorf("%v: the load of a trial is taken for that of the plan", c.Do)
		}
	}
}
