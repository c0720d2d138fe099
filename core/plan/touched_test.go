package plan

import (
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Days off of one person push the legs of others of a piece that has no day yet. They are named.
func TestWhoseLegsMoveByTheDaysOffOfOthersIsNamed(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	b := randomBoard(r, 0)
	legs := network("draft 3, edit 2 draft")
	for i := range legs {
		legs[i].Role, legs[i].Effort, legs[i].Holder = "r", 240, ref.Person(i+1)
	}
	running(&legs[0], "2026-11-24", 1)
	b.Pieces = []*relay.Piece{{ID: 1, DeskID: 1, Stage: relay.UnderWay, Version: 1, Legs: legs}}
	c, err := b.Preview([]Change{{Do: DoAway, Person: 1, Date: date("2026-11-24"), To: date("2026-11-27")}})
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(c.Touched, []ref.Person{1, 2}) {
		t.Errorf("named are %v", c.Touched)
	}
}

// Looked at minute by minute: whoever has something else on a day after a change is named, and
// nobody else.
func TestAPreviewNamesEverybodyWhoseLoadChanges(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 10))
	cases, away := 0, 0
	for cases < 20_000 {
		b := randomBoard(r, 5)
		before := minutes(b)
		for range 8 {
			change := randomChange(r, b)
			c, err := b.Preview([]Change{change})
			if err != nil {
				continue
			}
			cases++
			after := b
			if change.Do == DoAway {
				away++
				if after, err = b.Away(change); err != nil {
					t.Fatal(err)
				}
			}
			moved := map[ref.Piece]*Effect{}
			for i := range c.Effects {
				moved[c.Effects[i].Was.ID] = &c.Effects[i]
			}
			then := minutes(after.with(moved))
			var want []ref.Person
			for _, p := range b.People {
				if !maps.Equal(nonzero(before[p.ID]), nonzero(then[p.ID])) {
					want = append(want, p.ID)
				}
			}
			got := slices.Sorted(slices.Values(c.Touched))
			if !slices.Equal(got, want) {
				t.Fatalf("%+v touches %v, minute by minute %v", change, got, want)
			}
		}
	}
	if away < 500 {
		t.Errorf("only %d times somebody took days off", away)
	}
}

func nonzero(days map[day.Date]int) map[day.Date]int {
	out := maps.Clone(days)
	maps.DeleteFunc(out, func(_ day.Date, m int) bool { return m == 0 })
	return out
}
