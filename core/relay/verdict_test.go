package relay

import (
	"greenbaton/core/ref"
	"testing"
)

// Every combination of up to four verdicts and every need: forward exactly when the yes
// that are there suffice, back exactly when even all that are still to come would not.
func TestWhatVerdictsComeTo(t *testing.T) {
	says := []Say{"", SignedIt, WithNotes, NotYet}
	for n := range 5 {
		for code := range 1 << (2 * n) {
			var voices []Voice
			yes, open := 0, 0
			for i := range n {
				s := says[code>>(2*i)&3]
				voices = append(voices, Voice{ref.Person(i + 1), s})
				if s.Yes() {
					yes++
				} else if s == "" {
					open++
				}
			}
			for need := range n + 2 {
				must := need
				if must == 0 || must > n {
					must = n
				}
				want := Undecided
				switch {
				case n == 0:
				case yes >= must:
					want = Forward
				case yes+open < must:
					want = Backward
				}
				if got := Tally(voices, need); got != want {
					t.Fatalf("%v, %d needed: %s, want %s", voices, need, got, want)
				}
			}
			all, first := Turns(voices, false), Turns(voices, true)
			if len(all) != open || len(first) != min(1, open) || open > 0 && first[0] != all[0] {
				t.Fatalf("%v: turns %v and %v", voices, all, first)
			}
		}
	}
}

func TestWhereASentBackVerdictLeads(t *testing.T) {
	p := Piece{Stage: UnderWay, Legs: []Leg{
		{Key: "brief", State: Passed}, {Key: "draft", State: Passed, Words: true, After: "brief"}, {Key: "edit", State: Passed, After: "draft"},
		{Key: "other", State: Passed}, {Key: "yes", State: Running, SignOff: true, After: "edit"},
	}}
	for named, want := range map[string]string{"": "draft", "edit": "edit", "brief": "brief", "other": "draft", "gone": "draft"} {
		if got := p.BackTo("yes", named); got != want {
			t.Errorf("named %q: %q, want %q", named, got, want)
		}
	}
	p.Legs[1].Words = false
	if got := p.BackTo("yes", ""); got != "edit" {
		t.Errorf("without a writing leg: %q", got)
	}
	if got := p.BackTo("brief", ""); got != "" {
		t.Errorf("from the first leg: %q", got)
	}
}
