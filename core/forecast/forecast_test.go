package forecast

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

var everyDay = day.Weekdays{true, true, true, true, true, true, true}

const today = day.Date(20_781)

// activity is one line of a project network with three estimates.
type activity struct {
	key, after                 string
	optimistic, likely, pessim float64
}

// The Reliable Construction Company's project in Hillier and Lieberman,
// Introduction to Operations Research: its 14 activities with optimistic, most
// likely and pessimistic weeks (from memory).
var reliable = []activity{
	{"a", "", 1, 2, 3}, {"b", "a", 2, 3.5, 8}, {"c", "b", 6, 9, 18}, {"d", "c", 4, 5.5, 10}, {"e", "c", 1, 4.5, 5}, {"f", "e", 4, 4, 10}, {"g", "d", 5, 6.5, 11},
	{"h", "e,g", 5, 8, 17}, {"i", "c", 3, 7.5, 9}, {"j", "f,i", 3, 9, 9}, {"k", "j", 4, 4, 4}, {"l", "j", 1, 5.5, 7}, {"m", "h", 1, 2, 3}, {"n", "k,l", 5, 5.5, 9},
}

// unit is how many days of the calendar stand for a week, so that the rounding to
// whole days does not show.
const unit = 40

func project(t *testing.T, deadline float64, draw func(activity) Draw) (lands []day.Boundary, made float64) {
	t.Helper()
	h := &plan.Desk{Calendar: day.NewCalendar(everyDay, nil), Zone: time.UTC}
	p := relay.Piece{ID: 1, Stage: relay.UnderWay, GoesOut: day.Wall(today+day.Date(deadline*unit), 0, time.UTC)}
	var draws []Draw
	for i, a := range reliable {
		p.Legs = append(p.Legs, relay.Leg{Position: i, Key: a.key, After: a.after, State: relay.Waiting})
		draws = append(draws, draw(a))
	}
	const runs = 20_000
	lands, n := Simulate(h, &p, today, draws, runs)
	zero := h.Calendar.Start(today)
	for i := range lands {
		lands[i] -= zero
	}
	return lands, float64(n) / runs
}

// With every activity at its expected time, (o + 4m + p) / 6, the book's project
// takes 44 weeks. Drawn from triangles between the three estimates, as the book
// does when it simulates the project, the deadline of 47 weeks is met in about 59
// runs of a hundred, far from the 84 that the three-estimate formula gives, since
// that looks at one path only (from memory: 0.8413 and 0.5888).
func TestAPublishedThreeEstimateExample(t *testing.T) {
	lands, _ := project(t, 47, func(a activity) Draw {
		days := (a.optimistic + 4*a.likely + a.pessim) / 6 * unit
		return func(*rand.Rand) float64 { return days }
	})
	if got := float64(lands[0]) / unit; math.Abs(got-44) > 0.1 {
		t.Errorf("at expected times the project takes %.2f weeks, the book has 44", got)
	}
	_, made := project(t, 47, func(a activity) Draw { return Triangle(a.optimistic*unit, a.likely*unit, a.pessim*unit) })
	if math.Abs(made-0.589) > 0.02 {
		t.Errorf("the deadline is met with a chance of %.3f, the book has 0.589", made)
	}
	// The book's mean critical path alone, by the same formula: variance 9, so that
	// 47 weeks lie one standard deviation above the mean.
	r := rand.New(rand.NewPCG(1, 1))
	inTime := 0
	for range 20_000 {
		sum := 0.0
		for _, a := range reliable {
			if strings.Contains("abcefjln", a.key) {
				sum += (a.optimistic+4*a.likely+a.pessim)/6 + r.NormFloat64()*(a.pessim-a.optimistic)/6
			}
		}
		if sum <= 47 {
			inTime++
		}
	}
	if got := float64(inTime) / 20_000; math.Abs(got-0.8413) > 0.01 {
		t.Errorf("along one path the chance is %.3f, the book has 0.8413", got)
	}
}

// Mean and variance of the triangular distribution: (a + b + c) / 3 and
// (a² + b² + c² − ab − ac − bc) / 18, as in the NIST/SEMATECH handbook and every
// table of distributions.
func TestTheTriangleHasItsPublishedMoments(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, x := range [][3]float64{{1, 2, 4}, {0, 0, 3}, {2, 5, 5}, {3, 5, 10}} {
		a, c, b := x[0], x[1], x[2]
		d, n, sum, squares := Triangle(a, c, b), 200_000.0, 0.0, 0.0
		for range int(n) {
			v := d(r)
			if v < a || v > b {
				t.Fatalf("%v lies outside %v", v, x)
			}
			sum, squares = sum+v, squares+v*v
		}
		mean := sum / n
		if want := (a + b + c) / 3; math.Abs(mean-want) > 0.01 {
			t.Errorf("%v: mean %.3f, want %.3f", x, mean, want)
		}
		if got, want := squares/n-mean*mean, (a*a+b*b+c*c-a*b-a*c-b*c)/18; math.Abs(got-want) > 0.02 {
			t.Errorf("%v: variance %.3f, want %.3f", x, got, want)
		}
	}
	if got := Triangle(3, 3, 3)(r); got != 3 {
		t.Errorf("a triangle without width gives %v", got)
	}
}

func piece(state relay.State) (*plan.Desk, relay.Piece) {
	h := &plan.Desk{Calendar: day.NewCalendar(day.MondayToFriday, nil), Zone: time.UTC}
	p := relay.Piece{ID: 7, Stage: relay.UnderWay, GoesOut: day.Wall(today+20, 480, time.UTC), Legs: []relay.Leg{
		{Position: 0, Key: "a", Allowance: 2, Least: 1, State: state, StartDay: today, EndDay: today},
		{Position: 1, Key: "b", After: "a", Allowance: 4, Least: 2, State: relay.Waiting},
	}}
	return h, p
}

func none(*relay.Leg) []float64 { return nil }

func TestTheSameInputGivesTheSameForecast(t *testing.T) {
	h, p := piece(relay.Running)
	if a, b := Of(h, &p, today, none), Of(h, &p, today, none); !reflect.DeepEqual(a, b) {
		t.Errorf("%v, then %v", a, b)
	}
}

func TestAForecastLearnsFromEightFinishedRuns(t *testing.T) {
	h, p := piece(relay.Passed)
	always := func(share float64, n int) func(*relay.Leg) []float64 {
		return func(*relay.Leg) []float64 {
			out := make([]float64, n)
			for i := range out {
				out[i] = share
			}
			return out
		}
	}
	end := h.Calendar.End(today)
	f := Of(h, &p, today, always(1.5, 8))
	if f.Learned != 1 || f.Lands[0] != end+6 || f.Lands[Runs-1] != end+6 || f.Chance != 1 {
		t.Errorf("eight runs that took half as long again: %d to %d after the start, chance %v", f.Lands[0]-end, f.Lands[Runs-1]-end, f.Chance)
	}
	for _, d := range f.Days {
		if d != h.Calendar.Day(end+6) {
			t.Errorf("ready on %v", d)
		}
	}
	if f = Of(h, &p, today, always(1.5, 7)); f.Learned != 0 || f.Lands[0] >= f.Lands[Runs-1] {
		t.Errorf("seven runs are too few to learn from: %d to %d", f.Lands[0]-end, f.Lands[Runs-1]-end)
	}
	if f.Lands[0] < end+2 || f.Lands[Runs-1] > end+8 {
		t.Errorf("between the least and twice: %d to %d", f.Lands[0]-end, f.Lands[Runs-1]-end)
	}
}

func TestTheChanceGrowsWithTheDayAndTheDaysWithTheLevel(t *testing.T) {
	h, p := piece(relay.Running)
	last := -1.0
	for d := range day.Date(20) {
		p.GoesOut = day.Wall(today+d, 480, time.UTC)
		f := Of(h, &p, today, none)
		if f.Chance < last {
			t.Fatalf("a later day is less likely: %v after %v", f.Chance, last)
		}
		if last = f.Chance; f.Days[0] > f.Days[1] || f.Days[1] > f.Days[2] {
			t.Fatalf("the days %v fall", f.Days)
		}
	}
	if last != 1 {
		t.Errorf("with plenty of time the chance is %v", last)
	}
	p.GoesOut = 0
	if f := Of(h, &p, today, none); f.Chance != 0 || f.Days[0] == 0 {
		t.Errorf("without a day: %+v", f.Days)
	}
	p.Legs[1].Holder = 5
	h.Holder = func(ref.Person) *day.Calendar { return h.Calendar.For(day.Weekdays{}, nil) }
	if f := Of(h, &p, today, none); f.Days[0] != 0 {
		t.Errorf("with somebody who never works it is ready %v", f.Days[0])
	}
}

func BenchmarkForecastOfSevenLegs(b *testing.B) {
	h, p := piece(relay.Running)
	p.Legs = nil
	after := ""
	for i := range 7 {
		k := fmt.Sprint("l", i)
		p.Legs = append(p.Legs, relay.Leg{Position: i, Key: k, After: after, Allowance: 3, Least: 1, State: relay.Waiting})
		after = k
	}
	p.Legs[0].State, p.Legs[0].StartDay = relay.Running, today
	b.ReportAllocs()
	for b.Loop() {
		Of(h, &p, today, none)
	}
}

// The chance is that of making the day. A date set by hand that is tighter is said beside it,
// one that is not tighter is not, and without a day there is only that.
func TestTheChanceIsOfTheDayAndNotOfADateSetByHand(t *testing.T) {
	h := &plan.Desk{Calendar: day.NewCalendar(everyDay, nil), Zone: time.UTC}
	p := relay.Piece{ID: 1, Stage: relay.UnderWay, GoesOut: day.Wall(today+30, 480, time.UTC), Legs: []relay.Leg{
		{Key: "draft", Allowance: 4, Least: 2, State: relay.Running, StartDay: today, Holder: 1, Pin: today + 2},
		{Position: 1, Key: "edit", Allowance: 2, Least: 1, State: relay.Waiting, After: "draft", Pin: today + 40},
	}}
	none := func(*relay.Leg) []float64 { return nil }
	f := Of(h, &p, today, none)
	if f.Chance != 1 || len(f.Kept) != 1 || f.Kept[0].Leg != "draft" || f.Kept[0].Chance < 0.02 || f.Kept[0].Chance > 0.3 {
		t.Errorf("the chance is %v, %v kept", f.Chance, f.Kept)
	}
	p.Legs[1].Pin = today + 3 // the last leg, and its day is far
	if f := Of(h, &p, today, none); f.Chance != 1 || len(f.Kept) != 2 || f.Kept[1].Leg != "edit" {
		t.Errorf("the last leg: the chance is %v, %v kept", f.Chance, f.Kept)
	}
	p.GoesOut = 0
	if f := Of(h, &p, today, none); f.Chance != 0 || len(f.Kept) != 2 {
		t.Errorf("without a day: the chance is %v, %v kept", f.Chance, f.Kept)
	}
}

// A leg that runs already is drawn from what took longer: its runs of so far are over.
func TestARunningLegIsDrawnFromLongerRuns(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	least := func(d Draw) int {
		out := 1 << 30
		for range 500 {
			out = min(out, int(d(r)+0.5))
		}
		return out
	}
	l := relay.Leg{Allowance: 4, Least: 1}
	var many, few []float64
	for i := range 40 {
		many = append(many, float64(1+i%10)/4)
	}
	few = many[:10]
	for _, x := range []struct {
		what    string
		shares  []float64
		sofar   int
		learned bool
		least   int
	}{
		{"not begun", many, 0, true, 1}, {"three days", many, 3, true, 4}, {"seven days, of which enough took longer", many, 7, true, 8},
		{"nine days, of which too few took longer: beyond the triangle", many, 9, true, 10}, {"three days of a few", few, 3, false, 4},
		{"nothing known", nil, 2, false, 3}, {"nothing known, beyond all", nil, 8, false, 9}, {"far beyond all", nil, 60, false, 61},
	} {
		d, learned := For(&l, x.shares, x.sofar)
		if got := least(d); learned != x.learned || got != x.least {
			t.Errorf("%s: at least %d, learned %v, want %d, %v", x.what, got, learned, x.least, x.learned)
		}
	}
}
