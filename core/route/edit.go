package route

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// The functions here change a route as a hand does: each gives a new route in
// which what waited for a leg still waits for what came before it.

func (r Route) clone() Route {
	out := Route{Legs: slices.Clone(r.Legs), After: r.After}
	for i := range out.Legs {
		out.Legs[i].After = slices.Clone(out.Legs[i].After)
	}
	return out
}

func (r Route) index(key string) int {
	return slices.IndexFunc(r.Legs, func(l Leg) bool { return l.Key == key })
}

// Leg finds a leg by its key, or nil.
func (r Route) Leg(key string) *Leg {
	if i := r.index(key); i >= 0 {
		return &r.Legs[i]
	}
	for i := range r.After {
		if r.After[i].Key == key {
			return &r.After[i]
		}
	}
	return nil
}

// Insert puts a leg at an index, behind the leg that is then above it; what
// waited for that one waits for the new leg.
func (r Route) Insert(l Leg, at int) Route {
	out := r.clone()
	at = min(max(at, 0), len(out.Legs))
	l.After = nil
	if at == 0 {
		for i := range out.Legs {
			if len(out.Legs[i].After) == 0 {
				out.Legs[i].After = []string{l.Key}
			}
		}
	} else {
		above := out.Legs[at-1].Key
		for i := range out.Legs {
			if a := out.Legs[i].After; slices.Contains(a, above) {
				out.Legs[i].After = replace(a, above, []string{l.Key})
			}
		}
		l.After = []string{above}
	}
	out.Legs = slices.Insert(out.Legs, at, l)
	return out.tidy()
}

// Remove takes a leg out; what waited for it waits for what it waited for.
func (r Route) Remove(key string) Route {
	out := r.clone()
	i := out.index(key)
	if i < 0 {
		return out
	}
	gone := out.Legs[i]
	out.Legs = slices.Delete(out.Legs, i, i+1)
	for k := range out.Legs {
		if a := out.Legs[k].After; slices.Contains(a, key) {
			out.Legs[k].After = replace(a, key, gone.After)
		}
	}
	return out.tidy()
}

// MoveTo takes a leg to another index: out of its place, and in behind the leg
// that is then above it.
func (r Route) MoveTo(key string, to int) Route {
	i := r.index(key)
	if i < 0 || to == i || to < 0 || to >= len(r.Legs) {
		return r.clone()
	}
	return r.Remove(key).Insert(r.Legs[i], to)
}

// Beside lets a leg run side by side with the one above it: it waits for what
// that one waits for, and what waited for either waits for both.
func (r Route) Beside(key string) Route {
	out := r.clone()
	i := out.index(key)
	if i < 1 {
		return out
	}
	above := out.Legs[i-1]
	out.Legs[i].After = slices.Clone(above.After)
	for k := range out.Legs {
		if k == i || k == i-1 {
			continue
		}
		if a := out.Legs[k].After; slices.Contains(a, key) || slices.Contains(a, above.Key) {
			out.Legs[k].After = union(a, []string{above.Key, key})
		}
	}
	return out.tidy()
}

// Behind lets a leg wait for the one above it.
func (r Route) Behind(key string) Route {
	i := r.index(key)
	if i < 1 {
		return r.clone()
	}
	return r.Remove(key).Insert(r.Legs[i], i)
}

// tidy takes away what a leg need not wait for because another leg that it waits
// for does, and puts the rest in the order of the legs.
func (r Route) tidy() Route {
	for i := range r.Legs {
		after := r.Legs[i].After
		var kept []string
		for _, l := range r.Legs {
			if slices.Contains(after, l.Key) && !slices.ContainsFunc(after, func(k string) bool { return k != l.Key && r.leads(l.Key, k) }) {
				kept = append(kept, l.Key)
			}
		}
		if len(kept) > 0 || len(after) == 0 {
			r.Legs[i].After = kept
		}
	}
	return r
}

// leads reports whether a leg comes somewhere before another.
func (r Route) leads(from, to string) bool {
	seen := map[string]bool{}
	for look := []string{to}; len(look) > 0; look = look[1:] {
		l := r.Leg(look[0])
		if l == nil || seen[l.Key] {
			continue
		}
		seen[l.Key] = true
		if slices.Contains(l.After, from) {
			return true
		}
		look = append(look, l.After...)
	}
	return false
}

// NewKey makes a key for a new leg from its name that no leg has.
func (r Route) NewKey(name string) string {
	var b strings.Builder
	for _, c := range strings.ToLower(name) {
		if unicode.IsLetter(c) || unicode.IsDigit(c) {
			b.WriteRune(c)
		}
	}
	base := b.String()
	if base == "" {
		base = "leg"
	}
	key := base
	for n := 2; r.Leg(key) != nil; n++ {
		key = fmt.Sprintf("%s%d", base, n)
	}
	return key
}

// Ends gives the legs that nothing waits for: a piece is ready when all are passed.
func (r Route) Ends() []Leg {
	return slices.DeleteFunc(slices.Clone(r.Legs), func(l Leg) bool {
		return slices.ContainsFunc(r.Legs, func(x Leg) bool { return slices.Contains(x.After, l.Key) })
	})
}

// LongestWay gives the keys of the legs on the longest way through the route, in
// order; of two equally long ways the one through the legs given first.
func (r Route) LongestWay() []string {
	end, via := map[string]int{}, map[string]string{}
	last := ""
	for _, l := range r.Legs {
		for _, k := range l.After {
			if via[l.Key] == "" || end[k] > end[via[l.Key]] {
				via[l.Key] = k
			}
		}
		end[l.Key] = end[via[l.Key]] + l.days()
		if last == "" || end[l.Key] > end[last] {
			last = l.Key
		}
	}
	// A same-day leg at the end of the way belongs to it.
	for _, l := range r.Legs {
		if via[l.Key] == last && end[l.Key] == end[last] {
			last = l.Key
		}
	}
	var out []string
	for k := last; k != ""; k = via[k] {
		out = append(out, k)
	}
	slices.Reverse(out)
	return slices.DeleteFunc(out, func(k string) bool { return r.Leg(k).Skip == SkipUnless })
}

// days gives the working days the leg takes as a rule.
func (l Leg) days() int {
	if l.Skip == SkipUnless {
		return 0
	}
	return l.Allowance
}

// replace puts others in the place of one key, each key once.
func replace(keys []string, one string, others []string) []string {
	var out []string
	for _, k := range keys {
		if k != one {
			out = union(out, []string{k})
			continue
		}
		out = union(out, others)
	}
	return out
}

// union adds keys that are not there yet.
func union(keys, more []string) []string {
	out := slices.Clone(keys)
	for _, k := range more {
		if !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}
