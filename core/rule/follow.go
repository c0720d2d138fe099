package rule

import (
	"fmt"
	"greenbaton/core/ref"
)

// Deepest is how many times what a rule did may bring about what another does, and
// Most how many times rules do something for one event in all: rules that make pieces
// would otherwise multiply before they are too deep.
const (
	Deepest = 8
	Most    = 100
)

// World is what rules ask and act on.
type World interface {
	// Rules gives those that are followed for an event, in their order: they are of the
	// desk on which the piece is by then.
	Rules(Event) []Rule
	// Look gives an event with the piece as it is now; nil if it is gone.
	Look(Event) (*Happening, error)
	// Carry carries out what a rule does, and gives what happened by it.
	Carry(*Rule, *Happening) ([]Event, error)
}

// Cut is a chain that was stopped, and why.
type Cut struct {
	Rule  ref.Rule
	Event Event
	Why   string
}

// Follow follows the rules, in their order, for one event and all that comes of it.
// What rules bring about is at most eight deep, and each rule does something at most
// once for a piece; what would have gone on is given as cuts.
func Follow(origin Event, w World) ([]Cut, error) {
	f := following{w: w, done: map[turn]bool{}}
	err := f.event(origin, 0, 0)
	return f.cuts, err
}

// turn is a rule that does something on a piece.
type turn struct {
	rule  ref.Rule
	piece ref.Piece
}

type following struct {
	w    World
	done map[turn]bool
	cuts []Cut
}

// event follows the rules for one event that a rule brought about; cause 0 is none.
func (f *following) event(e Event, depth int, cause ref.Rule) error {
	rules := f.w.Rules(e)
	var h *Happening
	for i := range rules {
		r := &rules[i]
		if r.When != e.Kind {
			continue
		}
		if h == nil { // looked at anew after something was done, so that each rule sees it
			var err error
			if h, err = f.w.Look(e); err != nil || h == nil {
				return err
			}
		}
		if !r.Matches(h) {
			continue
		}
		key := turn{r.ID, e.Piece}
		if f.done[key] {
			if cause != r.ID { // of what it brought about itself nothing new would come
				f.cuts = append(f.cuts, Cut{r.ID, e, "it had its turn on this piece"})
			}
			continue
		}
		if len(f.done) >= Most {
			f.cuts = append(f.cuts, Cut{r.ID, e, fmt.Sprintf("rules had done something %d times for one event", Most)})
			return nil
		}
		if depth >= Deepest {
			f.cuts = append(f.cuts, Cut{r.ID, e, fmt.Sprintf("rules had brought each other about %d times", Deepest)})
			continue
		}
		f.done[key] = true
		then, err := f.w.Carry(r, h)
		h = nil
		if err != nil {
			return err
		}
		for _, x := range then {
			if err := f.event(x, depth+1, r.ID); err != nil {
				return err
			}
		}
	}
	return nil
}
