// Package route knows the way of a format: its legs, what each waits for, and
// whether the whole is a way that ends. A route is only a pattern; a piece on
// its way is in package relay.
package route

import (
	"fmt"
	"greenbaton/core/ref"
	"slices"
	"strings"
)

// Skip says whether a leg may be left out of a piece.
type Skip string

// The ways in which a leg can be left out.
const (
	SkipNever  Skip = ""       // it is always run
	SkipMay    Skip = "may"    // it is run unless somebody skips it
	SkipUnless Skip = "unless" // it is skipped unless the piece is said to need it
)

// The largest figures of one leg that are taken seriously.
const (
	MaxDays    = 250        // working days, about a year of them
	MaxMinutes = 60 * 1_000 // of effort
	MaxLegs    = 40         // legs of a route
)

// Who runs a leg as a rule, where that is no particular person.
const (
	LastInSeries ref.Person = -1 // whoever ran it the last time
	MostRoom     ref.Person = -2 // whoever fits best when the piece is made
)

// Step is one line of a leg's checklist.
type Step struct {
	Text   string `json:"text"`
	Must   bool   `json:"must"`             // it has to be ticked before the leg is passed
	Role   string `json:"role,omitempty"`   // the role or the person who does it, when not the leg's holder
	Before int    `json:"before,omitempty"` // working days before the leg is due by which it is done
}

// Leg is one step of a route, run by one holder.
type Leg struct {
	Key       string     `json:"key"` // stable identity, also when the leg is renamed
	Name      string     `json:"name"`
	Role      string     `json:"role"`
	Usual     ref.Person `json:"usual,omitempty"`  // the person who usually runs it, LastInSeries or MostRoom; 0 leaves it open
	Allowance int        `json:"allowance"`        // working days it may take; 0 is a same-day leg
	Least     int        `json:"least"`            // working days it can be squeezed to
	Effort    int        `json:"effort"`           // minutes of work in it
	After     []string   `json:"after,omitempty"`  // the keys of the legs it waits for
	Beside    bool       `json:"beside,omitempty"` // it may run side by side with them when time is short
	Skip      Skip       `json:"skip,omitempty"`
	When      string     `json:"when,omitempty"`     // for SkipUnless: the key of the field that says whether it is needed
	Is        string     `json:"is,omitempty"`       // and the value with which it is
	Words     bool       `json:"words,omitempty"`    // the copy must have the words asked for before it is passed
	Proposes  bool       `json:"proposes,omitempty"` // a freelancer who runs it proposes changes to the copy instead of making them
	SignOff   bool       `json:"sign_off,omitempty"` // passing it signs the copy off; what is changed later is proposed
	Review    Review     `json:"review,omitzero"`    // of a leg that signs off
	Requires  []string   `json:"requires,omitempty"` // the keys of the fields that are filled in before it is passed
	Steps     []Step     `json:"steps,omitempty"`
	Makes     ref.Format `json:"makes,omitempty"` // of a leg after release: the format of a piece that it begins
}

// Review says whose verdicts a leg waits for that signs the copy off.
type Review struct {
	By      []ref.Person `json:"by,omitempty"`       // people; none: its holder alone
	Need    int          `json:"need,omitempty"`     // how many yes; 0 is all
	InOrder bool         `json:"in_order,omitempty"` // one after the other
	Again   bool         `json:"again,omitempty"`    // what is changed later needs a new one
	Back    string       `json:"back,omitempty"`     // the key of the leg to which it is sent back; none: where the copy was written
}

// Route is the legs of a format.
type Route struct {
	Legs  []Leg `json:"legs"`
	After []Leg `json:"after,omitempty"` // run when a piece is out, within their allowance from that day on
}

// Fault names the leg at which a route cannot be run, and why.
type Fault struct {
	Leg, Problem string
	Key          string // of the leg
	Field        string // of the leg that is wrong: name, role, days, least, effort, after, skip or steps
}

func (f *Fault) Error() string {
	if f.Leg == "" {
		return strings.ToUpper(f.Problem[:1]) + f.Problem[1:] + "."
	}
	return fmt.Sprintf("%s: %s.", f.Leg, f.Problem)
}

// Check returns the route with its legs in an order in which each comes after
// all it waits for, otherwise as they were given. A *Fault names the leg with an
// unknown or repeated name, a figure out of range, or no way to the end.
func (r Route) Check() (Route, error) {
	switch {
	case len(r.Legs) == 0:
		return r, &Fault{Problem: "a route needs at least one leg"}
	case len(r.Legs) > MaxLegs:
		return r, &Fault{Problem: fmt.Sprintf("a route has at most %d legs", MaxLegs)}
	}
	at := map[string]int{}
	always := false
	for i, l := range r.Legs {
		if err := l.check(); err != nil {
			return r, err
		}
		if _, twice := at[l.Key]; twice {
			return r, l.fault("name", "the key %q is used twice; each leg needs its own", l.Key)
		}
		at[l.Key] = i
		always = always || l.Skip == SkipNever
	}
	if !always {
		return r, r.Legs[0].fault("skip", "every leg can be skipped, so a piece could be ready with nothing done; let one always be run")
	}
	for _, l := range r.Legs {
		for _, k := range l.After {
			if _, ok := at[k]; !ok {
				return r, l.fault("after", "it waits for %q, and there is no such leg", k)
			}
		}
	}
	out, err := r.ordered(at)
	if err != nil {
		return r, err
	}
	out.After, err = r.checkAfter(at)
	return out, err
}

// checkAfter gives the legs after release in an order in which each comes after all it waits
// for. They wait only for each other.
func (r Route) checkAfter(way map[string]int) ([]Leg, error) {
	if len(r.After) > MaxLegs {
		return nil, &Fault{Problem: fmt.Sprintf("at most %d legs follow after release", MaxLegs)}
	}
	at := map[string]int{}
	for i, l := range r.After {
		if err := l.check(); err != nil {
			return nil, err
		}
		_, before := way[l.Key]
		if _, twice := at[l.Key]; twice || before {
			return nil, l.fault("name", "the key %q is used twice; each leg needs its own", l.Key)
		}
		at[l.Key] = i
	}
	for _, l := range r.After {
		for _, k := range l.After {
			if _, ok := at[k]; !ok {
				return nil, l.fault("after", "it waits for %q, which is no leg after release", k)
			}
		}
	}
	if len(r.After) == 0 {
		return nil, nil
	}
	out, err := Route{Legs: r.After}.ordered(at)
	return out.Legs, err
}

func (l Leg) fault(field, problem string, args ...any) error {
	f := &Fault{Leg: l.Name, Key: l.Key, Field: field, Problem: fmt.Sprintf(problem, args...)}
	if strings.TrimSpace(f.Leg) == "" {
		f.Leg = l.Key
	}
	return f
}

// Check says what is wrong with a leg by itself, as a *Fault.
func (l Leg) Check() error { return l.check() }

func (l Leg) check() error {
	switch {
	case l.Key == "" || strings.ContainsAny(l.Key, ", "):
		return l.fault("name", "a leg's key is a word without spaces or commas")
	case strings.TrimSpace(l.Name) == "":
		return l.fault("name", "give the leg a name")
	case len([]rune(l.Name)) > 40:
		return l.fault("name", "keep its name under 40 characters")
	case strings.TrimSpace(l.Role) == "":
		return l.fault("role", "say which role runs it")
	case l.Allowance < 0 || l.Allowance > MaxDays:
		return l.fault("days", "the allowance lies between 0 and %d working days", MaxDays)
	case l.Least < 0 || l.Least > l.Allowance:
		return l.fault("least", "the least lies between 0 and the allowance")
	case l.Effort < 0 || l.Effort > MaxMinutes:
		return l.fault("effort", "the effort lies between 0 and %d hours", MaxMinutes/60)
	case l.Skip != SkipNever && l.Skip != SkipMay && l.Skip != SkipUnless:
		return l.fault("skip", "%q is no way to skip a leg", l.Skip)
	case len(l.Review.By) > 12 || l.Review.Need < 0 || l.Review.Need > 12:
		return l.fault("review", "at most twelve people are asked for a verdict")
	case len(l.Steps) > 30:
		return l.fault("steps", "a checklist has at most 30 steps")
	}
	for _, s := range l.Steps {
		if strings.TrimSpace(s.Text) == "" || len([]rune(s.Text)) > 200 {
			return l.fault("steps", "a step says in up to 200 characters what is to be done")
		}
		if s.Before < 0 || s.Before > MaxDays {
			return l.fault("steps", "a step is done between 0 and %d working days before the leg is due", MaxDays)
		}
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
			return r, r.circle(at, placed)
		}
		placed[next] = true
		out.Legs = append(out.Legs, r.Legs[next])
	}
	return out, nil
}

// circle names the first leg that has no way to the end, and the circle in which
// it waits or behind which it never begins. Every leg not placed waits for
// another one that is not, so following them leads round.
func (r Route) circle(at map[string]int, placed []bool) error {
	first := slices.Index(placed, false)
	var way []int
	for i := first; !slices.Contains(way, i); {
		way = append(way, i)
		for _, k := range r.Legs[i].After {
			if !placed[at[k]] {
				i = at[k]
				break
			}
		}
	}
	last := r.Legs[way[len(way)-1]]
	back := -1
	for k, i := range way {
		if slices.Contains(last.After, r.Legs[i].Key) {
			back = k
			break
		}
	}
	begin := r.Legs[way[back]].Name
	names := []string{begin}
	for _, i := range slices.Backward(way[back+1:]) {
		names = append(names, r.Legs[i].Name)
	}
	circle := strings.Join(append(names, begin), ", then ")
	l := r.Legs[first]
	if back == 0 {
		return l.fault("after", "it waits, in a circle, for itself (%s); take one of the legs it waits for away", circle)
	}
	return l.fault("after", "it can never begin: it waits for a circle (%s); open the circle first", circle)
}

// Longest gives the working days of the longest way through the legs that are
// run as a rule, those that are skipped unless needed left out.
func (r Route) Longest() int {
	end := map[string]int{}
	longest := 0
	for _, l := range r.Legs {
		for _, k := range l.After {
			end[l.Key] = max(end[l.Key], end[k])
		}
		end[l.Key] += l.days()
		longest = max(longest, end[l.Key])
	}
	return longest
}
