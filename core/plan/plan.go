// Package plan works out the dates of a piece: backward from its day (the plan)
// and forward from today (the projection), and from the two how many days are
// in hand or short, its pace, and which leg causes a shortfall.
package plan

import (
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// Desk is the figures of a desk by which its pieces are planned.
type Desk struct {
	Calendar *day.Calendar
	Zone     *time.Location
	Holder   func(person ref.Person) *day.Calendar // the days of one person; nil for everybody's days
	Margin   int                                   // working days a piece is ready before its day
	Quiet    int                                   // working days without a record after which a leg is quiet
	NoRoom   int                                   // days in hand up to which there is no room
}

// Days gives the days of one person; nil for nobody, whose days are the desk's.
func (h *Desk) Days(person ref.Person) *day.Calendar {
	if person == 0 || h.Holder == nil {
		return nil
	}
	return h.Holder(person)
}

// WorksBy reports whether somebody works on one of the days from one to another, both counted.
func (h *Desk) WorksBy(person ref.Person, from, to day.Date) bool {
	c := h.Days(person)
	if c == nil {
		c = h.Calendar
	}
	return c.Count(from, to+1) > 0
}

// Ready gives the boundary by which a piece that goes out on a date has to be ready.
func (h *Desk) Ready(goesOut day.Date) day.Boundary {
	return h.Calendar.Start(goesOut) - day.Boundary(h.Margin)
}

// Finish is the latest start and latest finish of one leg.
type Finish struct{ Start, Finish day.Boundary }

// Backward gives the latest start and finish of each leg so that all are done
// by ready. Legs come after what they wait for; skipped ones take nothing.
func (h *Desk) Backward(legs []relay.Leg, ready day.Boundary) []Finish {
	out := make([]Finish, len(legs))
	for i := len(legs) - 1; i >= 0; i-- {
		l := &legs[i]
		latest := ready
		for k := i + 1; k < len(legs); k++ {
			if legs[k].WaitsFor(l.Key) {
				latest = min(latest, out[k].Start)
			}
		}
		if l.Pin != 0 && l.State != relay.Skipped {
			latest = min(latest, h.Calendar.End(l.Pin))
		}
		out[i] = Finish{latest, latest}
		if l.State != relay.Skipped {
			out[i].Start = h.Calendar.Retreat(latest, l.Need(), h.Days(l.Holder))
		}
	}
	return out
}

// Set gives the legs with the due dates that follow from a publication day. A
// leg that was passed keeps the date it was due, and one that came back is due
// when its rework ends, counted from the day it began again; no day takes the
// dates away.
func (h *Desk) Set(legs []relay.Leg, goesOut day.Date) []relay.Leg {
	out := append([]relay.Leg(nil), legs...)
	var fin []Finish
	if goesOut != 0 {
		fin = h.Backward(legs, h.Ready(goesOut))
	}
	for i := range out {
		l := &out[i]
		switch {
		case l.State == relay.Passed && l.Due != 0:
		case goesOut == 0:
			l.Due = 0
		case l.State == relay.Running && l.Rework > 0 && l.Pin == 0:
			l.Due = h.Calendar.Due(h.Calendar.Advance(h.Calendar.Start(l.StartDay), l.Need(), h.Days(l.Holder)))
		default:
			l.Due = h.Calendar.Due(fin[i].Finish)
		}
	}
	return out
}

// Dates sets the due dates of all legs of a piece that follow from its day, those of legs after
// release too.
func (h *Desk) Dates(p *relay.Piece) {
	out := p.GoesOut.Date(h.Zone)
	p.Legs = h.Set(p.Legs, out)
	if p.Stage == relay.Out {
		out = p.OutAt.Date(h.Zone)
	}
	p.After = append([]relay.Leg(nil), p.After...)
	for i := range p.After {
		if l := &p.After[i]; !l.Done() {
			l.Due = relay.DueAfter(l, out, h.Calendar)
		}
	}
}

// Keeps gives the day by which whoever has a leg can keep its due date: that day, or, where
// they do not work on it, the last one before on which they do. Where there is none since it
// came to them it is the due date all the same; without one there is no day.
func (h *Desk) Keeps(l *relay.Leg) day.Date {
	days := h.Days(l.Holder)
	if l.Due == 0 || l.Done() || days == nil || days.Empty() || days.Working(l.Due) {
		return l.Due
	}
	last := days.Due(days.End(l.Due))
	if l.State == relay.Running && last < l.From() {
		return l.Due
	}
	return last
}

// StepDue gives the day by which a step is done that comes so many working days
// before its leg is due; no date while the leg has none.
func (h *Desk) StepDue(l *relay.Leg, before int) day.Date {
	if l.Due == 0 {
		return 0
	}
	return h.Calendar.Due(h.Calendar.End(l.Due) - day.Boundary(before))
}

// Reroute moves a piece over to another version of its route, with the due dates
// that follow.
func (h *Desk) Reroute(p relay.Piece, r route.Route, id ref.Route, s relay.Scene) (relay.Move, error) {
	m, err := relay.Reroute(p, r, id, s)
	if err == nil {
		h.Dates(&m.Piece)
	}
	return m, err
}

// lastFinish gives the boundary by which a final leg has to end for a piece to
// be ready in time: its own pin counts, if it lies earlier.
func (h *Desk) lastFinish(l *relay.Leg, ready day.Boundary) day.Boundary {
	if l.Pin != 0 {
		return min(ready, h.Calendar.End(l.Pin))
	}
	return ready
}

// InHand gives the working days in hand of each leg: its latest finish less its
// projected end. A piece without a day has none.
func (h *Desk) InHand(p *relay.Piece, pr *Projection) []int {
	if p.GoesOut == 0 {
		return nil
	}
	out := make([]int, len(p.Legs))
	for i, f := range h.Backward(p.Legs, h.Ready(p.GoesOut.Date(h.Zone))) {
		out[i] = int(f.Finish - pr.End[i])
	}
	return out
}
