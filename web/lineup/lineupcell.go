package lineup

import (
	"fmt"
	"html/template"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/views"
)

// lineupCell is a day, or a week of a row: what lies on it is drawn when it is shown.
type lineupCell struct {
	Key    string
	Date   day.Date
	Number string // as it is written on the day
	Name   string
	Off    string // what the day off is called
	NoWork bool
	Today  bool
	Past   bool
	Week   bool // it is a week of a row
	Add    string
	cards  []*newsroom.Entry
	legs   []planning.DueLeg
	slots  []planning.OpenSlot
	left   []*plan.Effect // pieces that would leave it by a sketch
	look   *views.CardLook
	line   *planning.Lineup
	desk   ref.Desk
	dense  bool
	dated  string // the column of the date for which its cards are there, where that is another than that on which they go out
}

func (c *lineupCell) has(piece ref.Piece) bool {
	return slices.ContainsFunc(c.cards, func(e *newsroom.Entry) bool { return e.ID == piece }) ||
		slices.ContainsFunc(c.legs, func(l planning.DueLeg) bool { return l.ID == piece }) ||
		slices.ContainsFunc(c.left, func(t *plan.Effect) bool { return t.Was.ID == piece })
}

// cardsShown is how many cards a day shows whole; the rest is folded into lines.
const cardsShown = 6

// Items draws what lies on the cell and is shown at once.
func (c *lineupCell) Items() template.HTML { return c.draw(0, c.whole()) }

// Folded draws the rest.
func (c *lineupCell) Folded() template.HTML {
	return c.draw(c.whole(), min(c.count(), c.whole()+views.MostFolded))
}

// Beyond says how many things are not drawn at all, and where they are.
func (c *lineupCell) Beyond() int { return max(0, c.More()-views.MostFolded) }

// All is where all things of the cell are listed.
func (c *lineupCell) All() string {
	to := c.Date
	if c.Week {
		to += 6
	}
	key := "out"
	switch {
	case len(c.legs) > 0:
		key = "due"
	case c.dated != "":
		key = c.dated
	}
	return fmt.Sprintf("/pieces?%s=%s..%s", key, c.Date, to)
}

// More says how many things are folded.
func (c *lineupCell) More() int { return c.count() - c.whole() }

func (c *lineupCell) count() int { return len(c.cards) + len(c.legs) }

func (c *lineupCell) whole() int {
	most := cardsShown
	if c.dense {
		most = 2 * cardsShown
	}
	if c.count() <= most+1 {
		return c.count()
	}
	return most
}

func (c *lineupCell) draw(from, to int) template.HTML {
	var w strings.Builder
	slots := c.slots
	if from > 0 {
		slots = nil
	}
	k := 0
	for i := from; i < to; i++ {
		if i < len(c.legs) {
			c.drawLeg(&w, c.legs[i])
			continue
		}
		e := c.cards[i-len(c.legs)]
		for ; k < len(slots) && slots[k].At < e.GoesOut; k++ {
			c.drawSlot(&w, slots[k])
		}
		if c.dated != "" {
			c.drawDated(&w, e)
		} else if c.dense || from > 0 {
			c.drawLine(&w, e)
		} else {
			c.drawCard(&w, e)
		}
	}
	for ; k < len(slots); k++ {
		c.drawSlot(&w, slots[k])
	}
	for _, t := range c.left {
		if from == 0 {
			c.drawLeft(&w, t)
		}
	}
	return template.HTML(w.String())
}

// standing is a pace as the lineup says it: a clash comes before all else.
func (c *lineupCell) standing(e *newsroom.Entry) (says, tone string) {
	switch {
	case c.line.Clashes(&e.Piece) && e.Stage == relay.UnderWay:
		return "clash", "short"
	case e.Stage == relay.UnderWay && e.MissedAt != 0 && e.MissedAt == e.GoesOut:
		return "missed its time", "short"
	case e.IsQuiet && e.Pace != plan.Short && e.Pace != plan.NoRoom:
		return fmt.Sprintf("%d d quiet", e.Quiet), "quiet"
	}
	return views.ShortPace(e.Standing), views.ToneOf(e.Standing)
}

func (c *lineupCell) time(e *newsroom.Entry) string {
	layout := "15:04"
	if c.Week {
		layout = "Mon 2, 15:04"
	}
	return c.look.B.Channel(e.ChannelID).Name + " " + e.GoesOut.In(c.look.B.Zones[e.DeskID]).Format(layout)
}
