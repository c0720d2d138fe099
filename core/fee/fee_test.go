package fee

import (
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// The minor units of ISO 4217, list one, from memory: most have two decimals, some none, some three.
func TestCurrenciesHaveTheDecimalsOfISO4217(t *testing.T) {
	for code, digits := range map[string]int{"GBP": 2, "EUR": 2, "USD": 2, "CHF": 2, "JPY": 0, "KRW": 0, "ISK": 0, "CLP": 0, "VND": 0, "KWD": 3, "BHD": 3, "TND": 3, "JOD": 3, "OMR": 3, "SEK": 2, "INR": 2} {
		c, err := CurrencyOf(code, "")
		if err != nil || c.Digits != digits || c.Code != code {
			t.Errorf("%s: %+v, %v, want %d decimals", code, c, err, digits)
		}
	}
	for _, code := range []string{"XYZQ", "gb", "£", "GBPP", "12"} {
		if _, err := CurrencyOf(code, ""); !errors.Is(err, ErrCode) {
			t.Errorf("%q: %v", code, err)
		}
	}
}

func TestAmountsAreWrittenAndReadAlike(t *testing.T) {
	rng := rand.New(rand.NewPCG(20, 1))
	for _, code := range []string{"GBP", "JPY", "KWD", ""} {
		c, err := CurrencyOf(code, map[string]string{"GBP": "£", "JPY": "¥"}[code])
		if err != nil {
			t.Fatal(err)
		}
		for range 2000 {
			n := rng.Int64N(Most)
			for _, s := range []string{c.Say(n), c.Full(n), c.Plain(n)} {
				if got, err := c.Read(s); err != nil || got != n {
					t.Fatalf("%s: %d is written %q, and read %d, %v", code, n, s, got, err)
				}
			}
		}
	}
	gbp, _ := CurrencyOf("GBP", "£")
	for _, x := range []struct {
		typed string
		want  int64
		err   error
	}{{"180", 18000, nil}, {"£12.50", 1250, nil}, {"GBP 1,180.00", 118000, nil}, {"0", 0, nil}, {"12.5055", 0, ErrFine}, {"-3", 0, ErrBelow}, {"99999999999", 0, ErrMuch}} {
		if got, err := gbp.Read(x.typed); got != x.want || !errors.Is(err, x.err) {
			t.Errorf("%q: %d, %v", x.typed, got, err)
		}
	}
	if got, err := gbp.ReadRate("0.155"); err != nil || got != 1550 {
		t.Errorf("a rate of 15½ p: %d, %v", got, err)
	}
	if s := gbp.Rate(1550) + " " + gbp.Rate(1500) + " " + gbp.Say(-6230) + " " + gbp.Full(18000); s != "£0.155 £0.15 −£62.30 £180.00" {
		t.Error(s)
	}
}

// The examples of ROUND_HALF_EVEN and ROUND_HALF_UP are those of the Decimal Arithmetic FAQ and of
// the Python documentation of decimal: 2.5 and 3.5, −2.5, 1.25 to a tenth (from memory).
func TestHalvesAreRoundedAsTheDeskSays(t *testing.T) {
	for _, x := range []struct {
		num, den         int64
		even, commercial int64
	}{{5, 2, 2, 3}, {7, 2, 4, 4}, {-5, 2, -2, -3}, {1, 2, 0, 1}, {3, 2, 2, 2}, {125, 10, 12, 13}, {135, 10, 14, 14}, {249, 100, 2, 2}, {251, 100, 3, 3}, {4, 2, 2, 2}, {0, 7, 0, 0}} {
		r := big.NewRat(x.num, x.den)
		if e, c := Even.Round(r), Commercial.Round(r); e != x.even || c != x.commercial {
			t.Errorf("%d/%d: %d and %d, want %d and %d", x.num, x.den, e, c, x.even, x.commercial)
		}
	}
}

// What work comes to is the same as Python's fractions and decimal modules work out, for 3,000 random
// agreements; testdata/owed.py writes them.
func TestWhatIsOwedIsAsAnotherProgramWorksItOut(t *testing.T) {
	file, err := os.Open("testdata/owed.json.gz")
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	z, err := gzip.NewReader(file)
	if err != nil {
		t.Fatal(err)
	}
	var all [][12]any
	if err := json.NewDecoder(z).Decode(&all); err != nil || len(all) != 3000 {
		t.Fatal(len(all), err)
	}
	for _, x := range all {
		n := func(i int) int { return int(x[i].(float64)) }
		terms := Terms{Per: Per(x[0].(string)), Rate: int64(n(1)), Least: int64(n(2)), Most: int64(n(3))}
		work := Work{Words: n(4), Asked: n(5), Beyond: n(6) == 1, Minutes: n(7), Share: n(8), Times: n(9)}
		if got := terms.Owed(work, Rounding(x[10].(string))); got != int64(n(11)) {
			t.Errorf("%v: %d", x, got)
		}
	}
}

func TestTheNearestRateWins(t *testing.T) {
	rules := []Rule{
		{ID: 1}, {ID: 2, Format: 1}, {ID: 3, Role: "writer"}, {ID: 4, Role: "writer", Format: 1}, {ID: 5, Leg: "Draft"}, {ID: 6, Person: 7}, {ID: 7, Person: 7, Format: 1}, {ID: 8, Person: 7, Leg: "Draft"}, {ID: 9, Leg: "Draft", Format: 1},
	}
	for _, x := range []struct {
		asked Asked
		want  ref.Rate
	}{
		{Asked{Person: 7, Leg: "draft", Role: "writer", Format: 1, ForFees: true}, 8},
		{Asked{Person: 7, Leg: "Edit", Role: "editor", Format: 1, ForFees: true}, 7},
		{Asked{Person: 7, Leg: "Edit", Role: "editor", Format: 2, ForFees: true}, 6},
		{Asked{Person: 8, Leg: "Draft", Role: "writer", Format: 1, ForFees: true}, 9},
		{Asked{Person: 8, Leg: "Draft", Role: "writer", Format: 2, ForFees: true}, 5},
		{Asked{Person: 8, Leg: "Notes", Role: "writer", Format: 1, ForFees: true}, 4},
		{Asked{Person: 8, Leg: "Notes", Role: "writer", Format: 2, ForFees: true}, 3},
		{Asked{Person: 8, Leg: "Notes", Role: "baker", Format: 1, ForFees: true}, 2},
		{Asked{Person: 8, Leg: "Notes", Role: "baker", Format: 2, ForFees: true}, 1},
		{Asked{Person: 7, Leg: "Notes", Role: "baker", Format: 2}, 6},
		{Asked{Person: 8, Leg: "Draft", Role: "writer", Format: 1}, 0},
	} {
		if got, ok := Nearest(rules, x.asked); got.ID != x.want || ok != (x.want != 0) {
			t.Errorf("%+v: %d, want %d", x.asked, got.ID, x.want)
		}
	}
}

func TestAStatementIsDueOnAWorkingDay(t *testing.T) {
	d := func(s string) day.Date { x, _ := day.ParseDate(s); return x }
	cal := day.NewCalendar(day.Weekdays{false, true, true, true, true, true, false}, []day.Date{d("2026-12-25"), d("2026-12-28")})
	for made, due := range map[string]string{"2026-11-16": "2026-12-16", "2026-11-25": "2026-12-29", "2026-11-05": "2026-12-07"} {
		if got := DueOn(d(made), 30, cal); got != d(due) {
			t.Errorf("made %s, due %s, want %s", made, got, due)
		}
	}
}

// What becomes of a fee of 1 for the leg in the middle, by how the piece is and who did it.
func TestWhatBecomesOfAFee(t *testing.T) {
	terms := Terms{Per: Piece, Rate: 100}
	agree := func(l *relay.Leg) (Terms, bool) { return terms, l.Key == "draft" }
	old := Line{ID: 1, Leg: "draft", Person: 1, Kind: ForWork, State: Agreed, Begun: true, Runs: 1, Times: 1, Terms: terms}
	legs := func(states ...relay.State) relay.Piece {
		p := relay.Piece{Stage: relay.UnderWay, Legs: []relay.Leg{{Key: "brief", Holder: 2, Run: 1}, {Key: "draft", After: "brief", Holder: 1, Run: 1}, {Key: "edit", After: "draft", Holder: 2, Run: 1}, {Key: "copy", After: "edit", Holder: 2, Run: 1}}}
		for i, s := range states {
			p.Legs[i].State = s
		}
		return p
	}
	const w, r, p, s = relay.Waiting, relay.Running, relay.Passed, relay.Skipped
	for name, x := range map[string]struct {
		piece  relay.Piece
		change func(*relay.Piece)
		was    []Line
		actor  ref.Person
		want   string
	}{
		"it is given":                        {piece: legs(r, w, w, w), want: "1 work agreed"},
		"it was passed before it was agreed": {piece: legs(p, p, r, w), want: ""},
		"it runs":                            {piece: legs(p, r, w, w), was: []Line{old}, want: "1 work agreed"},
		"it is passed":                       {piece: legs(p, p, r, w), was: []Line{old}, want: "1 work agreed"},
		"the next is passed":                 {piece: legs(p, p, p, r), was: []Line{old}, want: "1 work accepted"},
		"the next is skipped":                {piece: legs(p, p, s, r), was: []Line{old}, want: "1 work agreed"},
		"the one after it is passed":         {piece: legs(p, p, s, p), was: []Line{old}, want: "1 work accepted"},
		"the piece is out":                   {piece: legs(p, p, s, s), change: func(p *relay.Piece) { p.Stage, p.OutAt = relay.Out, 7 }, was: []Line{old}, want: "1 work accepted"},
		"it was out and is withdrawn":        {piece: legs(p, p, s, s), change: func(p *relay.Piece) { p.Stage, p.OutAt = relay.Withdrawn, 7 }, was: []Line{old}, want: "1 work accepted"},
		"it is not used":                     {piece: legs(p, p, s, s), change: func(p *relay.Piece) { p.Stage = relay.Withdrawn }, was: []Line{old}, want: "1 unused accepted"},
		"somebody takes it from them":        {piece: legs(p, r, w, w), change: func(p *relay.Piece) { p.Legs[1].Holder = 0 }, was: []Line{old}, actor: 2, want: "1 unused accepted"},
		"they give it up":                    {piece: legs(p, r, w, w), change: func(p *relay.Piece) { p.Legs[1].Holder = 0 }, was: []Line{old}, actor: 1, want: ""},
		"it lay and went back by itself":     {piece: legs(p, r, w, w), change: func(p *relay.Piece) { p.Legs[1].Holder = 0 }, was: []Line{old}, want: ""},
	} {
		if x.change != nil {
			x.change(&x.piece)
		}
		var got []string
		for _, l := range Follow(&x.piece, x.was, x.actor, Policy{Unused: 50}, agree) {
			got = append(got, fmt.Sprint(l.Person, " ", l.Kind, " ", l.State))
		}
		if strings.Join(got, ", ") != x.want {
			t.Errorf("%s: %v, want %q", name, got, x.want)
		}
	}
}

// Whatever is done to a piece, fees that are checked or in a statement stay; nobody has two open fees
// for one run of a leg; what follows twice follows the same; and when all is taken back, what is open
// is as it was.
func TestFeesFollowWhateverIsDone(t *testing.T) {
	terms := Terms{Per: Piece, Rate: 10_000}
	agree := func(l *relay.Leg) (Terms, bool) { return terms, l.Holder < 4 } // 4 is on the staff
	for seed := range uint64(400) {
		rng := rand.New(rand.NewPCG(seed, 20))
		policy := Policy{Unused: 50, Rework: []int{0, 40, 100}[rng.IntN(3)]}
		p := relay.Piece{ID: 1, Stage: relay.UnderWay, Legs: []relay.Leg{{Key: "brief", State: relay.Running, Run: 1, Holder: 4}, {Key: "draft", After: "brief", State: relay.Waiting, Holder: 1}, {Key: "edit", After: "draft", State: relay.Waiting, Holder: 2}}}
		var lines []Line
		next := ref.Fee(0)
		store := func(actor ref.Person) {
			lines = Follow(&p, lines, actor, policy, agree)
			for i := range lines {
				if lines[i].ID == 0 {
					next++
					lines[i].ID = next
				}
			}
		}
		store(4)
		for range 60 {
			settledBefore := slices.DeleteFunc(slices.Clone(lines), func(x Line) bool { return x.State != Checked && x.State != Stated })
			actor := ref.Person(1 + rng.IntN(5))
			l := &p.Legs[rng.IntN(len(p.Legs))]
			i := slices.IndexFunc(p.Legs, func(x relay.Leg) bool { return x.Key == l.Key })
			before, was := clone(p), slices.Clone(lines)
			act := rng.IntN(9)
			switch act {
			case 0, 1, 2: // pass
				if l.State == relay.Running {
					l.State = relay.Passed
					if i < len(p.Legs)-1 && p.Legs[i+1].State == relay.Waiting {
						p.Legs[i+1].State, p.Legs[i+1].Run = relay.Running, p.Legs[i+1].Run+1
					}
				}
			case 3: // send back to it
				if l.State == relay.Passed {
					l.State, l.Run = relay.Running, l.Run+1
					for k := i + 1; k < len(p.Legs); k++ {
						p.Legs[k].State = relay.Waiting
					}
				}
			case 4: // give
				if l.State != relay.Passed {
					l.Holder = ref.Person(rng.IntN(5))
				}
			case 5: // withdraw, or take that back
				p.Stage = map[relay.Stage]relay.Stage{relay.UnderWay: relay.Withdrawn, relay.Withdrawn: relay.UnderWay}[p.Stage]
			case 6: // check
				for k := range lines {
					if lines[k].State == Accepted && rng.IntN(2) == 0 {
						lines[k].State = Checked
					}
				}
			case 8: // a route that has lost a leg
				if rng.IntN(12) == 0 && len(p.Legs) == 3 && p.Legs[0].State == relay.Passed {
					p.Legs = slices.Clone(p.Legs[1:])
					p.Legs[0].After = ""
				}
			case 7:
				for k := range lines {
					if lines[k].State == Checked {
						lines[k].State = Stated
					}
				}
			}
			store(actor)
			for _, s := range settledBefore {
				if !slices.ContainsFunc(lines, func(x Line) bool {
					return x.ID == s.ID && x.Terms == s.Terms && x.Kind == s.Kind && x.Person == s.Person && x.Runs == s.Runs
				}) {
					t.Fatalf("seed %d: fee %+v that was settled is lost: %+v", seed, s, lines)
				}
			}
			for _, x := range was { // nothing but taking back takes away what was accepted
				if x.State == Accepted && act != 0 && act != 1 && act != 2 && !slices.ContainsFunc(lines, func(y Line) bool {
					return y.ID == x.ID && y.State != Agreed && (y.Kind == x.Kind || x.Kind == ForUnused)
				}) {
					if x.Kind == ForUnused && (act == 4 || act == 5) {
						continue // it is used after all
					}
					t.Fatalf("seed %d, act %d: %+v was accepted and is gone:\n%+v\n%+v", seed, act, x, was, lines)
				}
			}
			seen := map[string]bool{}
			for _, x := range lines {
				if x.Person == 4 || x.Person == 0 {
					t.Fatalf("seed %d: who is not paid has a fee: %+v", seed, x)
				}
				k := fmt.Sprint(x.Leg, x.Person, x.Kind, x.Runs)
				if x.State == Agreed || x.State == Accepted {
					if seen[k] {
						t.Fatalf("seed %d: two open fees: %+v", seed, lines)
					}
					seen[k] = true
				}
			}
			twice := Follow(&p, slices.Clone(lines), actor, policy, agree)
			if !same(twice, lines) {
				t.Fatalf("seed %d: what follows twice is otherwise:\n%+v\n%+v", seed, lines, twice)
			}
			if checked := slices.ContainsFunc(lines, func(x Line) bool { return !slices.Contains(was, x) && x.State != Agreed && x.State != Accepted }); !checked && rng.IntN(3) == 0 { // taken back
				p = before
				store(actor)
				for _, x := range was {
					if x.State == Accepted && x.Person != actor && !slices.ContainsFunc(lines, func(y Line) bool {
						return y.Leg == x.Leg && y.Person == x.Person && y.Kind == x.Kind && y.State == Accepted
					}) {
						t.Fatalf("seed %d: after it was taken back %+v is gone:\n%+v\n%+v", seed, x, was, lines)
					}
				}
			}
		}
	}
}

func clone(p relay.Piece) relay.Piece {
	p.Legs = slices.Clone(p.Legs)
	return p
}

func same(x, y []Line) bool {
	key := func(l Line) string { return fmt.Sprintf("%+v", l) }
	var a, b []string
	for _, l := range x {
		a = append(a, key(l))
	}
	for _, l := range y {
		b = append(b, key(l))
	}
	slices.Sort(a)
	slices.Sort(b)
	return slices.Equal(a, b)
}

// A budget is used by what is spent, promised and likely of what it is for, and by nothing else.
func TestWhatABudgetIsUsedBy(t *testing.T) {
	d := func(s string) day.Date { x, _ := day.ParseDate(s); return x }
	all := []Money{{Day: d("2026-11-02"), Amount: 100, Step: Paid, Format: 1, Channel: 1, Campaign: 0}, {Day: d("2026-11-30"), Amount: 20, Step: ToCheck, Format: 2, Channel: 1, Campaign: 9}, {Day: d("2026-12-01"), Amount: 7, Step: Promised, Format: 1, Channel: 1, Campaign: 9}, {Day: d("2026-11-15"), Amount: 3, Step: Likely, Format: 1, Channel: 2, Campaign: 0}}
	from, to := Monthly.Around(d("2026-11-26"))
	if u := UseOf(all, Scope{}, from, to); u != (Use{Paid: 100, ToCheck: 20, Likely: 3}) || u.Spent() != 120 || u.All() != 123 {
		t.Error(u)
	}
	if u := UseOf(all, Scope{Format: 1, Channel: 2}, from, to); u.All() != 3 {
		t.Error(u)
	}
	from, to = Quarterly.Around(d("2026-11-26"))
	if u := UseOf(all, Scope{Campaign: 9}, from, to); from != d("2026-10-01") || to != d("2026-12-31") || u.All() != 27 {
		t.Error(from, to, u)
	}
}
