// Package check says what must hold before a leg is passed, and keeps checklists.
package check

import (
	"fmt"
	"slices"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// Step is a line of a leg's checklist as it stands.
type Step struct {
	Text string
	Must bool // it has to be ticked before the leg is passed
	Done bool
	Of   ref.Person // who does it, where that is not the holder of the leg
}

// Renew says how a leg's checklist is brought up to its route: which steps of it, by
// index, go, and which of the route come. What is ticked stays, and what the route
// has in the same form.
func Renew(have []route.Step, ticked []bool, want []route.Step) (gone []int, come []route.Step) {
	kept := map[string]bool{}
	for i, s := range have {
		if ticked[i] || slices.Contains(want, s) {
			kept[s.Text] = true
		} else {
			gone = append(gone, i)
		}
	}
	for _, s := range want {
		if !kept[s.Text] {
			come = append(come, s)
		}
	}
	return gone, come
}

// Lack is something that a leg asks for and that is not there.
type Lack struct {
	Key  string     // the same for the same thing; what only one leg asks for has its key in it
	Text string     // as it goes on after "before it is passed: "
	Of   ref.Person // who has to see to it where that is not the holder of the leg
}

// Texts gives what lacks say.
func Texts(lacks []Lack) []string {
	out := make([]string, len(lacks))
	for i, l := range lacks {
		out[i] = l.Text
	}
	return out
}

// Unmet says what a leg still asks for: the words where it asks for them (those in the
// copy against the least of the piece), the fields that are to be filled in and are
// missing, which the owner sees to, and the steps that must be ticked. Nothing means
// that the leg may be passed.
func Unmet(p *relay.Piece, l *relay.Leg, steps []Step, words int, missing []string) []Lack {
	var out []Lack
	if l.Words && words < p.WordsFrom {
		noun := "words"
		if words == 1 {
			noun = "word"
		}
		out = append(out, Lack{"words", fmt.Sprintf("the copy has %d %s, %d are asked for", words, noun, p.WordsFrom), 0})
	}
	for _, m := range missing {
		out = append(out, Lack{"field " + m, "“" + m + "” is not filled in", p.Owner})
	}
	for _, s := range steps {
		if s.Must && !s.Done {
			out = append(out, Lack{"step of " + l.Key + " " + s.Text, "“" + s.Text + "” is not ticked", s.Of})
		}
	}
	return out
}
