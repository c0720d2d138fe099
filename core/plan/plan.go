// Package plan works out the dates of a piece: backward from its day (the plan)
// and forward from today (the projection), and from the two how many days are
// in hand or short, its pace, and which leg causes a shortfall.
package plan

import (
	"time"

	"greenbaton/core/day"
	"greenbaton/core/relay"
)

// House is the figures of a desk by which its pieces are planned.
type House struct {
	Calendar *day.Calendar
	Zone     *time.Location
	Holder   func(person int64) *day.Calendar // the days of one person; nil for everybody's days
	Margin   int                              // working days a piece is ready before its day
	Quiet    int                              // working days without a record after which a leg is quiet
	NoRoom   int                              // days in hand up to which there is no room
}

func (h *House) days(person int64) *day.Calendar {
	if person == 0 || h.Holder == nil {
		return nil
	}
	return h.Holder(person)
}

// Ready gives the boundary by which a piece that goes out on a date has to be ready.
func (h *House) Ready(goesOut day.Date) day.Boundary {
	return h.Calendar.Start(goesOut) - day.Boundary(h.Margin)
}

// Finish is the latest start and latest finish of one leg.
type Finish struct{ Start, Finish day.Boundary }

// Backward gives the latest start and finish of each leg so that all are done
// by ready. Legs come after what they wait for; skipped ones take nothing.
func (h *House) Backward(legs []relay.Leg, ready day.Boundary) []Finish {
	out := make([]Finish, len(legs))
	for i := len(legs) - 1; i >= 0; i-- {
		l := &legs[i]
		latest := ready
		for k := i + 1; k < len(legs); k++ {
			if legs[k].WaitsFor(l.Key) {
				latest = min(latest, out[k].Start)
			}
		}
		if l.Pin != 0 {
			latest = min(latest, h.Calendar.End(l.Pin))
		}
		out[i] = Finish{latest, latest}
		if l.State != relay.Skipped {
			out[i].Start = h.Calendar.Retreat(latest, l.Need(), h.days(l.Holder))
		}
	}
	return out
}

// Set gives the legs with the due dates that follow from a publication day. A
// leg that was passed keeps the date it was due; no day takes the dates away.
func (h *House) Set(legs []relay.Leg, goesOut day.Date) []relay.Leg {
	out := append([]relay.Leg(nil), legs...)
	var fin []Finish
	if goesOut != 0 {
		fin = h.Backward(legs, h.Ready(goesOut))
	}
	for i := range out {
		switch {
		case out[i].State == relay.Passed && out[i].Due != 0:
		case goesOut == 0:
			out[i].Due = 0
		default:
			out[i].Due = h.Calendar.Due(fin[i].Finish)
		}
	}
	return out
}

// Rework sets the due date of a leg that came back: the end of its rework
// allowance from the day it begins again. The legs behind it are planned afresh.
func (h *House) Rework(legs []relay.Leg, key string, goesOut day.Date) []relay.Leg {
	out := h.Set(legs, goesOut)
	for i := range out {
		if l := &out[i]; l.Key == key && goesOut != 0 {
			l.Due = h.Calendar.Due(h.Calendar.Advance(h.Calendar.Start(l.StartDay), l.Need(), h.days(l.Holder)))
		}
	}
	return out
}

// latest gives the boundary by which a leg has to end by its plan.
func (h *House) latest(l *relay.Leg) day.Boundary { return h.Calendar.End(l.Due) }
