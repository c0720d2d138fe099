package plan

import (
	"maps"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Do names what a change does.
type Do string

// What can be done to the plan.
const (
	DoMove      Do = "move"       // give a piece another day and time
	DoGive      Do = "give"       // give a leg to somebody
	DoAllow     Do = "allow"      // give a leg other working days
	DoPin       Do = "pin"        // set a leg's due date by hand
	DoNotBefore Do = "not before" // keep a leg from beginning before a date
	DoOverlap   Do = "overlap"    // run a leg side by side with what it waits for
	DoAway      Do = "away"       // take days off
)

// Change is one thing to be done to the plan.
type Change struct {
	Do     Do         `json:"do"`
	Piece  ref.Piece  `json:"piece,omitempty"`
	Leg    string     `json:"leg,omitempty"`
	At     day.Moment `json:"at,omitempty"`     // for DoMove; none takes the day away
	Keep   bool       `json:"keep,omitempty"`   // unfinished legs keep their due dates
	Person ref.Person `json:"person,omitempty"` // for DoGive and DoAway
	Days   int        `json:"days,omitempty"`   // for DoAllow
	Date   day.Date   `json:"date,omitempty"`   // for DoPin and DoNotBefore; for DoAway the first day
	To     day.Date   `json:"to,omitempty"`     // for DoAway the last day
	Note   string     `json:"note,omitempty"`   // for DoAway
}

// Apply carries out a change of one piece: what happens to it, and the due dates
// that follow, unless they are to be kept.
func (h *Desk) Apply(p relay.Piece, c Change, s relay.Scene) (relay.Move, error) {
	var m relay.Move
	var err error
	switch c.Do {
	case DoMove:
		m, err = relay.Place(p, c.At, s)
	case DoGive:
		m, err = relay.Give(p, c.Leg, c.Person, s)
	case DoAllow:
		m, err = relay.Allow(p, c.Leg, c.Days)
	case DoPin:
		m, err = relay.Pin(p, c.Leg, c.Date, s)
	case DoNotBefore:
		m, err = relay.NotBefore(p, c.Leg, c.Date, s)
	case DoOverlap:
		m, err = relay.Overlap(p, c.Leg, s)
	default:
		err = &relay.Refusal{Reason: relay.ErrInput, Text: "This change is not understood. Look at the page again."}
	}
	if err != nil {
		return m, err
	}
	if !c.Keep || m.Piece.GoesOut == 0 || p.GoesOut == 0 {
		h.Dates(&m.Piece)
	} else if c.Do == DoPin { // the pinned leg itself is due then
		l := m.Piece.Leg(c.Leg)
		if l.Due = c.Date; l.Due == 0 {
			q := m.Piece
			h.Dates(&q)
			l.Due = q.Leg(c.Leg).Due
		}
	}
	return m, nil
}

// Swap gives the changes that put two pieces each on the other's time.
func Swap(a, b *relay.Piece) []Change {
	return []Change{{Do: DoMove, Piece: a.ID, At: b.GoesOut}, {Do: DoMove, Piece: b.ID, At: a.GoesOut}}
}

// Row gives the changes that shift the pieces of a channel that go out at or after a time
// later by one slot each, which makes room. A piece that is not on a slot goes to the next.
func (b *Board) Row(channel ref.Channel, from day.Moment) []Change {
	var out []Change
	slots := b.Slots(channel)
	for _, p := range b.Pieces {
		if p.ChannelID != channel || p.Stage != relay.UnderWay || p.GoesOut < from || p.GoesOut == 0 {
			continue
		}
		at, on := slices.BinarySearch(slots, p.GoesOut)
		if on {
			at++
		}
		if at < len(slots) {
			out = append(out, Change{Do: DoMove, Piece: p.ID, At: slots[at]})
		}
	}
	return out
}

// Closing says how a gap is closed.
type Closing struct {
	Until ref.Piece // the last piece that moves; none moves all up to the next open slot
	Ready bool      // pieces that are ready move as well, which stay otherwise
}

// Close gives the changes that close a gap of a channel: each piece on a slot behind it goes
// where the one before it was, in order, until a slot is open that none has to be moved to.
// A piece that is ready stays, and those behind it pass it, unless it is chosen as the last
// or all are to move. Pieces that are on no slot have no part in it.
func (b *Board) Close(channel ref.Channel, gap day.Moment, how Closing) []Change {
	on := map[day.Moment][]*relay.Piece{}
	for _, p := range b.Pieces {
		if p.ChannelID == channel && p.Stage == relay.UnderWay && p.GoesOut > gap {
			on[p.GoesOut] = append(on[p.GoesOut], p)
		}
	}
	var out []Change
	for _, t := range b.Slots(channel) {
		if t <= gap || gap == 0 {
			continue
		}
		held := on[t]
		if len(held) == 0 {
			break
		}
		stays := func(p *relay.Piece) bool { return p.Ready() && !how.Ready && p.ID != how.Until }
		k := slices.IndexFunc(held, func(p *relay.Piece) bool { return !stays(p) })
		if k < 0 {
			continue
		}
		out = append(out, Change{Do: DoMove, Piece: held[k].ID, At: gap})
		if gap = t; len(held) > 1 || held[k].ID == how.Until { // nothing is open behind it, or no more is to move
			break
		}
	}
	return out
}

// Gap gives the slot that is to be filled where a gap is closed from a time on: that time
// itself, or, where a piece goes out then, the slot before it; no time if there is none.
func (b *Board) Gap(channel ref.Channel, from day.Moment) day.Moment {
	if !b.taken(channel)[from] {
		return from
	}
	slots := b.Slots(channel)
	if at, _ := slices.BinarySearch(slots, from); at > 0 {
		return slots[at-1]
	}
	return 0
}

// Sum is what changes come to over all pieces.
type Sum struct {
	Moved   int          // pieces that are changed
	Tighter int          // that have fewer days in hand, or are shorter still
	Short   int          // that become short
	Over    []ref.Person // who has more on a day by it than they work
}

// Sum adds up what changes come to.
func (c *Consequence) Sum() Sum {
	var out Sum
	for _, e := range c.Effects {
		if e.Untouched {
			continue
		}
		out.Moved++
		switch {
		case e.After.Pace == Short && e.Before.Pace != Short:
			out.Short++
		case e.Was.GoesOut != 0 && e.Move.Piece.GoesOut != 0 && e.After.InHand < e.Before.InHand:
			out.Tighter++
		}
	}
	for _, s := range c.People {
		if s.After >= s.Works+FewMinutes && s.After > s.Before && !slices.Contains(out.Over, s.Person) {
			out.Over = append(out.Over, s.Person)
		}
	}
	return out
}

// InWeek gives the time at which a piece would go out in the week of a date: on the
// weekday and at the time it has, or, without a day, at the first free slot of its
// channel in that week; none if there is none.
func (b *Board) InWeek(p *relay.Piece, week day.Date) day.Moment {
	zone, first := b.Desk(p).Zone, week.Monday()
	if p.GoesOut != 0 {
		on := p.GoesOut.Date(zone)
		return b.Desk(p).onDay(p, first+on-on.Monday())
	}
	for _, t := range b.FreeSlots(p.ChannelID) {
		if d := t.Date(zone); d >= first && d < first+7 {
			return t
		}
	}
	return 0
}

// Later gives the time at which a piece that has a day would go out so many working days
// later, or earlier with a minus, at the same time of day.
func (h *Desk) Later(p *relay.Piece, days int) day.Moment {
	return h.onDay(p, h.Calendar.Day(h.Calendar.Start(p.GoesOut.Date(h.Zone))+day.Boundary(days)))
}

// onDay gives the time of day of a piece on another date.
func (h *Desk) onDay(p *relay.Piece, d day.Date) day.Moment {
	at := p.GoesOut.In(h.Zone)
	return day.Wall(d, at.Hour()*60+at.Minute(), h.Zone)
}

// Away gives the board with somebody taking days off.
func (b *Board) Away(c Change) (*Board, error) {
	bad := func(field, text string) error {
		return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: text}
	}
	today := b.FirstDay()
	switch {
	case b.Person(c.Person) == nil:
		return nil, bad("person", "Choose somebody who works here.")
	case c.Date == 0:
		return nil, bad("from", "Say on which day it begins.")
	case c.To < c.Date:
		return nil, bad("to", "The last day lies before the first. Turn them round.")
	case c.To < today:
		return nil, bad("to", "These days are past already; nothing would change.")
	case c.To-c.Date > 3*366:
		return nil, bad("to", "Days off reach over three years at most. Retire the person instead.")
	}
	out := *b
	out.Worked, out.Remember = nil, nil
	span := []day.Span{{From: c.Date, To: c.To}}
	out.People = append([]load.Person(nil), b.People...)
	if p := out.Person(c.Person); p.Days != nil {
		p.Days = p.Days.For(everyDay, span)
		p.On = maps.Clone(p.On)
		for desk, days := range p.On {
			p.On[desk] = days.For(everyDay, span)
		}
	}
	out.Desks = map[ref.Desk]*Desk{}
	for id, h := range b.Desks {
		x, was := *h, h.Days(c.Person)
		if was == nil {
			was = h.Calendar
		}
		own := was.For(everyDay, span)
		x.Holder = func(person ref.Person) *day.Calendar {
			if person == c.Person {
				return own
			}
			return h.Days(person)
		}
		out.Desks[id] = &x
	}
	return &out, nil
}

var everyDay = day.Weekdays{true, true, true, true, true, true, true}
