// Package route knows the way of a format: its legs, what each waits for, and
// whether the whole is a way that ends. A route is only a pattern; a piece on
// its way is in package relay.
package route

import (
	"fmt"
	"slices"
	"strings"
)

// Skip says whether a leg may be left out of a piece.
type Skip string

// The ways in which a leg can be left out.
const (
	SkipNever  Skip = ""         // it is always run
	SkipMay    Skip = "may"      // it is run unless somebody skips it
	SkipUnless Skip = "unless"   // it is skipped unless the piece is said to need it
	maxDays         = 250        // the longest allowance taken seriously, about a working year
	maxMinutes      = 60 * 1_000 // the largest effort of one leg
)

// Step is one line of a leg's checklist.
type Step struct {
	Text string `json:"text"`
	Must bool   `json:"must"` // it has to be ticked before the leg is passed
}

// Leg is one step of a route, run by one holder.
type Leg struct {
	Key       string   `json:"key"` // stable identity, also when the leg is renamed
	Name      string   `json:"name"`
	Role      string   `json:"role"`
	Usual     int64    `json:"usual,omitempty"` // the person who usually runs it; 0 leaves it open
	Allowance int      `json:"allowance"`       // working days it may take; 0 is a same-day leg
	Least     int      `json:"least"`           // working days it can be squeezed to
	Effort    int      `json:"effort"`          // minutes of work in it
	After     []string `json:"after,omitempty"` // the keys of the legs it waits for
	Skip      Skip     `json:"skip,omitempty"`
	Words     bool     `json:"words,omitempty"` // the copy must have the words asked for before it is passed
	Steps     []Step   `json:"steps,omitempty"`
}

// Route is the legs of a format.
type Route struct {
	Legs []Leg `json:"legs"`
}

// Fault names the leg at which a route cannot be run, and why.
type Fault struct{ Leg, Problem string }

func (f *Fault) Error() string {
	if f.Leg == "" {
		return f.Problem
	}
	return fmt.Sprintf("%s: %s", f.Leg, f.Problem)
}

// Check returns the route with its legs in an order in which each comes after
// all it waits for, otherwise as they were given. A *Fault names the leg with an
// unknown or repeated name, a figure out of range, or a cycle.
func (r Route) Check() (Route, error) {
	if len(r.Legs) == 0 {
		return r, &Fault{Problem: "a route needs at least one leg"}
	}
	at := map[string]int{}
	for i, l := range r.Legs {
		if err := l.check(); err != nil {
			return r, err
		}
		if _, twice := at[l.Key]; twice {
			return r, &Fault{l.Name, fmt.Sprintf("the key %q is used twice; each leg needs its own", l.Key)}
		}
		at[l.Key] = i
	}
	for _, l := range r.Legs {
		for _, k := range l.After {
			if _, ok := at[k]; !ok {
				return r, &Fault{l.Name, fmt.Sprintf("it waits for %q, and there is no such leg", k)}
			}
		}
	}
	return r.ordered(at)
}

func (l Leg) check() error {
	switch {
	case l.Key == "" || strings.ContainsAny(l.Key, ", "):
		return &Fault{l.Name, "a leg's key is a word without spaces or commas"}
	case strings.TrimSpace(l.Name) == "":
		return &Fault{l.Key, "give the leg a name"}
	case strings.TrimSpace(l.Role) == "":
		return &Fault{l.Name, "say which role runs it"}
	case l.Allowance < 0 || l.Allowance > maxDays:
		return &Fault{l.Name, fmt.Sprintf("the allowance lies between 0 and %d working days", maxDays)}
	case l.Least < 0 || l.Least > l.Allowance:
		return &Fault{l.Name, "the least lies between 0 and the allowance"}
	case l.Effort < 0 || l.Effort > maxMinutes:
		return &Fault{l.Name, fmt.Sprintf("the effort lies between 0 and %d hours", maxMinutes/60)}
	case l.Skip != SkipNever && l.Skip != SkipMay && l.Skip != SkipUnless:
		return &Fault{l.Name, fmt.Sprintf("%q is no way to skip a leg", l.Skip)}
	}
	return nil
}

// ordered sorts the legs by what they wait for (Kahn's method, always taking
// the first leg that is free, so that the given order is kept where it can be).
func (r Route) ordered(at map[string]int) (Route, error) {
	out := Route{Legs: make([]Leg, 0, len(r.Legs))}
	placed := make([]bool, len(r.Legs))
	free := func(l Leg) bool {
		return !slices.ContainsFunc(l.After, func(k string) bool { return !placed[at[k]] })
	}
	for len(out.Legs) < len(r.Legs) {
		next := -1
		for i, l := range r.Legs {
			if !placed[i] && free(l) {
				next = i
				break
			}
		}
		if next < 0 {
			stuck := slices.Index(placed, false)
			return r, &Fault{r.Legs[stuck].Name, "it waits, in a circle, for itself; take one of the legs it waits for away"}
		}
		placed[next] = true
		out.Legs = append(out.Legs, r.Legs[next])
	}
	return out, nil
}

// Longest gives the working days of the longest way through the legs that are
// run as a rule, those that are skipped unless needed left out.
func (r Route) Longest() int {
	end := map[string]int{}
	longest := 0
	for _, l := range r.Legs {
		start := 0
		for _, k := range l.After {
			start = max(start, end[k])
		}
		if l.Skip != SkipUnless {
			start += l.Allowance
		}
		end[l.Key] = start
		longest = max(longest, start)
	}
	return longest
}
