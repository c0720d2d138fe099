package check

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// Rule says what a format makes of a check.
type Rule struct {
	Off bool   `json:"off,omitempty"`
	Leg string `json:"leg,omitempty"` // it has to hold before this leg is passed; otherwise it only advises
}

// Rules are those of a format, by check; a check without one advises.
type Rules map[Kind]Rule

// ReadRules reads rules as they are stored; nothing stored is none.
func ReadRules(s string) (Rules, error) {
	if s == "" {
		return nil, nil
	}
	var r Rules
	if err := json.Unmarshal([]byte(s), &r); err != nil {
		return nil, fmt.Errorf("rules of checks: %w", err)
	}
	return r, nil
}

// Check reports a rule about a check or a leg that there is not, as a *relay.Refusal.
func (r Rules) Check(way route.Route) error {
	for k, x := range r {
		if NameOf(k) == "" {
			return &relay.Refusal{Reason: relay.ErrInput, Field: "checks", Text: fmt.Sprintf("There is no check called %q.", k)}
		}
		if x.Leg != "" && !slices.ContainsFunc(way.Legs, func(l route.Leg) bool { return l.Key == x.Leg }) {
			return &relay.Refusal{Reason: relay.ErrInput, Field: "check-" + string(k), Text: "Choose a leg of the route before which this has to hold."}
		}
	}
	return nil
}

// NameOf gives the name of a check, "" if there is none of the kind.
func NameOf(k Kind) string {
	for _, x := range Kinds {
		if x.Kind == k {
			return x.Name
		}
	}
	return ""
}

// Musts gives the checks that have to hold before a leg is passed.
func (r Rules) Musts(leg string) []Kind {
	var out []Kind
	for _, k := range Kinds {
		if x := r[k.Kind]; !x.Off && x.Leg == leg && leg != "" {
			out = append(out, k.Kind)
		}
	}
	return out
}

// Strict reports whether any check has to hold before a leg is passed.
func (r Rules) Strict() bool {
	for _, x := range r {
		if x.Leg != "" && !x.Off {
			return true
		}
	}
	return false
}

// MostStyle is how many lines a house style has at most.
const MostStyle = 500

// ReadStyle reads a house style as it is typed, a line for each: "utilize → use", or with
// a reason "utilize → use (it is shorter)"; with nothing behind the arrow it is not to be
// said at all. "->" and "=" are arrows too. A *relay.Refusal names the line.
func ReadStyle(s string) ([]Say, error) {
	var out []Say
	n := 0
	for line := range strings.Lines(s) {
		n++
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		i, long := -1, 0
		for _, arrow := range []string{"→", "->", "="} {
			if k := strings.Index(line, arrow); k >= 0 && (i < 0 || k < i) {
				i, long = k, len(arrow)
			}
		}
		if i <= 0 {
			return nil, &relay.Refusal{Reason: relay.ErrInput, Field: "style", Text: fmt.Sprintf("Line %d of the house style has no arrow. Write what not to say, →, and what to say: utilize → use.", n)}
		}
		say := Say{Not: strings.TrimSpace(line[:i]), Say: strings.TrimSpace(line[i+long:])}
		if k := strings.LastIndex(say.Say, "("); k >= 0 && strings.HasSuffix(say.Say, ")") {
			say.Say, say.Why = strings.TrimSpace(say.Say[:k]), say.Say[k+1:len(say.Say)-1]
		}
		if say.Not == "" || strings.EqualFold(say.Not, say.Say) || len(line) > 300 {
			return nil, &relay.Refusal{Reason: relay.ErrInput, Field: "style", Text: fmt.Sprintf("Line %d of the house style says nothing, or too much. Write what not to say, →, and what to say.", n)}
		}
		out = append(out, say)
	}
	if len(out) > MostStyle {
		return nil, &relay.Refusal{Reason: relay.ErrInput, Field: "style", Text: fmt.Sprintf("The house style has %d lines, and %d is the most.", len(out), MostStyle)}
	}
	return out, nil
}
