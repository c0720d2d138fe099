package lineup

import (
	"fmt"
	"html"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/views"
)

// cardStrip is how wide the strip on a card of the lineup is drawn.
const cardStrip = 132.0

// drawCard writes a piece as a card: when, how it stands, title and strip.
func (c *lineupCell) drawCard(w *strings.Builder, e *newsroom.Entry) {
	if e.Stage != relay.UnderWay {
		c.drawGone(w, e)
		return
	}
	says, tone := c.standing(e)
	c.open(w, e, "card")
	fmt.Fprintf(w, `<p class="card-top"><span>%s</span><span class="text-%s">%s</span></p>`, html.EscapeString(c.time(e)), tone, html.EscapeString(says))
	c.title(w, e)
	w.WriteString(string(draw.NewStrip(c.look.B, e.Row, cardStrip).SVG()))
	c.close(w, e)
}

// drawLine writes a piece as a line, for a day with many or a quarter.
func (c *lineupCell) drawLine(w *strings.Builder, e *newsroom.Entry) {
	if e.Stage != relay.UnderWay {
		c.drawGone(w, e)
		return
	}
	says, tone := c.standing(e)
	c.open(w, e, fmt.Sprintf("card line done-%d", int(10*e.Share())))
	w.WriteString(string(views.Ring(initialsNow(c.look.B, e), tone, e.Share())))
	c.title(w, e)
	fmt.Fprintf(w, `<span class="line-says text-%s">%s</span>`, tone, html.EscapeString(says))
	c.close(w, e)
}

// drawDated writes a piece on a date of its own, which is not moved from here.
func (c *lineupCell) drawDated(w *strings.Builder, e *newsroom.Entry) {
	says, tone := c.standing(e)
	hue, _ := c.look.Class(e)
	fmt.Fprintf(w, `<div class="card line%s" data-piece="%d">%s<a class="title" href="/pieces/%d">%s</a><span class="line-says text-%s">%s</span>%s</div>`,
		hue, e.ID, views.Ring(initialsNow(c.look.B, e), tone, e.Share()), e.ID, html.EscapeString(e.Title), tone, html.EscapeString(says), views.More(e.ID, e.Title))
}

// drawGone writes a piece that is out or withdrawn, quietly.
func (c *lineupCell) drawGone(w *strings.Builder, e *newsroom.Entry) {
	hue, _ := c.look.Class(e)
	fmt.Fprintf(w, `<div class="card gone%s" data-piece="%d"><p class="card-top"><span>%s</span><span>%s</span></p><a class="title" href="/pieces/%d">%s</a></div>`,
		hue, e.ID, html.EscapeString(c.time(e)), e.Stage, e.ID, html.EscapeString(e.Title))
}

// drawSlot writes an open slot: a hole that can be filled.
func (c *lineupCell) drawSlot(w *strings.Builder, s planning.OpenSlot) {
	b := c.look.B
	at := s.At.In(b.Zones[c.desk])
	layout := "15:04"
	if c.Week {
		layout = "Mon 2, 15:04"
	}
	name, what := html.EscapeString(b.Channel(s.Channel).Name), "Open"
	if s.For != "" {
		what = "For " + html.EscapeString(s.For)
	}
	fmt.Fprintf(w, `<div class="hole" data-drop="slot" data-at="%d" data-channel="%d" data-name="%s %s"><a class="hole-fill" href="/pieces/new?channel=%d&amp;date=%s&amp;time=%s">%s · %s %s<span class="sr-only">: make a piece for it</span></a><a class="hole-do" href="/slots/%d?at=%d" data-part aria-label="Close the gap on %s, %s">…</a></div>`,
		s.At, s.Channel, name, at.Format("Mon 2 Jan, 15:04"), s.Channel, at.Format("2006-01-02"), at.Format("15:04"), what, name, at.Format(layout), s.Channel, s.At, name, at.Format("Mon 2 Jan"))
}

// drawLeg writes a leg that is due on the day.
func (c *lineupCell) drawLeg(w *strings.Builder, x planning.DueLeg) {
	b := c.look.B
	says, tone := c.standing(x.Entry)
	hue, _ := c.look.Class(x.Entry)
	who := b.Name(x.Leg.Holder)
	if x.Leg.Holder == 0 {
		who = "nobody yet"
	}
	late := ""
	if x.Leg.Due < x.WorkedOut { // today on its own desk
		late = ` <span class="text-short">overdue</span>`
	}
	fmt.Fprintf(w, `<div class="card line leg-%s%s" data-piece="%d" data-version="%d" data-leg="%s" data-take data-name="%s, %s">%s<a class="title" href="/pieces/%d">%s</a><span class="line-says"><b>%s</b>, %s%s</span><span class="sr-only">, %s</span>%s</div>`,
		x.Leg.State, hue, x.ID, x.Version, x.Leg.Key, html.EscapeString(x.Title), html.EscapeString(x.Leg.Name),
		views.Ring(draw.Initials(b, x.Leg.Holder), tone, x.Share()), x.ID, html.EscapeString(x.Title), html.EscapeString(x.Leg.Name), html.EscapeString(who), late, html.EscapeString(says), views.More(x.ID, x.Title))
}

func (c *lineupCell) open(w *strings.Builder, e *newsroom.Entry, class string) {
	hue, _ := c.look.Class(e)
	if c.line.Clashes(&e.Piece) {
		class += " clash"
	}
	if c.line.Tried[e.ID] != nil {
		class += " sketched"
	}
	fmt.Fprintf(w, `<div class="%s%s" data-piece="%d" data-version="%d" data-take data-drop="card" data-channel="%d" data-name="%s">`, class, hue, e.ID, e.Version, e.ChannelID, html.EscapeString(e.Title))
}

func (c *lineupCell) title(w *strings.Builder, e *newsroom.Entry) {
	fmt.Fprintf(w, `<a class="title" href="/pieces/%d">%s</a>`, e.ID, html.EscapeString(e.Title))
}

func (c *lineupCell) close(w *strings.Builder, e *newsroom.Entry) {
	notes := c.look.Notes(e)
	if n := c.line.InRow(e.ID); n > 0 {
		notes = append(notes, fmt.Sprintf("one of %s %s in a row", strings.ToLower(english.CountOf(n)), strings.ToLower(c.look.B.Topic(e.TopicID).Name)))
	}
	if was := c.was(e); was != "" {
		notes = append([]string{was}, notes...)
	}
	if len(notes) > 0 {
		fmt.Fprintf(w, `<p class="card-notes">%s</p>`, html.EscapeString(strings.Join(notes, " · ")))
	}
	w.WriteString(views.More(e.ID, e.Title))
	w.WriteString(`</div>`)
}

// was says how a piece is by the plan, where a sketch would have it otherwise.
func (c *lineupCell) was(e *newsroom.Entry) string {
	t := c.line.Tried[e.ID]
	if t == nil {
		return ""
	}
	pace := english.LowerFirst(newsroom.SayPace(store.Standing{Pace: t.Before.Pace, InHand: t.Before.InHand}))
	switch {
	case t.Was.GoesOut == 0:
		return "has no day"
	case t.Was.GoesOut != e.GoesOut:
		return "is on " + c.look.B.At(t.Was.GoesOut, e.DeskID) + ", " + pace
	}
	return "is " + pace
}

// drawLeft writes that a piece would leave the day by a sketch.
func (c *lineupCell) drawLeft(w *strings.Builder, t *plan.Effect) {
	to := "to no day"
	if at := t.Move.Piece.GoesOut; at != 0 {
		to = "to " + c.look.B.At(at, t.Was.DeskID)
	}
	fmt.Fprintf(w, `<div class="card-left" data-piece="%d"><span class="title">%s</span> <span>%s</span></div>`, t.Was.ID, html.EscapeString(t.Was.Title), html.EscapeString(to))
}

// initialsNow gives the initials of who runs a piece now: of the first, if several.
func initialsNow(b *newsroom.Setup, e *newsroom.Entry) string {
	for i := range e.Legs {
		if e.Legs[i].State == relay.Running {
			return draw.Initials(b, e.Legs[i].Holder)
		}
	}
	return "✓"
}
