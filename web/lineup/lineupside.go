package lineup

import (
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

type trayView struct {
	Count    int
	Filtered bool
	Rows     []trayRow
	More     int
}

type trayRow struct {
	ID          ref.Piece
	Version     int64
	Channel     ref.Channel
	Title, Says string
	Hue         string
	Strip       draw.Strip
}

// mostInTray is how many pieces without a day are shown.
const mostInTray = 40

func (m *lineupMaker) tray() trayView {
	v := trayView{Count: len(m.l.Tray), Filtered: len(m.sieve.Terms) > 0}
	for _, e := range m.l.Tray[:min(mostInTray, len(m.l.Tray))] {
		hue, _ := m.look.Class(e)
		r := trayRow{ID: e.ID, Version: int64(e.Version), Channel: e.ChannelID, Title: e.Title, Hue: hue, Strip: draw.NewStrip(m.b, e.Row, cardStrip)}
		says := []string{m.b.Format(e.FormatID).Name}
		if e.Parked() {
			says = append(says, "not begun")
		}
		switch {
		case e.Pace == plan.Ready:
			says = append(says, "ready to go out")
		case e.CouldGoOut != 0:
			says = append(says, "could go out from "+english.Date(e.CouldGoOut.Date(m.b.Zones[e.DeskID])))
		default:
			says = append(says, "no free slot in a year")
		}
		for _, n := range m.look.Notes(e) {
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

func (m *lineupMaker) answer() lineupAnswer {
	var a lineupAnswer
	if m.l.Short > 0 {
		a.Short, a.ShortAt = fmt.Sprintf("%s short", english.Count(m.l.Short, "piece")), m.at.AlsoAt("/pieces").With("pace", "short", "view", "", "weeks", "", "from", "", "rows", "", "show", "")
	}
	if n := len(m.l.Slots); n > 0 {
		a.Open = fmt.Sprintf("%s open", strings.ToLower(english.Count(n, "slot")))
	}
	clashing := 0
	for _, e := range m.l.Out {
		clashing += kit.Bit(m.l.Clashes(&e.Piece))
	}
	if clashing > 0 {
		a.Clash = fmt.Sprintf("%s on the same slot", strings.ToLower(english.Count(clashing, "piece")))
	}
	a.Good = a.Short == "" && a.Open == "" && a.Clash == ""
	a.Runway = draw.NewRunway(m.b, planning.Day{Runway: m.l.Runway, Goal: m.l.Goal}, m.desk)
	return a
}

// Figure says how far ahead of the calendar the desk is.
func (a lineupAnswer) Figure() string {
	return fmt.Sprintf("%s ahead", english.Plural(a.Runway.Count, "slot"))
}
