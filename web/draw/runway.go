package draw

import (
	"fmt"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

// RunwayView draws how far ahead of the calendar the desk is.
type RunwayView struct {
	Count int
	Says  string
	Cells []runwayCell
	Label string
	Width float64
}

type runwayCell struct {
	X     float64
	Cover string
	Title string
}

// runwayWidth is how wide the runway is drawn, and cell how wide a slot is at most.
const runwayWidth, runwayCellWidth = 308.0, 15.4

// NewRunway draws how many slots ahead of the calendar a desk is.
func NewRunway(b *newsroom.Setup, d planning.Day, deskID ref.Desk) RunwayView {
	r := d.Runway
	v := RunwayView{Count: r.Finished, Width: runwayWidth}
	v.Says = fmt.Sprintf("%s covered with finished pieces. The goal is %d.", map[bool]string{true: "publishing slot is", false: "publishing slots are"}[r.Finished == 1], d.Goal)
	unit := min(runwayCellWidth, runwayWidth/float64(max(1, len(r.Slots))))
	counts := map[plan.Cover]int{}
	for i, s := range r.Slots {
		counts[s.Cover]++
		v.Cells = append(v.Cells, runwayCell{float64(i) * unit, string(s.Cover), b.At(s.At, deskID) + " " + b.Channel(s.Channel).Name})
	}
	v.Label = fmt.Sprintf("Of the next %s, %d are covered by finished pieces, %d by running ones, %d by none.", english.Plural(len(r.Slots), "slot"), counts[plan.ByFinished], counts[plan.ByRunning], counts[plan.ByNothing])
	return v
}

// CellWidth is how wide one slot of the runway is drawn.
func (v RunwayView) CellWidth() float64 {
	return min(runwayCellWidth, runwayWidth/float64(max(1, len(v.Cells)))) - 3
}
