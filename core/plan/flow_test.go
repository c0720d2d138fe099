package plan

import (
	"math"
	"math/rand/v2"
	"testing"
)

// Worked examples of Little's law as textbooks have them (from memory): a shop with 10
// customers an hour who stay half an hour has 5 in it; a wine cellar of 240 bottles from
// which 96 are drunk a year keeps each 2.5 years.
func TestLittlesLaw(t *testing.T) {
	for _, x := range []struct{ rate, mean, want float64 }{{10, 0.5, 5}, {96, 2.5, 240}} {
		if got := (Flow{Rate: x.rate, Mean: x.mean}).Expect(); math.Abs(got-x.want) > 1e-9 {
			t.Errorf("%v a day for %v days are %v at once, want %v", x.rate, x.mean, got, x.want)
		}
	}
}

// A leg that pieces come to at random, each staying some days, has as many at once on
// average as the law says.
func TestWhatIsExpectedIsWhatIsCounted(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	const days = 20_000
	at := make([]int, days+40)
	var stays []float64
	for d := range days {
		for range r.IntN(3) {
			stay := 1 + r.IntN(9)
			stays = append(stays, float64(stay))
			for k := range stay {
				at[d+k]++
			}
		}
	}
	sum := 0
	for _, n := range at[20:days] {
		sum += n
	}
	counted := float64(sum) / (days - 20)
	if got := NewFlow(stays, len(stays), days).Expect(); math.Abs(got-counted) > 0.05 {
		t.Errorf("expected %.2f at once, counted %.2f", got, counted)
	}
}

func TestWhatIsUsualAndWhatPilesUp(t *testing.T) {
	f := NewFlow([]float64{2, 1, 3, 2, 9, 2, 3, 2}, 8, 20) // mean 3, 0.4 a day: 1.2 at once
	if f.Usual != 2 || math.Abs(f.Mean-3) > 1e-9 {
		t.Errorf("usually %v, on average %v", f.Usual, f.Mean)
	}
	for now, want := range []bool{false, false, false, true, true} {
		if got := f.PilesUp(now); got != want {
			t.Errorf("%d at once: piles up %v", now, got)
		}
	}
	if NewFlow([]float64{1, 1}, 2, 20).PilesUp(9) {
		t.Error("two runs say nothing about what is usual")
	}
	if busy := NewFlow([]float64{4, 4, 4, 4, 4, 4, 4, 4}, 20, 20); busy.PilesUp(5) || !busy.PilesUp(6) {
		t.Error("a leg that usually has four at once")
	}
}
