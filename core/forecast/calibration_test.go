package forecast

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// takes gives how many days a leg takes in truth.
type takes func(r *rand.Rand, allowance int) int

// lognormal is how long work takes by common practice (no source): mostly about what was
// allowed, at times much more.
func lognormal(sigma float64) takes {
	return func(r *rand.Rand, allowance int) int {
		return max(1, int(0.9*math.Exp(sigma*r.NormFloat64())*float64(allowance)+0.5))
	}
}

func triangular(r *rand.Rand, allowance int) int {
	return max(1, int(Triangle(1, float64(allowance), 2*float64(allowance))(r)+0.5))
}

// lasting is work that is mostly in time, and otherwise goes on from day to day.
func lasting(r *rand.Rand, allowance int) int {
	if r.IntN(3) > 0 {
		return 1 + r.IntN(allowance)
	}
	return int(Lasting(allowance, 0.25)(r))
}

// said is one piece: what was said of its chance, and whether it made its day.
type said struct {
	chance        float64
	made, overdue bool
}

// watch runs pieces of three legs in truth, stops on a day in the middle, and asks.
func watch(takes takes, history, pieces int) []said {
	r := rand.New(rand.NewPCG(4, 17))
	h := &plan.Desk{Calendar: day.NewCalendar(everyDay, nil), Zone: time.UTC}
	var out []said
	for len(out) < pieces {
		p := relay.Piece{ID: ref.Piece(len(out) + 1), Stage: relay.UnderWay}
		finished := map[string][]float64{}
		start, landed, planned := today-40, today-40, 0
		for i := range 3 {
			l := relay.Leg{Position: i, Key: string(rune('a' + i)), Allowance: 2 + r.IntN(6), Least: 1, Holder: 1, State: relay.Waiting}
			if i > 0 {
				l.After = string(rune('a' + i - 1))
			}
			for range history {
				finished[l.Key] = append(finished[l.Key], float64(takes(r, l.Allowance))/float64(l.Allowance))
			}
			p.Legs = append(p.Legs, l)
			planned += l.Allowance
		}
		start = today - day.Date(r.IntN(2*planned))
		landed = start
		overdue, running := false, false
		for i := range p.Legs {
			l := &p.Legs[i]
			from := landed
			landed += day.Date(takes(r, l.Allowance))
			switch {
			case landed <= today:
				l.State, l.StartDay, l.EndDay = relay.Passed, from, landed-1
			case from <= today:
				l.State, l.StartDay, running = relay.Running, from, true
				overdue = today-from >= day.Date(l.Allowance)
			}
		}
		if !running {
			continue // it was done by then
		}
		goesOut := start + day.Date(float64(planned)*(0.8+0.7*r.Float64()))
		p.GoesOut = day.Wall(goesOut, 480, time.UTC)
		f := Of(h, &p, today, func(l *relay.Leg) []float64 { return finished[l.Key] })
		out = append(out, said{f.Chance, landed <= goesOut, overdue})
	}
	return out
}

// calibration sums up what was said by tenths, what came true, and how far that is off, in
// standard errors.
func calibration(all []said, overdue bool) (lines []string, worst float64) {
	for tenth := range 10 {
		n, said, made := 0, 0.0, 0
		for _, s := range all {
			if min(9, int(s.chance*10)) == tenth && (s.overdue || !overdue) {
				n, said = n+1, said+s.chance
				if s.made {
					made++
				}
			}
		}
		if n < 30 {
			continue
		}
		p, came := said/float64(n), float64(made)/float64(n)
		noise := math.Sqrt(max(p*(1-p), 0.01) / float64(n))
		if off := (came - p) / noise; math.Abs(off) > math.Abs(worst) {
			worst = off
		}
		lines = append(lines, fmt.Sprintf("| %d–%d %% | %d | %.0f %% | %.0f %% |", tenth*10, tenth*10+10, n, 100*p, 100*came))
	}
	return lines, worst
}

// Of what is said with p, p comes true, within the noise; also of pieces of which a leg is
// overdue. With UPDATE=1 the table in docs is written anew.
func TestWhatIsSaidComesTrueAsOften(t *testing.T) {
	const file = "../../docs/calibration.md"
	text := "# How often what is foreseen comes true\n\nPieces of three legs are run in truth, stopped on a day in the middle, and the forecast is asked how likely they make their day. " +
		"The table says, by tenths of what was said, how many pieces there were, what was said on average, and how many made it. `core/forecast/calibration_test.go` makes it.\n"
	for _, x := range []struct {
		name            string
		takes           takes
		history, pieces int
	}{
		{"Legs take what they took before: 200 finished runs of each, mostly in time, at times three times as long", lognormal(0.5), 200, 3000},
		{"The same, scattered less", lognormal(0.25), 200, 3000},
		{"Legs that are late stay late from day to day: 200 finished runs of each", lasting, 200, 3000},
		{"No finished runs: legs take between one day and twice their days", triangular, 0, 3000},
	} {
		all := watch(x.takes, x.history, x.pieces)
		for _, overdue := range []bool{false, true} {
			lines, worst := calibration(all, overdue)
			what := "all"
			if overdue {
				what = "those with an overdue leg"
			}
			text += fmt.Sprintf("\n## %s: %s\n\n| said | pieces | on average | came true |\n|---|---|---|---|\n%s\n", x.name, what, strings.Join(lines, "\n"))
			if math.Abs(worst) > 3.5 {
				t.Errorf("%s, %s: off by %.1f standard errors\n%s", x.name, what, worst, strings.Join(lines, "\n"))
			}
		}
	}
	if os.Getenv("UPDATE") != "" {
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if is, err := os.ReadFile(file); err != nil || string(is) != text {
		t.Errorf("docs/calibration.md is not what is measured; write it anew with UPDATE=1: %v", err)
	}
}
