package fee

import (
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
	ID       ref.Fee
	Leg      string
	Person   ref.Person
	Kind     Kind
	State    State
	Minutes  int    // as whoever did it says
	Begun    bool   // the leg has been with them while it ran
	ByOwner  bool   // the owner says that it is accepted, before the next leg is passed
	Runs     int    // of the leg that are paid with it: of the work that in which it began, of a rework all up to it
	AtRun    int    // of the leg when it was accepted
	Times    int    // of a rework, how often it came back; 1 of all else
	Taker    string // the leg whose pass accepted it, and in which run; "" where it was not a leg
	TakerRun int
	Terms
	Beyond bool // words beyond what the brief asks for are paid
}

// settled reports whether a fee can no longer follow anything.
func (x Line) settled() bool { return x.State == Checked || x.State == Stated || x.Kind == Correction }

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
// what is taken back is as before. What was accepted stays so when its leg comes back, which is owed
// besides, goes to somebody else or leaves the route. Fees that are checked stay as they are, whatever
// happens. Agree gives the terms for a leg and whoever has it, if it is paid. Actor is who did it: who
// gives up a leg by themselves is owed nothing for it.
func Follow(p *relay.Piece, was []Line, actor ref.Person, d Policy, agree func(*relay.Leg) (Terms, bool)) []Line {
	var out []Line
	there := map[string]bool{}
	for l := range p.Every() {
		there[l.Key] = true
	}
	for _, x := range was {
		switch {
		case x.settled():
			out = append(out, x)
		case there[x.Leg]:
		case x.State == Accepted:
			out = append(out, x)
		case x.Begun && x.Kind != ForRework: // the route has no such leg any more
			x.Kind, x.State = ForUnused, Accepted
			out = append(out, x)
		}
	}
	for l := range p.Every() {
		f := follower{p: p, l: l, actor: actor, policy: d, over: p.Stage == relay.Withdrawn || l.State == relay.Skipped}
		for _, x := range was {
			if x.Leg == l.Key {
				f.was = append(f.was, x)
			}
		}
		out = append(out, f.follow(agree)...)
	}
	return out
}

// follower lets the fees of one leg follow it.
type follower struct {
	p      *relay.Piece
	l      *relay.Leg
	was    []Line
	actor  ref.Person
	policy Policy
	over   bool // nothing more comes of the leg
	runs   int  // that are paid to whoever has it, whatever happens now
	out    []Line
}

// stays reports whether a fee was accepted for a run of the leg before the present one, or before it
// waits for what comes back to a leg before it. A leg that is as it was before is of that run still.
func (f *follower) stays(x Line) bool {
	return x.State == Accepted && x.Kind != ForUnused && (x.AtRun < f.l.Run || x.AtRun == f.l.Run && f.l.State == relay.Waiting)
}

func (f *follower) follow(agree func(*relay.Leg) (Terms, bool)) []Line {
	l := f.l
	var mine *Line
	unused := false // they were paid for what was not used
	for i := range f.was {
		x := f.was[i]
		theirs := x.Person == l.Holder && x.Kind != Correction
		switch {
		case x.settled() || f.stays(x):
			if theirs {
				f.runs, unused = max(f.runs, x.Runs), unused || x.Kind == ForUnused
			}
			if !x.settled() {
				f.out = append(f.out, x)
			}
		case x.Kind == ForRework: // worked out anew below
		case theirs && !(f.over && !x.Begun):
			mine = &x
		case !theirs && x.Begun && (x.Kind == ForUnused || f.actor != x.Person && f.actor != 0):
			x.Kind, x.State = ForUnused, Accepted
			f.out = append(f.out, x)
		}
	}
	if l.Holder == 0 {
		return f.out
	}
	if mine == nil && f.runs == 0 && !unused && !f.over && l.State != relay.Passed { // what was passed before anything was agreed is not paid
		if t, ok := agree(l); ok {
			mine = &Line{Leg: l.Key, Person: l.Holder, Times: 1, Terms: t}
		}
	}
	if mine != nil {
		f.work(mine)
	}
	f.rework(mine)
	return f.out
}

// accept reports whether what the leg gave is accepted, by the owner, by whoever passed the next leg,
// or because the piece is out; and notes by which leg. It stays accepted when that leg comes back,
// and only taking its pass back takes it away.
func (f *follower) accept(x *Line) bool {
	x.AtRun = f.l.Run
	if f.l.State != relay.Passed {
		x.Taker, x.TakerRun = "", 0
		return false
	}
	if n := f.p.Leg(x.Taker); x.Taker != "" && (n == nil || n.State == relay.Passed || n.State == relay.Skipped || n.Run > x.TakerRun || n.Run == x.TakerRun && n.State == relay.Waiting) {
		return true
	}
	by, ok := taken(f.p, f.l)
	if x.Taker, x.TakerRun = "", 0; by != nil {
		x.Taker, x.TakerRun = by.Key, by.Run
	}
	return ok || x.ByOwner
}

// work gives the fee for a leg itself.
func (f *follower) work(x *Line) {
	if !x.Begun {
		x.Runs = max(1, f.l.Run)
	}
	x.Begun = x.Begun || f.l.State == relay.Running || f.l.State == relay.Passed
	x.Kind, x.State = ForWork, Agreed
	switch {
	case f.accept(x):
		x.State = Accepted
	case f.over && x.Begun:
		x.Kind, x.State = ForUnused, Accepted
	}
	f.out = append(f.out, *x)
}

// rework gives the fee for a leg that came back, where the desk pays it: for each time it came back
// that is not paid yet. Before the work itself is accepted nothing is said of it.
func (f *follower) rework(work *Line) {
	base := f.runs
	if work != nil {
		base = max(base, work.Runs)
	}
	if f.l.Run <= base || base == 0 || work != nil && (work.State != Accepted || work.Kind == ForUnused) {
		return
	}
	x := Line{Leg: f.l.Key, Person: f.l.Holder, Kind: ForRework, State: Agreed, Begun: true}
	known := false
	for _, o := range f.was {
		if o.Person != f.l.Holder {
			continue
		}
		switch {
		case o.Kind == ForRework && !o.settled() && !f.stays(o):
			if !known || o.State == Accepted { // of two, what came back last is taken back
				x, known = o, true
			}
		case o.Kind == ForWork && x.Per == "":
			x.Terms, x.Beyond = o.Terms, o.Beyond
		}
	}
	if work != nil && !known { // what was agreed for the work is for this as well, and what accepted it accepted this
		x.Terms, x.Beyond, x.Taker, x.TakerRun = work.Terms, work.Beyond, work.Taker, work.TakerRun
	}
	x.ByOwner = x.ByOwner || work != nil && work.ByOwner
	if x.Per == "" || f.policy.Rework == 0 && !known {
		return
	}
	x.Kind, x.State, x.Runs, x.Times = ForRework, Agreed, f.l.Run, f.l.Run-base
	switch {
	case f.accept(&x):
		x.State = Accepted
	case f.over:
		return // it came back and nothing more comes of it
	}
	f.out = append(f.out, x)
}

// taken reports whether somebody passed on what a leg gave, and with which leg, over legs that are
// skipped; with none where the piece is out, or was before it was withdrawn, or where nothing waits
// for a leg after release.
func taken(p *relay.Piece, l *relay.Leg) (by *relay.Leg, ok bool) {
	if by = taker(p, l.Key); by != nil {
		return by, true
	}
	waits := false
	for n := range p.Every() {
		waits = waits || n.WaitsFor(l.Key) && n.State != relay.Skipped
	}
	return nil, p.OutAt != 0 && !l.Later || l.Later && !waits
}

// taker gives the first leg that was passed of those that wait for a leg.
func taker(p *relay.Piece, key string) *relay.Leg {
	for n := range p.Every() {
		if !n.WaitsFor(key) {
			continue
		}
		if n.State == relay.Passed {
			return n
		}
		if n.State == relay.Skipped {
			if by := taker(p, n.Key); by != nil {
				return by
			}
		}
	}
	return nil
}
