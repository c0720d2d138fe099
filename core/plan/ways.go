package plan

import (
	"cmp"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Kind names a kind of way out.
type Kind string

// The kinds of ways out of a shortfall, in the order in which they are offered.
const (
	Squeeze Kind = "squeeze" // legs take fewer days, down to their least
	HandOn  Kind = "give"    // one leg goes to somebody else
	Overlap Kind = "overlap" // legs run side by side where the route allows it
	Both    Kind = "both"    // legs run side by side and take fewer days
	Later   Kind = "later"   // the next free slot that works
	Trade   Kind = "swap"    // the day of a piece that stays whole
)

// Way is one way out of a shortfall, with its consequence.
type Way struct {
	Kind     Kind
	Changes  []Change
	Result   Consequence
	InHand   int  // of the piece, when it is taken
	Whole    bool // nothing that it touches ends short
	Over     bool // somebody has more on a day by it than they work
	Complete bool // it is whole, and nobody has more than a day's hours in a day
}

// rank orders ways: complete ones, then those that are whole, then the rest.
func (w *Way) rank() int {
	switch {
	case w.Complete:
		return 0
	case w.Whole:
		return 1
	}
	return 2
}

// mostSwaps is how many pieces to swap with are offered, of triedSwaps at most.
const mostSwaps, triedSwaps = 2, 10

// Ways finds the ways out of a short piece: complete ones, then those that end it whole
// with more on somebody's day than they work, then those that do not end it whole. A piece
// that is not short has none.
func (b *Board) Ways(id ref.Piece) []Way {
	p := b.Piece(id)
	if p == nil || p.Stage != relay.UnderWay || p.GoesOut == 0 {
		return nil
	}
	x := escape{b: b, p: p, h: b.Desk(p), s: b.Scene(p)}
	x.pr = x.h.Forward(p, x.s.Today)
	if x.pr.Pace != Short {
		return nil
	}
	x.now = x.pr.InHand
	x.squeeze(nil)
	x.give()
	x.overlap()
	x.later()
	x.trade()
	slices.SortStableFunc(x.out, func(v, w Way) int {
		return cmp.Compare(v.rank(), w.rank())
	})
	return x.out
}

// escape looks for the ways out of one piece.
type escape struct {
	b   *Board
	p   *relay.Piece
	h   *Desk
	s   relay.Scene
	pr  Projection
	now int // days in hand, below 0
	out []Way
}

// try gives the days in hand of the piece after some changes of its own.
func (x *escape) try(changes []Change) (int, bool) {
	p := *x.p
	for _, c := range changes {
		m, err := x.h.Apply(p, c, x.s)
		if err != nil {
			return 0, false
		}
		p = m.Piece
	}
	return x.h.Forward(&p, x.s.Today).InHand, true
}

// add previews a way and keeps it if it helps; least is what it has to gain.
func (x *escape) add(kind Kind, changes []Change, least int) {
	c, err := x.b.Preview(changes)
	if err != nil || len(c.Effects) == 0 {
		return
	}
	w := Way{Kind: kind, Changes: changes, Result: c, InHand: c.Effects[0].After.InHand, Whole: len(c.Clashes) == 0, Over: c.Over()}
	for _, e := range c.Effects {
		w.Whole = w.Whole && e.After.InHand >= 0 && e.After.Pace != Short
	}
	w.Complete = w.Whole && !w.Over
	if w.Whole || w.InHand >= x.now+least && kind != Later && kind != Trade {
		x.out = append(x.out, w)
	}
}

// room is a leg that can be squeezed, and by how many days.
type room struct {
	leg  *relay.Leg
	days int
}

func (x *escape) rooms() []room {
	var out []room
	for i := range x.p.Legs {
		l := &x.p.Legs[i]
		if l.Done() {
			continue
		}
		least := l.Least
		if l.Rework > 0 { // half of what the leg needs at least, as its days are half
			least = min(l.Rework, max(1, (l.Least+1)/2))
		}
		if n := l.Need() - least; n > 0 {
			out = append(out, room{l, n})
		}
	}
	slices.SortStableFunc(out, func(a, b room) int { return cmp.Compare(b.days, a.days) })
	return out
}

// squeeze looks for the fewest legs, those with most room first, that make the
// piece whole when they take fewer days, on top of other changes; then it gives
// back the days that are not needed. Where all of them are not enough, what they
// gain is offered.
func (x *escape) squeeze(besides []Change) bool {
	rooms := x.rooms()
	const most = 12 // legs among which all sets are tried
	rooms = rooms[:min(len(rooms), most)]
	for size := 1; size <= len(rooms); size++ {
		var found []room
		subsets(len(rooms), size, func(at []int) bool {
			var set []room
			for _, i := range at {
				set = append(set, rooms[i])
			}
			if n, ok := x.try(append(slices.Clone(besides), x.allow(set)...)); ok && n >= 0 {
				found = set
			}
			return found == nil
		})
		if found != nil {
			x.relax(found, besides, 0)
			x.add(kindOf(besides), append(slices.Clone(besides), x.allow(found)...), 1)
			return true
		}
	}
	if best, ok := x.try(append(slices.Clone(besides), x.allow(rooms)...)); besides == nil && ok && best > x.now {
		x.relax(rooms, nil, best)
		rooms = slices.DeleteFunc(rooms, func(r room) bool { return r.days == 0 })
		x.add(Squeeze, x.allow(rooms), 1)
	}
	return false
}

func kindOf(besides []Change) Kind {
	if besides == nil {
		return Squeeze
	}
	return Both
}

// relax gives days back, to the legs with least room first, as long as the piece
// keeps what it is to have in hand.
func (x *escape) relax(set []room, besides []Change, keep int) {
	for i := len(set) - 1; i >= 0; i-- {
		for set[i].days > 0 {
			set[i].days--
			if n, ok := x.try(append(slices.Clone(besides), x.allow(set)...)); !ok || n < keep {
				set[i].days++
				break
			}
		}
	}
}

func (x *escape) allow(set []room) []Change {
	var out []Change
	for _, r := range set {
		if r.days > 0 {
			out = append(out, Change{Do: DoAllow, Piece: x.p.ID, Leg: r.leg.Key, Days: r.leg.Need() - r.days})
		}
	}
	return out
}

// subsets calls f with each choice of size among n indexes, in order, until it says no.
func subsets(n, size int, f func([]int) bool) {
	at := make([]int, size)
	var pick func(k, from int) bool
	pick = func(k, from int) bool {
		if k == size {
			return f(at)
		}
		for i := from; i <= n-(size-k); i++ {
			at[k] = i
			if !pick(k+1, i+1) {
				return false
			}
		}
		return true
	}
	pick(0, 0)
}

// give looks, for each leg that is not over, for the one who would gain most by
// taking it. For an open leg that runs, somebody who gains nothing is offered too:
// it slips no further then.
func (x *escape) give() {
	sheet := x.b.Load()
	for i := range x.p.Legs {
		l := &x.p.Legs[i]
		if l.Done() {
			continue
		}
		o := x.b.Opening(x.p, i, nil)
		best, most := ref.Person(0), x.now
		if l.State == relay.Running && l.Holder == 0 {
			most--
		}
		roomy := false // whoever is best makes it whole without a day that goes over
		for _, c := range load.Suggest(o, x.b.People, sheet, x.s.Today) {
			if c.Person == l.Holder {
				continue
			}
			changes := []Change{{Do: DoGive, Piece: x.p.ID, Leg: l.Key, Person: c.Person}}
			n, ok := x.try(changes)
			if !ok || n <= most && (roomy || n < 0) {
				continue
			}
			fits := n >= 0 && x.fits(changes)
			if fits && !roomy || fits == roomy && n > most {
				best, most, roomy = c.Person, n, fits
			}
		}
		if best != 0 {
			x.add(HandOn, []Change{{Do: DoGive, Piece: x.p.ID, Leg: l.Key, Person: best}}, 0)
		}
	}
}

// fits reports whether changes put nobody over their hours on a day.
func (x *escape) fits(changes []Change) bool {
	c, err := x.b.Preview(changes)
	return err == nil && !c.Over()
}

// Opening describes a leg of a piece as something to find a person for.
func (b *Board) Opening(p *relay.Piece, leg int, series []ref.Person) load.Open {
	l := p.At(leg)
	o := load.Open{Work: load.Work{Piece: p.ID, Desk: p.DeskID, Leg: leg, Person: l.Holder, Minutes: l.Remaining()}, Role: l.Role, Series: series}
	h, open := b.Desk(p), *p
	o.Today = b.Today(p.DeskID)
	if l.Holder != 0 { // its days by the desk's calendar, whoever has it now
		open.Legs, open.After = slices.Clone(p.Legs), slices.Clone(p.After)
		open.At(leg).Holder = 0
	}
	for _, w := range h.AddWorks(nil, &open, o.Today) {
		if w.Leg == leg {
			o.From, o.Due = w.From, w.Due
		}
	}
	if o.Due != 0 {
		return o
	}
	switch pr := h.Forward(&open, o.Today); { // it has no day, or nothing is left to do in it
	case !l.Later:
		o.From, o.Due = h.Window(pr.Start[leg], pr.End[leg])
	case p.Stage == relay.Out || pr.Lands >= day.Never:
		o.From, o.Due = o.Today, max(o.Today, l.Due)
	default: // as if it went out when it is ready
		o.From = max(o.Today, h.Calendar.Day(pr.Lands))
		o.Due = max(o.From, relay.DueAfter(l, o.From, h.Calendar))
	}
	return o
}

// overlap runs legs side by side with what they wait for: each alone, then all
// that help, then all with the fewest legs squeezed.
func (x *escape) overlap() {
	var all []Change
	whole := false
	for i := range x.p.Legs {
		c := Change{Do: DoOverlap, Piece: x.p.ID, Leg: x.p.Legs[i].Key}
		n, ok := x.try([]Change{c})
		if !ok || n <= x.now {
			continue
		}
		x.add(Overlap, []Change{c}, 1)
		whole = whole || n >= 0
		all = append(all, c)
	}
	if whole || len(all) == 0 {
		return
	}
	if n, ok := x.try(all); ok && n >= 0 && len(all) > 1 {
		x.add(Overlap, all, 1)
		return
	}
	if !slices.ContainsFunc(x.out, func(w Way) bool { return w.Kind == Squeeze && w.Complete }) {
		x.squeeze(all)
	}
}

// later looks for the next free slot that works.
func (x *escape) later() {
	tried := 0
	for _, t := range x.b.FreeSlots(x.p.ChannelID) {
		if t <= x.p.GoesOut || x.h.Ready(t.Date(x.h.Zone)) < x.pr.Lands {
			continue
		}
		before := len(x.out)
		if x.add(Later, []Change{{Do: DoMove, Piece: x.p.ID, At: t}}, 0); len(x.out) > before {
			return
		}
		if tried++; tried == 5 { // a pin holds it back
			return
		}
	}
}

// trade looks for pieces that go out later on the same channel, have time in
// hand, and stay whole on this one's day.
func (x *escape) trade() {
	var others []*relay.Piece
	for _, p := range x.b.Pieces {
		if p.ID != x.p.ID && p.ChannelID == x.p.ChannelID && p.Stage == relay.UnderWay && p.GoesOut > x.p.GoesOut && x.p.GoesOut > x.b.Now &&
			x.h.Ready(p.GoesOut.Date(x.h.Zone)) >= x.pr.Lands {
			others = append(others, p)
		}
	}
	slices.SortStableFunc(others, func(a, b *relay.Piece) int { return cmp.Or(cmp.Compare(a.GoesOut, b.GoesOut), cmp.Compare(a.ID, b.ID)) })
	found, tried := 0, 0
	for _, p := range others {
		h := x.b.Desk(p)
		if h.Ready(x.p.GoesOut.Date(h.Zone)) < h.Forward(p, x.s.Today).Lands {
			continue
		}
		before := len(x.out)
		if x.add(Trade, Swap(x.p, p), 0); len(x.out) > before {
			found++
		}
		if tried++; found == mostSwaps || tried == triedSwaps {
			return
		}
	}
}
