package plan

import (
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/relay"
)

// Pace says in a word how a piece stands.
type Pace string

// The paces of a piece.
const (
	Out       Pace = "out"
	Withdrawn Pace = "withdrawn"
	Ready     Pace = "ready"
	InHand    Pace = "in hand"
	NoRoom    Pace = "no room"
	Short     Pace = "short"
	Unplaced  Pace = "no day"
)

// Why says what is the matter with the leg that causes a shortfall.
type Why string

// The causes of a shortfall.
const (
	Open     Why = "open"     // nobody holds it
	Away     Why = "away"     // its holder is away before it could end
	Late     Why = "late"     // its due date is past
	Overlong Why = "overlong" // it takes longer from here than there is time
)

// Cause is the running leg at which the critical chain begins.
type Cause struct {
	Leg      string // its key; empty when nothing runs
	Why      Why
	Late     int      // working days past its due date; of a leg that began after it, past its days from then on
	Before   int      // working days from its due date to the day it began, where it began late
	Days     int      // working days it still takes from today by the projection
	From, To day.Date // the first run of days that its holder is away before it ends, or in the next three
}

// Projection is where a piece would land from here.
type Projection struct {
	Start, End []day.Boundary // of each leg
	Lands      day.Boundary   // the end of the last leg
	Worst      int            // the final leg with the least in hand, or without a day the one that ends last; -1 for none
	InHand     int            // working days between plan and projection; negative is short
	Pace       Pace
	Quiet      int  // the most working days a running leg has been without a record
	IsQuiet    bool // Quiet has reached the desk's setting
	Open       bool // a running leg is held by nobody
	Cause      Cause
}

// Forward projects a piece from today.
func (h *Desk) Forward(p *relay.Piece, today day.Date) Projection {
	n := len(p.Legs)
	ends := make([]day.Boundary, 2*n)
	out := Projection{Start: ends[:n:n], End: ends[n:], Pace: Unplaced, Worst: -1}
	now, tonight := h.Calendar.Start(today), h.Calendar.End(today)
	slack, ready := int(day.Never), day.Never
	if p.GoesOut != 0 {
		ready = h.Ready(p.GoesOut.Date(h.Zone))
	}
	for i := range p.Legs {
		l := &p.Legs[i]
		h.project(p.Legs, i, &out, now, tonight)
		if l.State == relay.Running {
			out.Open = out.Open || l.Holder == 0
			out.Quiet = max(out.Quiet, int(now-h.Calendar.Start(l.TouchedAt.Date(h.Zone))))
		}
		if !p.Final(l.Key) {
			continue
		}
		out.Lands = max(out.Lands, out.End[i])
		if d := int(h.lastFinish(l, ready) - out.End[i]); out.Worst < 0 || d < slack {
			slack, out.Worst = d, i
		}
	}
	out.IsQuiet = h.Quiet > 0 && out.Quiet >= h.Quiet && p.Stage == relay.UnderWay
	if p.GoesOut != 0 && out.Worst >= 0 {
		out.InHand = slack
	}
	out.Pace = h.pace(p, &out)
	if out.Pace == Short || out.Pace == NoRoom {
		out.Cause = h.cause(p, &out, today)
	}
	return out
}

// project gives the start and end of one leg, those before it being known.
func (h *Desk) project(legs []relay.Leg, i int, out *Projection, now, tonight day.Boundary) {
	l := &legs[i]
	if l.State == relay.Passed {
		out.Start[i], out.End[i] = h.Calendar.Start(l.StartDay), h.Calendar.End(l.EndDay)
		return
	}
	start, any := day.Boundary(0), false
	for k := range i {
		if l.WaitsFor(legs[k].Key) {
			start, any = max(start, out.End[k]), true
		}
	}
	if !any {
		start = now
	}
	switch l.State {
	case relay.Running:
		out.Start[i] = h.Calendar.Start(l.StartDay)
		out.End[i] = max(h.Calendar.Advance(h.Counts(l, now), l.Need(), h.Days(l.Holder)), tonight)
	case relay.Skipped:
		out.Start[i], out.End[i] = start, start
	default:
		start = max(start, now)
		if l.NotBefore != 0 {
			start = max(start, h.Calendar.Start(l.NotBefore))
		}
		out.Start[i] = start
		out.End[i] = h.Calendar.Advance(start, l.Need(), h.Days(l.Holder))
	}
}

// Counts gives the boundary from which the days of a running leg are counted: when its
// present holder could begin, and while nobody has it the start of today, each day anew.
func (h *Desk) Counts(l *relay.Leg, now day.Boundary) day.Boundary {
	if l.Holder == 0 {
		return max(now, h.Calendar.Start(l.StartDay))
	}
	return h.Calendar.Start(l.From())
}

func (h *Desk) pace(p *relay.Piece, pr *Projection) Pace {
	switch {
	case p.Stage == relay.Out:
		return Out
	case p.Stage == relay.Withdrawn:
		return Withdrawn
	case p.Ready():
		return Ready
	case p.GoesOut == 0:
		return Unplaced
	}
	return h.PaceOf(pr.InHand)
}

// PaceOf says how working days in hand are to be taken on this desk.
func (h *Desk) PaceOf(inHand int) Pace {
	switch {
	case inHand < 0:
		return Short
	case inHand <= h.NoRoom:
		return NoRoom
	}
	return InHand
}

// Chain gives the critical chain: the legs, by index and in order, from the one
// that is waited for now to the final leg with the least in hand.
func (pr *Projection) Chain(p *relay.Piece) []int {
	var out []int
	for i := pr.Worst; i >= 0; {
		out = append(out, i)
		if p.Legs[i].State == relay.Running {
			break
		}
		before := -1
		for k := range i {
			if p.Legs[i].WaitsFor(p.Legs[k].Key) && (before < 0 || pr.End[k] > pr.End[before] ||
				pr.End[k] == pr.End[before] && !p.Legs[k].Done()) {
				before = k
			}
		}
		i = before
	}
	slices.Reverse(out)
	return out
}

// cause says what is the matter with the first running leg of the critical chain.
func (h *Desk) cause(p *relay.Piece, pr *Projection, today day.Date) Cause {
	chain := pr.Chain(p)
	if len(chain) == 0 || p.Legs[chain[0]].State != relay.Running {
		return Cause{}
	}
	i := chain[0]
	l := &p.Legs[i]
	c := Cause{Leg: l.Key, Why: Overlong, Days: int(pr.End[i] - h.Calendar.Start(today))}
	if l.Due != 0 {
		c.Late = max(0, int(h.Calendar.Start(today+1)-h.RunsOut(l)))
		c.Before = max(0, h.Calendar.Count(l.Due+1, l.Since(h.Zone)+1))
	}
	cal := h.Days(l.Holder)
	if cal != nil {
		c.From, c.To = h.misses(cal, today, max(pr.End[i], h.Calendar.Start(today)+3))
	}
	switch {
	case l.Holder == 0:
		c.Why = Open
	case c.From != 0 && h.Calendar.Start(c.From) < pr.End[i]:
		c.Why = Away
	case c.Late > 0 || c.Before > 0:
		c.Why = Late
	}
	return c
}

// RunsOut gives when a running leg with a due date is over by its plan: with that date, or,
// where it came to whoever has it only after it, once they have had its days.
func (h *Desk) RunsOut(l *relay.Leg) day.Boundary {
	if began := l.Since(h.Zone); began > l.Due {
		return h.Calendar.Start(began) + day.Boundary(max(1, l.Allowance))
	}
	return h.Calendar.End(l.Due)
}

// misses gives the first run of the desk's working days, from today to a
// boundary, on which a holder does not work; no dates if there is none.
func (h *Desk) misses(holder *day.Calendar, today day.Date, end day.Boundary) (from, to day.Date) {
	now := h.Calendar.Start(today)
	if end >= day.Never { // they never work again
		return h.Calendar.NextWorking(today), h.Calendar.Day(now + 4)
	}
	for k := now; k < min(end, now+day.Boundary(250)); k++ {
		d := h.Calendar.Day(k)
		switch {
		case !holder.Working(d) && from == 0:
			from, to = d, d
		case !holder.Working(d):
			to = d
		case from != 0:
			return from, to
		}
	}
	return from, to
}

// Earliest gives the first of the times, in order, at which nothing would be
// short, or no time.
func (h *Desk) Earliest(lands day.Boundary, times []day.Moment) day.Moment {
	for _, t := range times {
		if h.Ready(t.Date(h.Zone)) >= lands {
			return t
		}
	}
	return 0
}
