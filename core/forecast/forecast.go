// Package forecast says how likely a piece makes its day, from how long its legs
// took before.
//
// A piece is run many times over: each leg that is not over takes its days times
// a share drawn from the finished runs of that leg on its desk. The same input
// gives the same forecast.
package forecast

import (
	"math"
	"math/rand/v2"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
)

const (
	// Runs is how many times a piece is run.
	Runs = 2000
	// Least is how many finished runs of a leg there must be to draw from them.
	Least = 8
)

// Draw gives the working days, not rounded, that a leg takes in one run.
type Draw func(*rand.Rand) float64

// Triangle draws from the triangular distribution between low and high with its
// top at mode.
func Triangle(low, mode, high float64) Draw {
	if high <= low {
		return func(*rand.Rand) float64 { return low }
	}
	cut := (mode - low) / (high - low)
	return func(r *rand.Rand) float64 {
		if u := r.Float64(); u < cut {
			return low + math.Sqrt(u*(high-low)*(mode-low))
		} else {
			return high - math.Sqrt((1-u)*(high-low)*(high-mode))
		}
	}
}

// Shares draws one of the shares, actual days by allowance, and takes it of days.
func Shares(shares []float64, days int) Draw {
	return func(r *rand.Rand) float64 { return shares[r.IntN(len(shares))] * float64(days) }
}

// For gives how the days of a leg are drawn: from its finished runs if there are
// enough, otherwise between its least and twice its days.
func For(l *relay.Leg, shares []float64) Draw {
	if len(shares) >= Least {
		return Shares(shares, l.Need())
	}
	need := float64(l.Need())
	return Triangle(min(float64(l.Least), need), need, 2*need)
}

// Forecast is how likely a piece makes its day, and when it is ready.
type Forecast struct {
	Chance  float64        // of making its day, 0 to 1; 0 without a day
	Days    [3]day.Date    // the earliest days on which it could go out with a chance of 50, 80 and 95 %; no date for never
	Lands   []day.Boundary // where each run landed, ascending
	Learned int            // how many of its legs drew from finished runs
}

// Levels are the chances that Forecast.Days belong to.
var Levels = [3]float64{0.5, 0.8, 0.95}

// Of runs a piece from today. Shares gives the finished runs of one of its legs on
// its desk: the days it took by the days it was allowed.
func Of(h *plan.Desk, p *relay.Piece, today day.Date, shares func(*relay.Leg) []float64) Forecast {
	out := Forecast{}
	draws := make([]Draw, len(p.Legs))
	for i := range p.Legs {
		l := &p.Legs[i]
		if l.Done() {
			continue
		}
		s := shares(l)
		if len(s) >= Least {
			out.Learned++
		}
		draws[i] = For(l, s)
	}
	made := 0
	out.Lands, made = Simulate(h, p, today, draws, Runs)
	if p.GoesOut != 0 {
		out.Chance = float64(made) / Runs
	}
	for i, level := range Levels {
		if lands := out.Lands[int(math.Ceil(level*Runs))-1]; lands < day.Never {
			out.Days[i] = h.Calendar.Day(lands + day.Boundary(h.Margin))
		}
	}
	return out
}

// Simulate runs a piece n times with the days drawn for each leg that is not
// over, and gives where it landed, ascending, and how often nothing was short.
func Simulate(h *plan.Desk, p *relay.Piece, today day.Date, draws []Draw, n int) (lands []day.Boundary, made int) {
	runs := newRunners(h, p, today, draws)
	r := rand.New(rand.NewPCG(uint64(p.ID), 0x6261746f6e))
	lands = make([]day.Boundary, n)
	end := make([]day.Boundary, len(runs))
	for k := range n {
		whole := true
		for i := range runs {
			x := &runs[i]
			if end[i] = x.run(h.Calendar, end, r); x.final {
				lands[k] = max(lands[k], end[i])
				whole = whole && end[i] <= x.latest
			}
		}
		if whole {
			made++
		}
	}
	slices.Sort(lands)
	return lands, made
}

// runner is one leg made ready to be run many times over.
type runner struct {
	over, skipped bool
	end           day.Boundary // where it ended, if it is over
	start, least  day.Boundary // it does not start or end earlier
	before        []int        // the legs it waits for
	holder        *day.Calendar
	draw          Draw
	final         bool
	latest        day.Boundary // for a final leg, when it has to end
}

func newRunners(h *plan.Desk, p *relay.Piece, today day.Date, draws []Draw) []runner {
	now := h.Calendar.Start(today)
	first := h.Forward(p, today)
	out := make([]runner, len(p.Legs))
	for i := range p.Legs {
		l := &p.Legs[i]
		x := &out[i]
		x.over, x.skipped, x.end = l.State == relay.Passed, l.State == relay.Skipped, first.End[i]
		x.draw, x.holder = draws[i], h.Days(l.Holder)
		for k := range i {
			if l.WaitsFor(p.Legs[k].Key) {
				x.before = append(x.before, k)
			}
		}
		switch {
		case l.State == relay.Running:
			x.before, x.start, x.least = nil, first.Start[i], h.Calendar.End(today)
		case x.skipped && len(x.before) > 0: // it hands on the end of those before it
			x.start = -day.Never
		default:
			x.start = now
			if l.NotBefore != 0 {
				x.start = max(now, h.Calendar.Start(l.NotBefore))
			}
		}
		if x.final = p.Final(l.Key); x.final {
			x.latest = h.LastFinish(p, l)
		}
	}
	return out
}

// run gives where the leg ends in one run, those before it having ended.
func (x *runner) run(cal *day.Calendar, end []day.Boundary, r *rand.Rand) day.Boundary {
	if x.over {
		return x.end
	}
	start := x.start
	for _, b := range x.before {
		start = max(start, end[b])
	}
	if x.skipped {
		return start
	}
	return max(cal.Advance(start, int(x.draw(r)+0.5), x.holder), x.least)
}
