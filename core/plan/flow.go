package plan

import "slices"

// Flow is how a leg usually runs, from its finished runs.
type Flow struct {
	Runs  int     // how many are on record
	Usual float64 // working days a run usually takes, the median
	Mean  float64 // and on average
	Rate  float64 // pieces passed on each working day, lately
}

// fewest is how many finished runs it takes to say what is usual.
const fewest = 8

// NewFlow works out how a leg runs from the working days of its finished runs, and how
// many of them ended in the last so many working days.
func NewFlow(days []float64, ended, within int) Flow {
	f := Flow{Runs: len(days)}
	if f.Runs == 0 || within <= 0 {
		return f
	}
	sorted := slices.Clone(days)
	slices.Sort(sorted)
	f.Usual = (sorted[(len(sorted)-1)/2] + sorted[len(sorted)/2]) / 2
	for _, d := range days {
		f.Mean += d / float64(len(days))
	}
	f.Rate = float64(ended) / float64(within)
	return f
}

// Expect gives how many pieces are usually at the leg at once: by Little's law those
// that come on a day times the days that one stays (J. D. C. Little, A Proof for the
// Queuing Formula L = λW, Operations Research 9, 1961).
func (f Flow) Expect() float64 { return f.Rate * f.Mean }

// PilesUp reports whether so many pieces at the leg at once are clearly more than usual:
// three at least, and half as many again as usual.
func (f Flow) PilesUp(now int) bool {
	return f.Runs >= fewest && now >= 3 && float64(now) >= 1.5*f.Expect()
}

// Known reports whether there are enough runs to say what is usual.
func (f Flow) Known() bool { return f.Runs >= fewest }
