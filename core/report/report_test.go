package report

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/measure"
)

var office = day.NewCalendar(day.Weekdays{false, true, true, true, true, true, false}, nil)

func date(s string) day.Date {
	d, err := day.ParseDate(s)
	if err != nil {
		panic(err)
	}
	return d
}

// Each case is a row of days on which a piece was placed, with the day on which that was done, and
// the day it went out.
func TestWhetherAPieceWentOutOnItsDay(t *testing.T) {
	type placed struct{ on, at string }
	for _, x := range []struct {
		says   string
		placed []placed
		out    string
		want   string
	}{
		{"as it was promised", []placed{{"2026-11-27", "2026-11-02"}}, "2026-11-27", "on its day 0"},
		{"earlier", []placed{{"2026-11-27", "2026-11-02"}, {"2026-11-25", "2026-11-20"}}, "2026-11-25", "on its day 0"},
		{"over a weekend", []placed{{"2026-11-27", "2026-11-02"}}, "2026-11-30", "late 1"},
		{"a week late, placed anew once it was missed", []placed{{"2026-11-27", "2026-11-02"}, {"2026-12-04", "2026-11-30"}}, "2026-12-04", "late 5"},
		{"moved in time", []placed{{"2026-11-27", "2026-11-02"}, {"2026-12-04", "2026-11-26"}}, "2026-12-04", "moved 0"},
		{"moved on the day itself", []placed{{"2026-11-27", "2026-11-02"}, {"2026-12-04", "2026-11-27"}}, "2026-12-03", "moved 0"},
		{"moved in time, and late by the new day", []placed{{"2026-11-27", "2026-11-02"}, {"2026-12-04", "2026-11-26"}}, "2026-12-07", "late 1"},
		{"moved, and moved back", []placed{{"2026-11-27", "2026-11-02"}, {"2026-12-04", "2026-11-20"}, {"2026-11-27", "2026-11-24"}}, "2026-11-30", "late 1"},
		{"its day taken away for a while", []placed{{"2026-11-27", "2026-11-02"}, {"", "2026-11-10"}, {"2026-11-27", "2026-11-12"}}, "2026-11-27", "on its day 0"},
		{"a day only later", []placed{{"", "2026-11-02"}, {"2026-11-27", "2026-11-12"}}, "2026-11-27", "on its day 0"},
		{"never a day", nil, "2026-11-27", "on its day 0"},
	} {
		var p Promise
		for _, s := range x.placed {
			var on day.Date
			if s.on != "" {
				on = date(s.on)
			}
			p = p.Then(on, date(s.at))
		}
		fate, late := FateOf(p, date(x.out), office)
		if got := fmt.Sprint(fate, " ", late); got != x.want {
			t.Errorf("%s: %s, want %s", x.says, got, x.want)
		}
	}
}

func TestAnEvenLine(t *testing.T) {
	from, to := date("2026-11-01"), date("2026-11-10")
	for today, want := range map[string]float64{"2026-10-31": 0, "2026-11-01": 5, "2026-11-05": 25, "2026-11-10": 50, "2026-12-01": 50} {
		if got := Even(50, from, to, date(today)); got != want {
			t.Errorf("on %s it is %v, want %v", today, got, want)
		}
	}
}

// The sum of chances against running them, and for equal ones against the binomial distribution: of
// ten with a half, 3 to 7 (as tables of it print: P(X ≤ 2) = .0547, P(X ≤ 3) = .1719).
func TestTheSumOfChances(t *testing.T) {
	half := []float64{.5, .5, .5, .5, .5, .5, .5, .5, .5, .5}
	if got := Chances(4, half); got != (Sum{9, 7, 11}) {
		t.Errorf("ten halves and four: %+v", got)
	}
	if got := Chances(2, nil); got != (Sum{2, 2, 2}) {
		t.Errorf("nothing to come: %+v", got)
	}
	rng := rand.New(rand.NewPCG(1, 2))
	for range 20 {
		var chances []float64
		for range 1 + rng.IntN(12) {
			chances = append(chances, rng.Float64())
		}
		got := Chances(0, chances)
		inside, mean := 0, 0.0
		const runs = 20_000
		for range runs {
			n := 0.0
			for _, p := range chances {
				if rng.Float64() < p {
					n++
				}
			}
			mean += n / runs
			if n >= got.Lo && n <= got.Hi {
				inside++
			}
		}
		if share := float64(inside) / runs; math.Abs(mean-got.Likely) > .06 || share < .78 {
			t.Errorf("%v: likely %v and in %v by running, %+v as it is worked out", chances, mean, share, got)
		}
	}
}

// Of many pieces it is the binomial distribution, which is taken here as C(n, k)·pᵏ·(1−p)ⁿ⁻ᵏ by math.Lgamma.
func TestTheSumOfManyChancesIsBinomial(t *testing.T) {
	for _, x := range []struct {
		n int
		p float64
	}{{10, .3}, {400, .02}, {400, .98}, {5000, .5}, {5000, .87}} {
		all := make([]float64, x.n)
		for i := range all {
			all[i] = x.p
		}
		lg := func(n int) float64 { v, _ := math.Lgamma(float64(n) + 1); return v }
		quantile := func(share float64) float64 {
			sum := 0.0
			for k := range x.n + 1 {
				if sum += math.Exp(lg(x.n) - lg(k) - lg(x.n-k) + float64(k)*math.Log(x.p) + float64(x.n-k)*math.Log(1-x.p)); sum >= share {
					return float64(k)
				}
			}
			return float64(x.n)
		}
		got := Chances(3, all)
		if math.Abs(got.Likely-3-float64(x.n)*x.p) > 1e-6 || got.Lo != 3+quantile(.1) || got.Hi != 3+quantile(.9) {
			t.Errorf("%d at %v: %+v, want %v and %v", x.n, x.p, got, 3+quantile(.1), 3+quantile(.9))
		}
	}
	if got := Chances(0, []float64{1, 1, 0, 0, 1}); got != (Sum{3, 3, 3}) {
		t.Errorf("what is sure: %+v", got)
	}
}

func TestWhatPiecesToComeBring(t *testing.T) {
	got := Coming(1000, []Spread{{100, 80, 120}, {50, 50, 50}}, []float64{1, .5})
	sd := math.Sqrt(math.Pow(40/(2*quartile), 2) + .25*50*50)
	if got.Likely != 1125 || math.Abs(got.Hi-(1125+z80*sd)) > 1e-9 || got.Lo >= 1125 || got.Lo < 1000 {
		t.Errorf("%+v", got)
	}
	if got := Coming(1000, nil, nil); got != (Sum{1000, 1000, 1000}) {
		t.Errorf("nothing to come: %+v", got)
	}
}

func TestHowLongLegsTook(t *testing.T) {
	got := TookOf([]int{1, 2, 3, 4, 9}, []int{3, 3, 3, 3, 3}, measure.Quantile)
	if got.N != 5 || got.Half != 3 || math.Abs(got.FourFifth-5) > 1e-9 || got.Over != 2 {
		t.Errorf("%+v", got)
	}
	if got := TookOf(nil, nil, measure.Quantile); got != (Took{}) {
		t.Errorf("none: %+v", got)
	}
}
