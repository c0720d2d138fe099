package plan

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Consequence is what changes would come to, whatever they are.
type Consequence struct {
	Changes []Change
	Effects []Effect     // on pieces, those that are changed themselves first
	People  []load.Shift // days that go over, stop being over or are over otherwise
	Touched []ref.Person // everybody who has more, less or other days by it, by name
	Clashes []Clash
	Off     []Clash // times at which their channels have no slot
	Runs    []Run   // rows of one topic that the changes make or lengthen
}

// Effect is what changes do to one piece.
type Effect struct {
	Was       *relay.Piece
	Move      relay.Move // the piece as it would be, and what happens to it
	Dates     []DateChange
	Before    Projection
	After     Projection
	Misfits   []Misfit // legs whose dates no longer fit
	Untouched bool     // the piece itself stays as it is, only its projection differs
}

// DateChange is a due date before and after.
type DateChange struct {
	Leg      string
	From, To day.Date
}

// Misfit is a leg whose due date lies after the day by which it has to end.
type Misfit struct {
	Leg    string
	Due    day.Date
	Latest day.Date
}

// Clash is a piece on a time that others hold as well, or at which its channel, which has
// slots, has none.
type Clash struct {
	Piece *relay.Piece
	At    day.Moment
	With  []*relay.Piece
	Free  day.Moment // the next free slot after it
}

// FewMinutes is how much more than their hours somebody may have on a day before it counts:
// what is shared out evenly does not come out even.
const FewMinutes = 10

// Over reports whether the changes put more on a day of somebody than they work, or more
// still where it is over already.
func (c *Consequence) Over() bool {
	return len(c.Sum().Over) > 0
}

// Piece finds a piece that is changed, as it was, or nil.
func (c *Consequence) Piece(id ref.Piece) *relay.Piece {
	for _, e := range c.Effects {
		if e.Was.ID == id {
			return e.Was
		}
	}
	return nil
}

// Trial is changes that are tried together.
type Trial struct {
	Consequence        // of those that can be carried out
	After       *Board // as everything would be then
	Failed      []Failure
}

// Failure is a change that cannot be carried out, with the *relay.Refusal that says why.
type Failure struct {
	Change Change
	Why    error
}

// Preview works out what changes come to, one after another, without saving
// anything. A *relay.Refusal says why one of them cannot be done.
func (b *Board) Preview(changes []Change) (Consequence, error) {
	t := b.apply(changes)
	if len(t.Failed) > 0 {
		return Consequence{Changes: changes}, t.Failed[0].Why
	}
	return t.weighed(b).Consequence, nil
}

// Try works out what changes come to, like Preview, but leaves out those that cannot be
// carried out and gives them with their reasons.
func (b *Board) Try(changes []Change) Trial {
	t := b.apply(changes)
	return t.weighed(b)
}

// trial is a Trial while it is worked out.
type trial struct {
	Trial
	moved map[ref.Piece]*Effect
	order []ref.Piece // in which pieces are changed
	away  map[ref.Person]bool
}

// apply carries out changes one after another, days off first, since the others are to
// reckon with them.
func (b *Board) apply(changes []Change) *trial {
	t := &trial{moved: map[ref.Piece]*Effect{}, away: map[ref.Person]bool{}, Trial: Trial{After: b}}
	done := make([]bool, len(changes))
	fail := func(c Change, why error) { t.Failed = append(t.Failed, Failure{c, why}) }
	for i, c := range changes {
		if c.Do != DoAway {
			continue
		}
		after, err := t.After.Away(c)
		if err != nil {
			fail(c, err)
			continue
		}
		t.After, t.away[c.Person], done[i] = after, true, true
	}
	for i, c := range changes {
		if c.Do == DoAway {
			continue
		}
		if err := t.change(b, c); err != nil {
			fail(c, err)
			continue
		}
		done[i] = true
	}
	for i, c := range changes {
		if done[i] {
			t.Changes = append(t.Changes, c)
		}
	}
	return t
}

// change carries out one change of a piece on what those before it made of it.
func (t *trial) change(b *Board, c Change) error {
	was := b.Piece(c.Piece)
	if was == nil {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This piece is not under way any more. Look at it again."}
	}
	e := t.moved[c.Piece]
	if e == nil {
		e = &Effect{Was: was, Move: relay.Move{Piece: *was}}
	}
	m, err := t.After.Desk(was).Apply(e.Move.Piece, c, b.Scene(was))
	if err != nil {
		return err
	}
	if t.moved[c.Piece] == nil {
		t.moved[c.Piece] = e
		t.order = append(t.order, c.Piece)
	}
	m.Events, m.Runs = append(e.Move.Events, m.Events...), append(e.Move.Runs, m.Runs...)
	e.Move = m
	return nil
}

// weighed works out what the changes that were carried out come to on a board.
func (t *trial) weighed(b *Board) Trial {
	out := &t.Trial
	for _, id := range t.order {
		e := t.moved[id]
		b.weigh(t.After, e)
		out.Effects = append(out.Effects, *e)
	}
	out.After = t.After.with(t.moved)
	out.Effects = append(out.Effects, b.alsoAway(out.After, t.away, t.moved)...)
	out.People, out.Touched = b.shifts(out.After, out.Effects, t.away)
	out.Runs = b.newRuns(out.After, t.order)
	for _, id := range t.order {
		was, is := b.Piece(id), out.After.Piece(id)
		if is.GoesOut == was.GoesOut && is.ChannelID == was.ChannelID {
			continue
		}
		switch c, slot := out.After.Look(is, was.GoesOut); {
		case c.With != nil:
			out.Clashes = append(out.Clashes, c)
		case !slot:
			out.Off = append(out.Off, c)
		}
	}
	return *out
}

// weigh works out what an effect does to dates and days in hand.
func (b *Board) weigh(after *Board, e *Effect) {
	h, p := after.Desk(e.Was), &e.Move.Piece
	today := b.Today(p.DeskID)
	e.Before, e.After = b.Desk(e.Was).Forward(e.Was, today), h.Forward(p, today)
	for i := range p.Legs {
		l := &p.Legs[i]
		if was := e.Was.Leg(l.Key); was != nil && was.Due != l.Due {
			e.Dates = append(e.Dates, DateChange{l.Key, was.Due, l.Due})
		}
	}
	if p.GoesOut == 0 {
		return
	}
	for i, f := range h.Backward(p.Legs, h.Ready(p.GoesOut.Date(h.Zone))) {
		if l := &p.Legs[i]; !l.Done() && l.Due != 0 && h.Calendar.End(l.Due) > f.Finish && !(l.State == relay.Running && l.Rework > 0) {
			e.Misfits = append(e.Misfits, Misfit{l.Key, l.Due, h.Calendar.Due(f.Finish)})
		}
	}
}

// alsoAway gives the pieces that stay as they are and yet stand otherwise when
// somebody takes days off.
func (b *Board) alsoAway(after *Board, who map[ref.Person]bool, moved map[ref.Piece]*Effect) []Effect {
	var out []Effect
	if len(who) == 0 {
		return out
	}
	for _, p := range b.Pieces {
		if p.Stage != relay.UnderWay || moved[p.ID] != nil || !slices.ContainsFunc(p.Legs, func(l relay.Leg) bool { return who[l.Holder] && !l.Done() }) {
			continue
		}
		e := Effect{Was: p, Move: relay.Move{Piece: *p}, Untouched: true}
		if b.weigh(after, &e); e.Before.InHand != e.After.InHand || e.Before.Pace != e.After.Pace {
			out = append(out, e)
		}
	}
	return out
}

// with gives the board with pieces as they would be.
func (b *Board) with(moved map[ref.Piece]*Effect) *Board {
	out := *b
	out.Pieces = slices.Clone(b.Pieces)
	for i, p := range out.Pieces {
		if e := moved[p.ID]; e != nil {
			out.Pieces[i] = &e.Move.Piece
		}
	}
	out.Worked, out.Remember = nil, nil
	return &out
}

// shifts compares the load of those whom effects concern, of those who take days off, and of
// those whose legs move because of that, on two boards.
func (b *Board) shifts(after *Board, effects []Effect, away map[ref.Person]bool) ([]load.Shift, []ref.Person) {
	var gone, come []load.Work
	of := maps.Clone(away)
	for _, e := range effects {
		if today := b.Today(e.Was.DeskID); !e.Untouched {
			gone, come = b.Desk(e.Was).AddWorks(gone, e.Was, today), after.Desk(e.Was).AddWorks(come, &e.Move.Piece, today)
		}
	}
	if len(away) > 0 {
		b.beside(away, of)
	}
	for _, w := range append(slices.Clone(gone), come...) {
		of[w.Person] = true
	}
	var people []load.Person
	for _, p := range after.People {
		if of[p.ID] {
			people = append(people, p)
		}
	}
	if len(people) == 0 {
		return nil, nil
	}
	before := b.Load()
	then := before.With(people, gone, come)
	if len(away) > 0 { // all of theirs falls on other days
		then = load.Add(people, after.Works(of), before.From, before.To)
	}
	return load.Compare(before, then, people), load.Changed(before, then, people)
}

// beside adds everybody who has a leg of a piece in which somebody who takes days off has one
// still to run.
func (b *Board) beside(away, of map[ref.Person]bool) {
	for _, p := range b.Pieces {
		if p.Stage == relay.UnderWay && slices.ContainsFunc(p.Legs, func(l relay.Leg) bool { return away[l.Holder] && !l.Done() }) {
			for i := range p.Legs {
				of[p.Legs[i].Holder] = true
			}
		}
	}
}

// Look looks at the time at which a piece, of the board or not, would go out on its channel:
// who is there besides, whether there is a slot, and which is the next free one after it, but
// for the time it leaves. A channel without slots, and a piece without a day, have nothing
// amiss.
func (b *Board) Look(p *relay.Piece, leaves day.Moment) (c Clash, slot bool) {
	if p.GoesOut == 0 || p.ChannelID == 0 {
		return Clash{}, true
	}
	c = Clash{Piece: p, At: p.GoesOut}
	for _, x := range b.Pieces {
		if x.ID != p.ID && x.ChannelID == p.ChannelID && x.GoesOut == p.GoesOut {
			c.With = append(c.With, x)
		}
	}
	slots := b.Slots(p.ChannelID)
	_, slot = slices.BinarySearch(slots, p.GoesOut)
	slot = slot || len(slots) == 0 || p.GoesOut <= b.Now || p.GoesOut > slots[len(slots)-1]
	if c.With != nil || !slot {
		c.Free = b.nextFree(p.ChannelID, p.GoesOut, leaves)
	}
	return c, slot
}

// nextFree gives the first slot of a channel after a time that no piece holds, but
// for one that is left out, or none.
func (b *Board) nextFree(channel ref.Channel, after, but day.Moment) day.Moment {
	taken := b.taken(channel)
	taken[but] = true
	for _, t := range b.Slots(channel) {
		if t > after && !taken[t] {
			return t
		}
	}
	return 0
}

// FreeSlots gives the coming slots of a channel that no piece holds, in order.
func (b *Board) FreeSlots(channel ref.Channel) []day.Moment {
	taken := b.taken(channel)
	return slices.DeleteFunc(slices.Clone(b.Slots(channel)), func(t day.Moment) bool { return taken[t] })
}

func (b *Board) taken(channel ref.Channel) map[day.Moment]bool {
	out := map[day.Moment]bool{}
	for _, p := range b.Pieces {
		if p.ChannelID == channel && p.GoesOut > b.Now {
			out[p.GoesOut] = true
		}
	}
	return out
}

// Seal is a fingerprint of a consequence: two that are sealed alike say the same.
func (c *Consequence) Seal() string {
	type sealed struct {
		Piece   ref.Piece
		Version int
		Legs    []relay.Leg
		GoesOut day.Moment
		InHand  int
		Dates   []DateChange
		Misfits []Misfit
	}
	var effects []sealed
	for _, e := range c.Effects {
		legs := slices.Clone(e.Move.Piece.Legs)
		for i := range legs { // the second at which it is done makes no difference
			legs[i].StartedAt, legs[i].TouchedAt, legs[i].Turn = 0, 0, 0 // and so does the order by hand
		}
		effects = append(effects, sealed{e.Was.ID, e.Was.Version, legs, e.Move.Piece.GoesOut, e.After.InHand, e.Dates, e.Misfits})
	}
	var clashes []any
	for _, x := range append(slices.Clone(c.Clashes), c.Off...) {
		with := []ref.Piece{x.Piece.ID}
		for _, p := range x.With {
			with = append(with, p.ID)
		}
		clashes = append(clashes, with, x.At, x.Free)
	}
	text, err := json.Marshal([]any{c.Changes, effects, c.People, c.Touched, clashes})
	if err != nil { // plain values always encode
		return fmt.Sprint("unsealed: ", err)
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:10])
}
