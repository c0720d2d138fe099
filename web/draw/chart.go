package draw

import (
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

// Chart is the plan of a piece drawn over the desk's weekdays against how it runs.
type Chart struct {
	Width, Height float64
	Piece         ref.Piece
	Ticks         []tick
	Off           []offDay // days off in the desk's week
	Planned       []Bar
	Runs          []Bar
	Away          []Bar // days on which the holder of a leg is not there
	Badges        []Bar
	Handles       []handle
	PlannedY      float64
	RunsY         float64
	Today         float64 // 0 when it lies outside
	Flag          float64
	FlagDate      day.Date
	FlagTone      string
	Bottom        float64
	Left, Unit    float64
	Dates         string // of the columns, for the hand that drags
	Moves         bool   // the flag and the legs' ends can be moved
}

type tick struct {
	X     float64
	Label string
	Today bool
}

type offDay struct {
	X, W float64
	Name string
}

// handle is the end of a leg, by which its due date is moved.
type handle struct {
	Key, Name string
	X, Y, H   float64
	Date      day.Date
	Pinned    bool
}

// The drawing is chartWidth units wide, the names of the rows taking chartLeft of them.
const (
	chartWidth = 1232.0
	chartLeft  = 96.0
	laneHeight = 30.0
	Slender    = 5.0 // the least width of a leg
	mostDays   = 120 // columns; of a longer story the end is shown
	aheadDays  = 8   // columns behind everything, to which a hand can move things
)

// drawing is a chart in the making.
type drawing struct {
	Chart
	b           *newsroom.Setup
	s           planning.Sheet
	cal, week   *day.Calendar // the desk's days, and its weekdays without days off
	first, last day.Boundary  // of the columns, as boundaries of the week
}

// NewChart draws a sheet. A piece without a day has no planned row.
func NewChart(b *newsroom.Setup, s planning.Sheet) Chart {
	d := drawing{b: b, s: s, cal: b.Planned[s.Row.DeskID].Calendar, week: day.NewCalendar(b.Desk(s.Row.DeskID).Week(), nil)}
	d.Chart = Chart{Width: chartWidth, PlannedY: 34, Left: chartLeft, Piece: s.Row.ID}
	d.Moves = s.May[relay.ActPlan] && s.Row.Stage == relay.UnderWay
	d.span()
	d.Unit = (chartWidth - chartLeft - 58) / float64(max(1, d.last-d.first))
	n := len(s.Legs)
	pf, pt, rf, rt := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	for i := range s.Legs {
		rf[i], rt[i] = d.start(s.Projection.Start[i]), d.end(s.Projection.End[i])
		if rt[i] < rf[i] { // a same-day leg, or one passed before its first day counted
			rf[i] = rt[i]
		}
		if s.Finish == nil {
			continue
		}
		pf[i], pt[i] = d.start(s.Finish[i].Start), d.end(s.Finish[i].Finish)
		if due := s.Legs[i].Due; due != 0 && (s.Legs[i].State == relay.Passed || s.Legs[i].Rework > 0) { // as it was agreed
			l := &s.Legs[i].Leg
			pt[i] = d.end(d.cal.End(due))
			pf[i] = d.start(d.cal.Retreat(d.cal.End(due), l.Need(), b.Planned[s.Row.DeskID].Days(l.Holder)))
		}
		pf[i] = min(pf[i], pt[i])
	}
	lanes := 0
	if s.Finish != nil {
		d.Planned, lanes = bars(b, s, pf, pt, d.PlannedY)
		d.handles()
	}
	d.RunsY = d.PlannedY + float64(lanes)*laneHeight + 14
	if s.Finish == nil {
		d.RunsY = d.PlannedY
	}
	d.Runs, lanes = bars(b, s, rf, rt, d.RunsY)
	for _, x := range d.Runs {
		if x.State == "running" || x.W >= 26 {
			d.Badges = append(d.Badges, x)
		}
	}
	d.absences()
	d.Bottom = d.RunsY + float64(lanes)*laneHeight + 4
	d.Height = d.Bottom + 4
	d.columns()
	if s.Row.GoesOut != 0 {
		d.FlagDate = s.Row.GoesOut.Date(b.Zones[s.Row.DeskID])
		d.Flag = d.at(d.week.Start(d.FlagDate))
		d.FlagTone = kit.Tone(s.Row.Standing)
	}
	return d.Chart
}

// at gives where a boundary of the week is drawn.
func (d *drawing) at(k day.Boundary) float64 {
	return chartLeft + float64(min(max(k, d.first), d.last)-d.first)*d.Unit
}

// start and end give where a leg that begins or ends at a boundary of the desk's
// days is drawn: at the beginning of its first day, at the end of its last.
func (d *drawing) start(k day.Boundary) float64 { return d.at(d.startOf(k)) }

func (d *drawing) end(k day.Boundary) float64 { return d.at(d.endOf(k)) }

func (d *drawing) startOf(k day.Boundary) day.Boundary {
	if k >= day.Never || k <= -day.Never {
		return k
	}
	return d.week.Start(d.cal.Day(k))
}

func (d *drawing) endOf(k day.Boundary) day.Boundary {
	if k >= day.Never || k <= -day.Never {
		return k
	}
	return d.week.End(d.cal.Due(k))
}

// span finds the columns: all legs as planned and as they run, the day, and today
// while the piece is under way.
func (d *drawing) span() {
	d.first, d.last = day.Never, -day.Never
	hold := func(from, to day.Boundary) {
		if from > -day.Never && to < day.Never {
			d.first, d.last = min(d.first, from), max(d.last, to)
		}
	}
	if d.s.Row.Stage == relay.UnderWay {
		hold(d.week.Start(d.s.Today), d.week.End(d.s.Today))
	}
	if d.s.Row.GoesOut != 0 {
		out := d.week.Start(d.s.Row.GoesOut.Date(d.b.Zones[d.s.Row.DeskID]))
		hold(out, out)
	}
	for i := range d.s.Legs {
		if d.s.Legs[i].State == relay.Skipped {
			continue
		}
		hold(d.startOf(d.s.Projection.Start[i]), d.endOf(d.s.Projection.End[i]))
		if due := d.s.Legs[i].Due; due != 0 {
			hold(d.week.Start(due), d.week.End(due))
		}
		if d.s.Finish != nil {
			hold(d.startOf(d.s.Finish[i].Start), d.endOf(d.s.Finish[i].Finish))
		}
	}
	if d.Moves {
		d.last += aheadDays
	}
	d.first = max(d.first, d.last-mostDays)
}

// handles puts a handle at the planned end of each leg that is not over.
func (d *drawing) handles() {
	if !d.Moves {
		return
	}
	k := 0
	for i := range d.s.Legs {
		l := &d.s.Legs[i]
		if l.State == relay.Skipped {
			continue
		}
		x := d.Planned[k]
		if k++; !l.Done() && l.Due != 0 {
			d.Handles = append(d.Handles, handle{l.Key, l.Name, x.X + x.W, x.Y, x.H, l.Due, l.Pin != 0})
		}
	}
}

// absences marks on each leg that is not over the days its holder is not there.
func (d *drawing) absences() {
	house := d.b.Planned[d.s.Row.DeskID]
	k := 0
	for i := range d.s.Legs {
		l := &d.s.Legs[i]
		if l.State == relay.Skipped {
			continue
		}
		x := d.Runs[k]
		k++
		holder := house.Days(l.Holder)
		if l.Done() || holder == nil {
			continue
		}
		from, to := max(d.startOf(d.s.Projection.Start[i]), d.first), min(d.endOf(d.s.Projection.End[i]), d.last)
		for c := from; c < to; c++ {
			date := d.week.Day(c)
			if holder.Working(date) || !d.cal.Working(date) {
				continue
			}
			if n := len(d.Away); n > 0 && d.Away[n-1].Y == x.Y && d.Away[n-1].X+d.Away[n-1].W > d.at(c)-1 {
				d.Away[n-1].W += d.Unit
			} else {
				d.Away = append(d.Away, Bar{X: d.at(c), Y: x.Y, W: d.Unit, H: x.H})
			}
		}
	}
	for i := range d.Away {
		if x := &d.Away[i]; x.W > 34 {
			x.Label, x.CX, x.CY = "away", x.X+5, x.Y+x.H/2
		}
	}
}

// columns labels as many days as there is room for, marks today, and names the
// desk's days off.
func (d *drawing) columns() {
	every := 1
	if d.Unit < 62 {
		every = int(62/d.Unit) + 1
	}
	today := d.week.Start(d.s.Today)
	var dates []string
	for k := d.first; k <= d.last; k++ {
		date := d.week.Day(k)
		dates = append(dates, date.String())
		t := tick{X: d.at(k), Today: k == today && date == d.s.Today && d.s.Row.Stage == relay.UnderWay}
		if int(k-today)%every == 0 || t.Today {
			t.Label = date.Format("Mon 2")
			if date.Format("2") == "1" || k == d.first {
				t.Label = date.Format("Mon 2 Jan")
			}
		}
		d.Ticks = append(d.Ticks, t)
		if t.Today {
			d.Today = t.X + d.Unit*0.35
		}
		if k < d.last && !d.cal.Working(date) {
			d.Off = append(d.Off, offDay{t.X, d.Unit, d.b.DayOff(d.s.Row.DeskID, date) + ", " + english.Date(date)})
		}
	}
	d.Dates = strings.Join(dates, ",")
}

// bars places the legs of one row in lanes and gives the number of lanes.
func bars(b *newsroom.Setup, s planning.Sheet, from, to []float64, top float64) ([]Bar, int) {
	lane, _ := laneOf(s.Row.Legs, from, to)
	var out []Bar
	lanes := 1
	for i := range s.Legs {
		l := &s.Legs[i].Leg
		if l.State == relay.Skipped {
			continue
		}
		lanes = max(lanes, lane[i]+1)
		x := Bar{X: from[i] + 1, Y: top + float64(lane[i])*laneHeight, W: to[i] - from[i] - 2, H: 25, State: barState(l), Initials: Initials(b, l.Holder)}
		if x.W < Slender { // a same-day leg, or one passed on the day it came: a slip over the boundary
			x.X, x.W = max(chartLeft, to[i]-Slender/2), Slender
		}
		x.CX, x.CY = x.X+x.W/2, x.Y+x.H/2
		if name, room := []rune(l.Name), int((x.W-10)/6.3); room >= len(name) {
			x.Label = l.Name
		} else if room > 4 {
			x.Label = string(name[:room-2]) + "…"
		}
		out = append(out, x)
	}
	return out, lanes
}
