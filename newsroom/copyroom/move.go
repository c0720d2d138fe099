package copyroom

import (
	"greenbaton/core/check"
	"greenbaton/store"
)

// stepsOf gives the steps of one leg as package check reads them.
func stepsOf(leg string, steps []store.Step) []check.Step {
	var out []check.Step
	for _, s := range steps {
		if s.Leg == leg {
			out = append(out, check.Step{Text: s.Text, Must: s.Must, Done: s.DoneBy != 0})
		}
	}
	return out
}
