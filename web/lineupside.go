package web

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/plan"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

type trayView struct {
	Count int
	Rows  []trayRow
	More  int
}

type trayRow struct {
	ID, Version int64
	Channel     int64
	Title, Says string
	Hue         string
	Strip       strip
}

type mixView struct {
	Rows []mixRow
	Runs []string
	Over string // which days
}

type mixRow struct {
	Name         string
	Count        int
	Target       int
	W, Mark      float64
	Tone, Counts string
}

// mostInTray is how many pieces without a day are shown.
const mostInTray = 40

func (m *lineupMaker) tray() trayView {
	v := trayView{Count: len(m.l.Tray)}
	for _, e := range m.l.Tray[:min(mostInTray, len(m.l.Tray))] {
		hue, _ := m.look.class(e)
		r := trayRow{ID: e.ID, Version: int64(e.Version), Channel: e.ChannelID, Title: e.Title, Hue: hue, Strip: newStrip(m.b, e.Row, cardStrip)}
		says := []string{m.b.Format(e.FormatID).Name}
		switch {
		case e.Pace == plan.Ready:
			says = append(says, "ready to go out")
		case e.CouldGoOut != 0:
			says = append(says, "could go out from "+newsroom.Short(e.CouldGoOut.Date(m.b.Zones[e.DeskID])))
		default:
			says = append(says, "no free slot in a year")
		}
		for _, n := range m.look.notes(e) {
			if !slices.Contains(says, n) {
				says = append(says, n)
			}
		}
		r.Says = strings.Join(says, " · ")
		v.Rows = append(v.Rows, r)
	}
	v.More = v.Count - len(v.Rows)
	return v
}

// mixWidth is how wide the bars of the mix are drawn.
const mixWidth = 96.0

// newMix draws how often each topic comes in some weeks, beside how often it is meant to,
// and where one topic runs back to back.
func newMix(b *newsroom.Setup, zone *time.Location, weeks int, mix []planning.Topic, runs []plan.Run) mixView {
	v := mixView{Over: fmt.Sprintf("these %s", newsroom.Plural(weeks, "week"))}
	most := 1
	for _, t := range mix {
		most = max(most, t.Count, t.Target)
	}
	for _, t := range mix {
		r := mixRow{Name: b.Topic(t.ID).Name, Count: t.Count, Target: t.Target, Tone: "good"}
		r.W, r.Mark = mixWidth*float64(t.Count)/float64(most), mixWidth*float64(t.Target)/float64(most)
		if r.Counts = fmt.Sprintf("%d of %d", t.Count, t.Target); t.Count > t.Target {
			r.Tone = "noroom"
		}
		v.Rows = append(v.Rows, r)
	}
	for _, r := range runs {
		from := r.Pieces[0].GoesOut.Date(zone)
		v.Runs = append(v.Runs, fmt.Sprintf("%s %s pieces run back to back from %s.", countOf(len(r.Pieces)), strings.ToLower(b.Topic(r.Topic).Name), newsroom.Short(from)))
	}
	return v
}

func (m *lineupMaker) answer() lineupAnswer {
	var a lineupAnswer
	if m.l.Short > 0 {
		a.Short = fmt.Sprintf("%s short", count(m.l.Short, "piece"))
	}
	if n := len(m.l.Slots); n > 0 {
		a.Open = fmt.Sprintf("%s open", strings.ToLower(count(n, "slot")))
	}
	clashing := 0
	for _, e := range m.l.Out {
		clashing += b2i(m.l.Clashes(&e.Piece))
	}
	if clashing > 0 {
		a.Clash = fmt.Sprintf("%s on the same slot", strings.ToLower(count(clashing, "piece")))
	}
	a.Good = a.Short == "" && a.Open == "" && a.Clash == ""
	a.Runway = newRunway(m.b, planning.Day{Runway: m.l.Runway, Goal: m.l.Goal}, m.desk)
	return a
}

// Figure says how far ahead of the calendar the desk is.
func (a lineupAnswer) Figure() string {
	return fmt.Sprintf("%s ahead", newsroom.Plural(a.Runway.Count, "slot"))
}
