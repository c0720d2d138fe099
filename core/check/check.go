// Package check says what must hold before a leg is passed.
package check

import (
	"fmt"

	"greenbaton/core/relay"
)

// Step is a line of a leg's checklist as it stands.
type Step struct {
	Text string
	Must bool // it has to be ticked before the leg is passed
	Done bool
}

// Unmet says in phrases what a leg still asks for: the words where it asks for
// them (those in the copy against the least of the piece), the fields that are to be
// filled in and are missing, and the steps that must be ticked. Nothing means that
// the leg may be passed.
func Unmet(p *relay.Piece, l *relay.Leg, steps []Step, words int, missing []string) []string {
	var out []string
	if l.Words && words < p.WordsFrom {
		noun := "words"
		if words == 1 {
			noun = "word"
		}
		out = append(out, fmt.Sprintf("the copy has %d %s, %d are asked for", words, noun, p.WordsFrom))
	}
	for _, m := range missing {
		out = append(out, "“"+m+"” is not filled in")
	}
	for _, s := range steps {
		if s.Must && !s.Done {
			out = append(out, "“"+s.Text+"” is not ticked")
		}
	}
	return out
}
