// Package forecast says how likely a piece makes its day, from how long its legs
// took before.
//
// A piece is run many times over: each leg that is not over takes its days times
// a share drawn from the finished runs of that leg on its desk, and one that runs
// already a share of those that took longer than it has run so far. The same input
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
func Triangle(low, mode, high float64) Draw { return TriangleBeyond(low, mode, high, low) }

// TriangleBeyond draws from the part of the triangular distribution that lies
// beyond a value, which is below high.
func TriangleBeyond(low, mode, high, beyond float64) Draw {
	if high <= low {
		return func(*rand.Rand) float64 { return low }
	}
	cut, from := (mode-low)/(high-low), 0.0
	switch {
	case beyond > mode:
		from = 1 - (high-beyond)*(high-beyond)/((high-low)*(high-mode))
	case beyond > low:
		from = (beyond - low) * (beyond - low) / ((high - low) * (mode - low))
	}
	return func(r *rand.Rand) float64 {
		u := from + (1-from)*r.Float64()
		if u < cut {
			return low + math.Sqrt(u*(high-low)*(mode-low))
		}
		return high - math.Sqrt((1-u)*(high-low)*(high-mode))
	}
}

// Lasting draws for a leg that has run so many days and ends on each day that
// comes, the first of them included, with the same chance.
func Lasting(sofar int, chance float64) Draw {
	return func(r *rand.Rand) float64 {
		days := sofar + 1
		for r.Float64() >= chance && days < sofar+longest {
			days++
		}
		return float64(days)
	}
}

// longest is how many more days a leg lasts at most.
const longest = 500

// ends gives with which chance a leg that has run beyond its days ends on the next
// one: of its finished runs, those that did by the days they were beyond. Without
// any it is one half.
func ends(shares []float64, need float64) float64 {
	n, days := 0, 0
	for _, s := range shares {
		if d := int(s*need+0.5) - int(need); d > 0 {
			n, days = n+1, days+d
		}
	}
	if n == 0 {
		return 0.5
	}
	return float64(n) / float64(days)
}

// Shares draws one of the shares, actual days by allowance, and takes it of days.
func Shares(shares []float64, days int) Draw {
	return func(r *rand.Rand) float64 { return shares[r.IntN(len(shares))] * float64(days) }
}

// For gives how the days of a leg are drawn that has run some days so far, today not
// counted: from its finished runs that took longer if there are enough, otherwise
// between its least and twice its days, and beyond that day by day. It reports
// whether they are drawn from finished runs.
func For(l *relay.Leg, shares []float64, sofar int) (Draw, bool) {
	need := float64(l.Need())
	if len(shares) >= Least {
		longer := shares
		if sofar > 0 {
			longer = slices.DeleteFunc(slices.Clone(shares), func(s float64) bool { return int(s*need+0.5) <= sofar })
		}
		if len(longer) >= Least {
			return Shares(longer, l.Need()), true
		}
	}
	beyond := 0.0
	if sofar > 0 {
		beyond = float64(sofar) + 0.5 // rounded it is longer
	}
	if beyond > 0 && beyond >= 2*need {
		return Lasting(sofar, ends(shares, need)), len(shares) >= Least
	}
	return TriangleBeyond(min(float64(l.Least), need), need, 2*need, beyond), false
}

// Sofar gives how many working days of its holder a running leg has run before
// today; none for one that nobody holds.
func Sofar(h *plan.Desk, l *relay.Leg, today day.Date) int {
	if l.State != relay.Running || l.Holder == 0 || l.From() >= today {
		return 0
	}
	cal := h.Days(l.Holder)
	if cal == nil || cal.Empty() {
		cal = h.Calendar
	}
	return cal.Count(l.From(), today)
}

// Forecast is how likely a piece makes its day, and when it is ready.
type Forecast struct {
	Chance  float64        // of making its day, 0 to 1; 0 without a day
	Kept    []Kept         // of keeping due dates set by hand that are tighter than its day
	Days    [3]day.Date    // the earliest days on which it could go out with a chance of 50, 80 and 95 %; no date for never
	Lands   []day.Boundary // where each run landed, ascending
	Learned int            // how many of its legs drew from finished runs
}

// Kept is how likely a leg that is not over keeps a due date set by hand.
type Kept struct {
	Leg    string // its key
	Chance float64
}

// Levels are the chances that Forecast.Days belong to.
var Levels = [3]float64{0.5, 0.8, 0.95}

// Of runs a piece from today. Shares gives the finished runs of one of its legs on
// its desk: the days it took by the days it was allowed.
func Of(h *plan.Desk, p *relay.Piece, today day.Date, shares func(*relay.Leg) []float64) Forecast {
	draws, learned := drawsOf(h, p, today, shares)
	out := Forecast{Learned: learned}
	lands, made, kept := simulate(h, p, today, draws, Runs)
	out.Lands = lands
	for i, n := range kept {
		if n >= 0 {
			out.Kept = append(out.Kept, Kept{p.Legs[i].Key, float64(n) / Runs})
		}
	}
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

// Lands runs a piece from today so many times, and gives where each run landed, ascending: for sums over
// many pieces, where fewer runs of each are enough.
func Lands(h *plan.Desk, p *relay.Piece, today day.Date, shares func(*relay.Leg) []float64, runs int) []day.Boundary {
	draws, _ := drawsOf(h, p, today, shares)
	lands, _, _ := simulate(h, p, today, draws, runs)
	return lands
}

// drawsOf gives how the days of each leg that is not over are drawn, and how many of them draw from
// finished runs.
func drawsOf(h *plan.Desk, p *relay.Piece, today day.Date, shares func(*relay.Leg) []float64) (draws []Draw, learned int) {
	draws = make([]Draw, len(p.Legs))
	for i := range p.Legs {
		l := &p.Legs[i]
		if l.Done() {
			continue
		}
		draw, from := For(l, shares(l), Sofar(h, l, today))
		if draws[i] = draw; from {
			learned++
		}
	}
	return draws, learned
}

// Simulate runs a piece n times with the days drawn for each leg that is not
// over, and gives where it landed, ascending, and how often it made its day.
func Simulate(h *plan.Desk, p *relay.Piece, today day.Date, draws []Draw, n int) (lands []day.Boundary, made int) {
	lands, made, _ = simulate(h, p, today, draws, n)
	return lands, made
}

// simulate gives, besides, how often each leg kept a due date set by hand that is
// tighter than the day; -1 for the others.
func simulate(h *plan.Desk, p *relay.Piece, today day.Date, draws []Draw, n int) (lands []day.Boundary, made int, kept []int) {
	runs := newRunners(h, p, today, draws)
	kept = make([]int, len(runs))
	for i := range runs {
		if runs[i].pin == 0 {
			kept[i] = -1
		}
	}
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
			if x.pin != 0 && end[i] <= x.pin {
				kept[i]++
			}
		}
		if whole {
			made++
		}
	}
	slices.Sort(lands)
	return lands, made, kept
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
	latest        day.Boundary // for a final leg, when it has to end for the day
	pin           day.Boundary // by when it has to end as somebody said, if that is earlier than for the day
}

func newRunners(h *plan.Desk, p *relay.Piece, today day.Date, draws []Draw) []runner {
	now := h.Calendar.Start(today)
	first := h.Forward(p, today)
	out := make([]runner, len(p.Legs))
	ready, byDay := day.Never, make([]plan.Finish, len(p.Legs))
	if p.GoesOut != 0 {
		ready = h.Ready(p.GoesOut.Date(h.Zone))
		free := slices.Clone(p.Legs)
		for i := range free {
			free[i].Pin = 0
		}
		byDay = h.Backward(free, ready)
	}
	for i := range p.Legs {
		l := &p.Legs[i]
		x := &out[i]
		if l.Pin != 0 && !l.Done() && (p.GoesOut == 0 || h.Calendar.End(l.Pin) < byDay[i].Finish) {
			x.pin = h.Calendar.End(l.Pin)
		}
		x.over, x.skipped, x.end = l.State == relay.Passed, l.State == relay.Skipped, first.End[i]
		x.draw, x.holder = draws[i], h.Days(l.Holder)
		for k := range i {
			if l.WaitsFor(p.Legs[k].Key) {
				x.before = append(x.before, k)
			}
		}
		switch {
		case l.State == relay.Running:
			x.before, x.start, x.least = nil, h.Counts(l, now), h.Calendar.End(today)
		case x.skipped && len(x.before) > 0: // it hands on the end of those before it
			x.start = -day.Never
		default:
			x.start = now
			if l.NotBefore != 0 {
				x.start = max(now, h.Calendar.Start(l.NotBefore))
			}
		}
		if x.final = p.Final(l.Key); x.final {
			x.latest = ready
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
