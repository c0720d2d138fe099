package web

import (
	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/desk"
)

// chart is the plan of a piece drawn over working days against how it runs.
type chart struct {
	Width, Height float64
	Ticks         []tick
	Planned       []bar
	Runs          []bar
	Badges        []bar
	PlannedY      float64
	RunsY         float64
	Today         float64 // 0 when it lies outside
	Flag          float64
	FlagTone      string
	Bottom        float64
}

type tick struct {
	X     float64
	Label string
	Today bool
}

// The drawing is chartWidth units wide, the names of the rows taking chartLeft of them.
const (
	chartWidth = 1232.0
	chartLeft  = 96.0
	laneHeight = 30.0
	slender    = 5.0 // the least width of a leg
)

// newChart draws a sheet. A piece without a day has no planned row.
func newChart(b *desk.Books, s desk.Sheet) chart {
	cal := b.Houses[s.Row.DeskID].Calendar
	c := chart{Width: chartWidth, PlannedY: 34}
	first, last := span(cal, s)
	unit := (chartWidth - chartLeft - 58) / float64(max(1, last-first))
	at := func(k day.Boundary) float64 { return chartLeft + float64(min(max(k, first), last)-first)*unit }
	n := len(s.Legs)
	pf, pt, rf, rt := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	for i := range s.Legs {
		rf[i], rt[i] = at(s.Projection.Start[i]), at(s.Projection.End[i])
		if s.Finish == nil {
			continue
		}
		pf[i], pt[i] = at(s.Finish[i].Start), at(s.Finish[i].Finish)
		if due := s.Legs[i].Due; s.Legs[i].State == relay.Passed && due != 0 { // as it was planned when it was passed
			pt[i] = at(cal.End(due))
			pf[i] = min(pf[i], pt[i])
		}
	}
	plannedLanes := 0
	if s.Finish != nil {
		c.Planned, plannedLanes = bars(b, s, pf, pt, c.PlannedY)
	}
	c.RunsY = c.PlannedY + float64(plannedLanes)*laneHeight + 14
	if s.Finish == nil {
		c.RunsY = c.PlannedY
	}
	var lanes int
	c.Runs, lanes = bars(b, s, rf, rt, c.RunsY)
	for _, x := range c.Runs {
		if x.State == "running" || x.W >= 26 {
			c.Badges = append(c.Badges, x)
		}
	}
	c.Bottom = c.RunsY + float64(lanes)*laneHeight + 4
	c.Height = c.Bottom + 4
	c.days(cal, s, first, last, unit)
	if s.Row.GoesOut != 0 {
		c.Flag = at(cal.Start(s.Row.GoesOut.Date(b.Zones[s.Row.DeskID])))
		c.FlagTone = tone(s.Row.Standing)
	}
	return c
}

// bars places the legs of one row in lanes and gives the number of lanes.
func bars(b *desk.Books, s desk.Sheet, from, to []float64, top float64) ([]bar, int) {
	lane, _ := laneOf(s.Row.Legs, from, to)
	var out []bar
	lanes := 1
	for i := range s.Legs {
		l := &s.Legs[i].Leg
		if l.State == relay.Skipped {
			continue
		}
		lanes = max(lanes, lane[i]+1)
		x := bar{X: from[i] + 1, Y: top + float64(lane[i])*laneHeight, W: to[i] - from[i] - 2, H: 25, State: barState(l), Initials: initials(b, l.Holder)}
		if x.W < slender { // a same-day leg, or one passed on the day it came: a slip over the boundary
			x.X, x.W = max(chartLeft, to[i]-slender/2), slender
		}
		x.CX, x.CY = x.X+x.W/2, x.Y+x.H/2
		if room := int((x.W - 10) / 6.3); room >= len(l.Name) {
			x.Label = l.Name
		} else if room > 4 {
			x.Label = l.Name[:min(len(l.Name), room-2)] + "…"
		}
		out = append(out, x)
	}
	return out, lanes
}

// mostDays is how many working days the drawing holds; of a longer story the end is shown.
const mostDays = 120

// span gives the first and last boundary that the drawing has to hold: all legs
// as planned and as they run, the day, and today while the piece is under way.
func span(cal *day.Calendar, s desk.Sheet) (first, last day.Boundary) {
	first, last = day.Never, -day.Never
	hold := func(from, to day.Boundary) {
		if from > -day.Never && to < day.Never {
			first, last = min(first, from), max(last, to)
		}
	}
	if s.Row.Stage == relay.UnderWay {
		hold(cal.Start(s.Today), cal.End(s.Today))
	}
	for i := range s.Legs {
		if s.Legs[i].State == relay.Skipped {
			continue
		}
		hold(s.Projection.Start[i], s.Projection.End[i])
		if s.Finish != nil {
			hold(s.Finish[i].Start, s.Finish[i].Finish)
		}
	}
	return max(first, last-mostDays), last
}

// days labels as many working days as there is room for, and marks today.
func (c *chart) days(cal *day.Calendar, s desk.Sheet, first, last day.Boundary, unit float64) {
	every := max(1, int(62/unit)+1)
	if unit >= 62 {
		every = 1
	}
	today := cal.Start(s.Today)
	for k := first; k <= last; k++ {
		d := cal.Day(k)
		t := tick{X: chartLeft + float64(k-first)*unit, Today: k == today && cal.Working(s.Today) && s.Row.Stage == relay.UnderWay}
		far := int(k-today)%every == 0
		if far || t.Today {
			t.Label = d.Format("Mon 2")
			if d.Format("2") == "1" || k == first {
				t.Label = d.Format("Mon 2 Jan")
			}
		}
		c.Ticks = append(c.Ticks, t)
		if t.Today {
			c.Today = t.X + unit*0.35
		}
	}
}
