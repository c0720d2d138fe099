package measure

import (
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"os"
	"slices"
	"testing"

	"greenbaton/core/day"
)

// Quantiles of random values as Python's statistics module works them out (testdata/quantiles.py).
func TestQuantilesAreThoseOfAnotherLibrary(t *testing.T) {
	b, err := os.ReadFile("testdata/quantiles.json")
	if err != nil {
		t.Fatal(err)
	}
	var all []struct {
		Values, Twentieths []float64
		Median             float64
	}
	if err := json.Unmarshal(b, &all); err != nil {
		t.Fatal(err)
	}
	if len(all) != 30 {
		t.Fatalf("%d samples", len(all))
	}
	for _, x := range all {
		slices.Sort(x.Values)
		for i, want := range x.Twentieths {
			if got := Quantile(x.Values, float64(i+1)/20); math.Abs(got-want) > 1e-9 {
				t.Errorf("%d of 20 of %v is %v, want %v", i+1, x.Values, got, want)
			}
		}
		if got := NewGroup("", x.Values).Median; math.Abs(got-x.Median) > 1e-9 {
			t.Errorf("the median of %v is %v, want %v", x.Values, got, x.Median)
		}
	}
}

// The ranks of the interval against the binomial distribution in whole numbers, and against
// those that handbooks print for the 95 % interval of a median (n = 6, 10, 15, 20, 25, 30, 40; from memory).
func TestTheIntervalOfAMedian(t *testing.T) {
	for n := range 300 {
		want, sum := 0, new(big.Int)
		all := new(big.Int).Lsh(big.NewInt(1), uint(n))
		for k := int64(0); k < int64(n/2); k++ {
			sum.Add(sum, new(big.Int).Binomial(int64(n), k))
			if new(big.Int).Mul(sum, big.NewInt(40)).Cmp(all) > 0 {
				break
			}
			want = int(k) + 1
		}
		if got := rank(n); got != want {
			t.Errorf("of %d values it begins at %d, want %d", n, got, want)
		}
	}
	for n, want := range map[int]int{5: 0, 6: 1, 10: 2, 15: 4, 20: 6, 25: 8, 30: 10, 40: 14} {
		if got := rank(n); got != want {
			t.Errorf("of %d values it begins at %d, want %d", n, got, want)
		}
	}
	if lo, hi, ok := MedianInterval([]float64{1, 2, 3, 4, 5, 6, 7, 8, 9, 10}); lo != 2 || hi != 9 || !ok {
		t.Errorf("of 1 to 10 it is %v to %v", lo, hi)
	}
	if k := rank(1_000_000); math.Abs(float64(k)-499_020) > 2 { // n/2 - 1.96 √n/2
		t.Errorf("of a million values it begins at %d", k)
	}
}

func TestFiguresOfSeveralDays(t *testing.T) {
	points := []Point{{10, 100, 1}, {11, 50, 3}, {13, 20, 0}}
	for _, x := range []struct {
		how      How
		from, to day.Date
		want     float64
		ok       bool
	}{
		{Added, 10, 13, 170, true}, {Added, 11, 12, 50, true}, {Added, 14, 20, 0, false}, {Averaged, 10, 13, 62.5, true}, {Averaged, 13, 13, 0, false},
		{Last, 10, 13, 20, true}, {Last, 10, 12, 50, true}, {Last, 1, 9, 0, false},
	} {
		if got, ok := x.how.Over(points, x.from, x.to); got != x.want || ok != x.ok {
			t.Errorf("%s from %d to %d is %v, %v; want %v, %v", x.how, x.from, x.to, got, ok, x.want, x.ok)
		}
	}
}

func TestGroupsAreToldApartOnlyWhereTheyAre(t *testing.T) {
	low := NewGroup("low", []float64{1, 2, 3, 4, 5, 6, 7, 8})
	high := NewGroup("high", []float64{21, 22, 23, 24, 25, 26, 27, 28})
	wide := NewGroup("wide", []float64{1, 2, 10, 20, 30, 40, 50, 90})
	four := NewGroup("four", []float64{100, 200, 300, 400})
	five := NewGroup("five", []float64{100, 200, 300, 400, 500})
	for _, x := range []struct {
		one, two Group
		want     bool
	}{{low, high, true}, {high, low, true}, {low, wide, false}, {high, wide, false}, {low, four, false}, {low, five, false}} { // of five there is no interval of 95 %
		if got := x.one.Apart(x.two); got != x.want {
			t.Errorf("%s and %s are apart: %v", x.one.Key, x.two.Key, got)
		}
	}
	keys := func(gs []Group) string {
		out := ""
		for _, g := range gs {
			out += g.Key + " "
		}
		return out
	}
	all := []Group{four, low, five, high, wide}
	if got := keys(Ranked(all, More)); got != "five wide high low four " {
		t.Error(got)
	}
	if got := keys(Ranked(all, Fewer)); got != "low high wide five four " {
		t.Error(got)
	}
	if g := NewGroup("", nil); g.N != 0 || !g.Few() {
		t.Error("of nothing", g)
	}
	if g := NewGroup("one", []float64{7}); fmt.Sprint(g.Median, g.Q1, g.Q3, g.Sure) != "7 7 7 false" {
		t.Error(g)
	}
}

func TestWhichFigureStands(t *testing.T) {
	all := []Said{{1, "log 3", 5, 10, false}, {1, "log 4", 6, 12, false}, {1, "list 2", 9, 11, false}, {2, "list 2", 4, 11, false}, {2, Visits, 7, 99, false}, {3, Visits, 8, 5, false}, {3, Clicks, 1, 5, false}, {4, Hand, 2, 7, false}, {4, "list 9", 3, 7, false}}
	want := []bool{true, true, false, true, false, true, false, true, false}
	got := Stand(all)
	if !slices.Equal(got, want) {
		t.Errorf("got  %v\nwant %v", got, want)
	}
	for i := range all {
		all[i].Stands = got[i]
	}
	if got := fmt.Sprint(Days(all)); got != "[{1970-01-02 11 1} {1970-01-03 4 1} {1970-01-04 8 1} {1970-01-05 2 1}]" {
		t.Error(got)
	}
}
