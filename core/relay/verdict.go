package relay

import "greenbaton/core/ref"

// Say is what a reviewer says about an exact version.
type Say string

// The verdicts.
const (
	SignedIt  Say = "signed off"
	WithNotes Say = "with notes" // signed off, and something to be seen to
	NotYet    Say = "sent back"
)

// Yes reports whether a verdict lets the piece go on.
func (s Say) Yes() bool { return s == SignedIt || s == WithNotes }

// Voice is somebody who is asked for a verdict on the present run of a leg.
type Voice struct {
	Person ref.Person
	Said   Say // empty while they have said nothing
}

// Outcome is what verdicts come to.
type Outcome string

// What verdicts come to.
const (
	Undecided Outcome = "undecided"
	Forward   Outcome = "forward"
	Backward  Outcome = "back"
)

// Tally works out what verdicts come to when so many yes are needed, 0 being all: forward
// as soon as they are there, back as soon as they can no longer be, whatever the rest says.
func Tally(voices []Voice, need int) Outcome {
	yes, no := 0, 0
	for _, v := range voices {
		switch {
		case v.Said.Yes():
			yes++
		case v.Said == NotYet:
			no++
		}
	}
	if need <= 0 || need > len(voices) {
		need = len(voices)
	}
	switch {
	case len(voices) == 0:
		return Undecided
	case yes >= need:
		return Forward
	case len(voices)-no < need:
		return Backward
	}
	return Undecided
}

// Turns gives those whose turn it is to say something: all who have not, or in order only
// the first of them.
func Turns(voices []Voice, inOrder bool) []int {
	var out []int
	for i, v := range voices {
		if v.Said == "" {
			if out = append(out, i); inOrder {
				return out
			}
		}
	}
	return out
}

// BackTo gives the key of the leg to which a sent-back verdict returns a piece: the one
// the route names, if it was passed and leads there; otherwise the last passed leg before
// it that asks for the words of the copy, or else the last passed one of all. It is empty
// where nothing was passed before.
func (p *Piece) BackTo(from, named string) string {
	before := p.Before(from)
	best, words := "", ""
	for i := range p.Legs {
		l := &p.Legs[i]
		if !before[l.Key] || l.State != Passed {
			continue
		}
		if l.Key == named {
			return named
		}
		best = l.Key
		if l.Words {
			words = l.Key
		}
	}
	if words != "" {
		return words
	}
	return best
}
