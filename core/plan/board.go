package plan

import (
	"maps"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Board is everything that plans reckon with at one moment: the pieces under way
// on all desks, with the people who run them. Nothing in it is changed, but that
// the load is worked out when it is first asked for; what a change would come to
// is worked out on a copy. A board is for one goroutine.
type Board struct {
	Now      day.Moment
	Desks    map[ref.Desk]*Desk // by desk
	People   []load.Person
	Pieces   []*relay.Piece                         // under way, by id; and those that are out and still hold a coming time, or have something left to do
	Steps    []load.Work                            // what people have to do besides legs
	Slots    func(channel ref.Channel) []day.Moment // the coming times of a channel, in order
	Worked   *load.Sheet                            // the load of everybody, if it was worked out already
	Remember func(*load.Sheet)                      // is told the load when it is worked out; may be nil
}

// Desk gives the figures of a piece's desk.
func (b *Board) Desk(p *relay.Piece) *Desk { return b.Desks[p.DeskID] }

// Today gives the date on a desk.
func (b *Board) Today(desk ref.Desk) day.Date { return b.Now.Date(b.Desks[desk].Zone) }

// Scene is the moment of an act on a piece.
func (b *Board) Scene(p *relay.Piece) relay.Scene {
	h := b.Desk(p)
	return relay.Scene{Now: b.Now, Today: b.Now.Date(h.Zone), Calendar: h.Calendar}
}

// Piece finds a piece of the board by its id, or nil.
func (b *Board) Piece(id ref.Piece) *relay.Piece {
	i, ok := slices.BinarySearchFunc(b.Pieces, id, func(p *relay.Piece, id ref.Piece) int { return int(p.ID - id) })
	if !ok {
		return nil
	}
	return b.Pieces[i]
}

// Person finds a person of the board by their id, or nil.
func (b *Board) Person(id ref.Person) *load.Person {
	if i := slices.IndexFunc(b.People, func(p load.Person) bool { return p.ID == id }); i >= 0 {
		return &b.People[i]
	}
	return nil
}

// LoadDays is how far ahead load is looked at, in days.
const LoadDays = 90

// AddWorks adds what is left of a piece's legs to a list of works. A running leg
// counts from the day it started, a waiting one from its latest start by the
// plan; without a day they count as they would run from here.
func (h *Desk) AddWorks(out []load.Work, p *relay.Piece, today day.Date) []load.Work {
	if p.AfterOpen() {
		return h.addAfter(out, p, today)
	}
	if p.Stage != relay.UnderWay || p.GoesOut == 0 && p.Parked() { // nobody has set out on it, or will by a day
		return out
	}
	var pr *Projection
	for i := range p.Legs {
		l := &p.Legs[i]
		if l.Done() || l.Remaining() == 0 {
			continue
		}
		w := load.Work{Piece: p.ID, Desk: p.DeskID, Today: today, Leg: i, Person: l.Holder, Minutes: l.Remaining(), From: l.From(), Due: l.Due}
		switch {
		case l.Due == 0:
			if pr == nil {
				x := h.Forward(p, today)
				pr = &x
			}
			w.From, w.Due = h.Window(pr.Start[i], pr.End[i])
		case l.State == relay.Waiting:
			w.From, w.Due = h.Window(h.Calendar.Retreat(h.Calendar.End(l.Due), l.Need(), h.Days(l.Holder)), h.Calendar.End(l.Due))
		}
		out = append(out, w)
	}
	return h.addAfter(out, p, today)
}

// addAfter adds what is left of the legs after release of a piece that is out, or has a day: from
// the day on which it goes out to that by which they are done.
func (h *Desk) addAfter(out []load.Work, p *relay.Piece, today day.Date) []load.Work {
	from := p.GoesOut.Date(h.Zone)
	if p.Stage == relay.Out {
		from = p.OutAt.Date(h.Zone)
	}
	for i := range p.After {
		l := &p.After[i]
		if l.Done() || l.Remaining() == 0 || l.Due == 0 {
			continue
		}
		w := load.Work{Piece: p.ID, Desk: p.DeskID, Today: today, Leg: len(p.Legs) + i, Person: l.Holder, Minutes: l.Remaining(), From: min(from, l.Due), Due: l.Due}
		if l.State == relay.Running {
			w.From = min(max(w.From, l.From()), l.Due)
		}
		out = append(out, w)
	}
	return out
}

// Window gives the first and last day between two boundaries; a same-day leg has
// one, that on which its predecessor is due.
func (h *Desk) Window(from, to day.Boundary) (day.Date, day.Date) {
	if to >= day.Never || from <= -day.Never { // somebody who never works: load says so
		from, to = min(max(from, 0), to), min(to, max(from, 0)+1)
	}
	due := h.Calendar.Due(to)
	return min(h.Calendar.Day(from), due), due
}

// Works gives what is left of all legs on the board and of steps besides them, of the people named, or of
// everybody and of open legs too with nil.
func (b *Board) Works(of map[ref.Person]bool) []load.Work {
	var out []load.Work
	today := map[ref.Desk]day.Date{}
	for id := range b.Desks {
		today[id] = b.Today(id)
	}
	for _, p := range b.Pieces {
		if of != nil && !holds(p, of) {
			continue
		}
		out = b.Desk(p).AddWorks(out, p, today[p.DeskID])
	}
	for _, w := range b.Steps {
		if of == nil || of[w.Person] {
			out = append(out, w)
		}
	}
	return out
}

// holds reports whether some leg of a piece that is not over is with one of some people.
func holds(p *relay.Piece, of map[ref.Person]bool) bool {
	for l := range p.Every() {
		if of[l.Holder] && !l.Done() {
			return true
		}
	}
	return false
}

// FirstDay gives the day on which loads begin: today on the desk where it is earliest.
func (b *Board) FirstDay() day.Date {
	var first day.Date
	for id := range b.Desks {
		if today := b.Today(id); first == 0 || today < first {
			first = today
		}
	}
	return first
}

// Load gives the load of everybody on the board.
func (b *Board) Load() *load.Sheet {
	if b.Worked == nil {
		today := b.FirstDay()
		b.Worked = load.Add(b.People, b.Works(nil), today, today+LoadDays)
		if b.Remember != nil {
			b.Remember(b.Worked)
		}
	}
	return b.Worked
}

// Replace gives the board with pieces as they are by now, or new on it.
func (b *Board) Replace(pieces map[ref.Piece]relay.Piece) *Board {
	if len(pieces) == 0 {
		return b
	}
	out := *b
	out.Pieces, out.Worked, out.Remember = slices.Clone(b.Pieces), nil, nil
	for _, id := range slices.Sorted(maps.Keys(pieces)) {
		p := pieces[id]
		i, known := slices.BinarySearchFunc(out.Pieces, id, func(p *relay.Piece, id ref.Piece) int { return int(p.ID - id) })
		switch on := p.Stage == relay.UnderWay || p.GoesOut > b.Now || p.AfterOpen(); {
		case known && on:
			out.Pieces[i] = &p
		case known:
			out.Pieces = slices.Delete(out.Pieces, i, i+1)
		case on:
			out.Pieces = slices.Insert(out.Pieces, i, &p)
		}
	}
	return &out
}
