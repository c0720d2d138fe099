package fee

import (
	"slices"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// State is how far a fee is.
type State string

// The states of a fee, one after the other. What is in a statement never changes.
const (
	Agreed   State = "agreed"
	Accepted State = "accepted"
	Checked  State = "checked"
	Stated   State = "stated"
)

// Kind is what a fee is for.
type Kind string

// What fees are for: a leg, the same leg after it was sent back, work that is not used, and a
// correction of what is in a statement.
const (
	ForWork    Kind = "work"
	ForRework  Kind = "rework"
	ForUnused  Kind = "unused"
	Correction Kind = "correction"
)

// Line is a fee of one person for one leg of a piece, from when it is agreed.
type Line struct {
	ID      ref.Fee
	Leg     string
	Person  ref.Person
	Kind    Kind
	State   State
	Begun   bool // the leg has been with them while it ran
	ByOwner bool // the owner says that it is accepted, before the next leg is passed
	Runs    int  // of the leg that it pays, all up to now
	Terms
	Beyond bool // words beyond what the brief asks for are paid
}

// Policy is what a desk says of work that is not used or comes back.
type Policy struct {
	Unused int // per cent of the fee that is owed for work that is not used
	Rework int // per cent for each time it came back; 0 is not paid
}

// Share gives how much of its terms a line is paid.
func (p Policy) Share(k Kind) int {
	switch k {
	case ForRework:
		return p.Rework
	case ForUnused:
		return p.Unused
	}
	return 100
}

// Follow gives the fees of a piece after something was done to it: who has a leg has an agreement,
// a leg whose next one is passed is accepted, work that is begun and not used is owed its share, and
// what is taken back is as before. Fees that are checked stay as they are, whatever happens. Agree
// gives the terms for a leg and whoever has it, if it is paid. Actor is who did it: who gives up a
// leg by themselves is owed nothing for it.
func Follow(p *relay.Piece, was []Line, actor ref.Person, d Policy, agree func(*relay.Leg) (Terms, bool)) []Line {
	var out []Line
	for _, x := range was {
		if x.Kind == Correction || x.State == Checked || x.State == Stated {
			out = append(out, x)
		}
	}
	for _, l := range legsOf(p) {
		var open []Line
		for _, x := range was {
			if x.Leg == l.Key && x.Kind != Correction && (x.State == Agreed || x.State == Accepted) {
				open = append(open, x)
			}
		}
		out = append(out, followLeg(p, l, open, settled(was, l.Key), actor, d, agree)...)
	}
	return out
}

// legsOf gives the legs of a piece, those after release last.
func legsOf(p *relay.Piece) []*relay.Leg {
	out := make([]*relay.Leg, 0, len(p.Legs)+len(p.After))
	for i := range p.Legs {
		out = append(out, &p.Legs[i])
	}
	for i := range p.After {
		out = append(out, &p.After[i])
	}
	return out
}

// settled gives the fees of a leg that can no longer change.
func settled(was []Line, key string) []Line {
	return slices.DeleteFunc(slices.Clone(was), func(x Line) bool {
		return x.Leg != key || x.Kind == Correction || x.State != Checked && x.State != Stated
	})
}

func followLeg(p *relay.Piece, l *relay.Leg, open, done []Line, actor ref.Person, d Policy, agree func(*relay.Leg) (Terms, bool)) []Line {
	var out []Line
	over := p.Stage == relay.Withdrawn || l.State == relay.Skipped
	paid := 0 // runs of the leg that are settled with its holder
	unusedPaid := false
	for _, x := range done {
		if x.Person == l.Holder {
			paid = max(paid, x.Runs)
			unusedPaid = unusedPaid || x.Kind == ForUnused
		}
	}
	var mine *Line
	for i := range open {
		x := open[i]
		switch {
		case x.Kind == ForRework: // worked out anew below
		case x.Person == l.Holder && !(over && !x.Begun):
			mine = &x
		case x.Person != l.Holder && x.Begun && (x.Kind == ForUnused || actor != x.Person && actor != 0):
			x.Kind, x.State = ForUnused, Accepted
			out = append(out, x)
		}
	}
	if l.Holder == 0 || mine == nil && (over || l.State == relay.Passed && paid == 0) { // what was passed before anything was agreed is not paid
		return out
	}
	if mine == nil && paid == 0 && !unusedPaid {
		t, ok := agree(l)
		if !ok {
			return out
		}
		mine = &Line{Leg: l.Key, Person: l.Holder, Terms: t}
	}
	passed := l.State == relay.Passed
	if mine != nil {
		mine.Begun = mine.Begun || l.State == relay.Running || passed
		mine.Kind, mine.State = ForWork, Agreed
		switch accepted := passed && (mine.ByOwner || taken(p, l)); {
		case accepted:
			mine.State = Accepted
		case over && mine.Begun:
			mine.Kind, mine.State = ForUnused, Accepted
		}
		mine.Runs = max(1, l.Run)
		out = append(out, *mine)
	}
	return append(out, reworked(p, l, mine, open, done, paid, d)...)
}

// reworked gives the fee for a leg that came back, where the desk pays it: for each time it came
// back that is not settled yet.
func reworked(p *relay.Piece, l *relay.Leg, mine *Line, open, done []Line, paid int, d Policy) []Line {
	if d.Rework == 0 || l.Run <= max(1, paid) || mine != nil && mine.State != Accepted || mine != nil && mine.Kind == ForUnused {
		return nil
	}
	x := Line{Leg: l.Key, Person: l.Holder, Kind: ForRework, State: Agreed, Begun: true, Runs: l.Run}
	for _, o := range open {
		if o.Kind == ForRework && o.Person == l.Holder {
			x.ID, x.ByOwner = o.ID, o.ByOwner
		}
	}
	switch {
	case mine != nil:
		x.Terms, x.Beyond, x.ByOwner = mine.Terms, mine.Beyond, mine.ByOwner
	default:
		for _, o := range done {
			if o.Person == l.Holder && o.Kind == ForWork {
				x.Terms, x.Beyond = o.Terms, o.Beyond
			}
		}
	}
	if x.Per == "" {
		return nil
	}
	if l.State == relay.Passed && (x.ByOwner || taken(p, l)) {
		x.State = Accepted
	}
	return []Line{x}
}

// Times gives how often a leg came back that a rework pays: of the runs up to it those after the
// first, and after what is settled.
func Times(x Line, done []Line) int {
	paid := 1
	for _, o := range done {
		if o.Leg == x.Leg && o.Person == x.Person && (o.State == Checked || o.State == Stated) && o.Kind != Correction {
			paid = max(paid, o.Runs)
		}
	}
	return max(1, x.Runs-paid)
}

// taken reports whether somebody passed on what a leg gave: one that waits for it is passed, or the
// piece is out.
func taken(p *relay.Piece, l *relay.Leg) bool {
	if p.Stage == relay.Out && !l.Later {
		return true
	}
	waits := false
	for _, n := range legsOf(p) {
		if !n.WaitsFor(l.Key) || n.State == relay.Skipped {
			continue
		}
		if waits = true; n.State == relay.Passed {
			return true
		}
	}
	return l.Later && !waits // the last after release is nobody's to pass on
}
