package web

import (
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/desk"
)

type lineupView struct {
	viewHead
	Months    string
	Answer    lineupAnswer
	Rows      []setting // days, channels or campaigns
	Shows     []setting // publication days, or due dates of legs
	Spans     []setting
	Earlier   string
	Later     string
	ThisWeek  string
	From, To  string
	Heads     []lineupHead
	Weeks     []lineupWeek
	ByRow     []lineupRow
	Tray      trayView
	Mix       mixView
	ShowsLegs bool
	Dense     bool
}

// lineupAnswer is what the page says first.
type lineupAnswer struct {
	Short, Open, Clash string // in words; empty for none
	Good               bool
	Runway             runwayView
}

type lineupHead struct {
	Name  string
	Off   bool
	Today bool
	Sub   string
}

type lineupWeek struct {
	Number int
	Days   []*lineupCell
}

type lineupRow struct {
	Name, Says string
	Cells      []*lineupCell
}

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
	cards  []*desk.Entry
	legs   []desk.DueLeg
	slots  []desk.OpenSlot
	look   *cardLook
	line   *desk.Lineup
	desk   int64
	dense  bool
}

func (c *lineupCell) has(piece int64) bool {
	return slices.ContainsFunc(c.cards, func(e *desk.Entry) bool { return e.ID == piece }) ||
		slices.ContainsFunc(c.legs, func(l desk.DueLeg) bool { return l.ID == piece })
}

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

// weeksShown are the spans of the lineup, in weeks.
var weeksShown = []string{"5", "2", "13"}

func (s *Server) lineup(c *echo.Context) error {
	at, err := s.viewing(c, "/lineup", c.QueryParams())
	if err != nil {
		return err
	}
	q := at.q
	weeks, err := strconv.Atoi(oneOf(q, "weeks", weeksShown...))
	if err != nil {
		return err
	}
	from := monday(at.today)
	if x, err := day.ParseDate(q.Get("from")); err == nil && x > at.today-20_000 && x < at.today+20_000 {
		from = monday(x)
	}
	v := lineupView{ShowsLegs: q.Get("show") == "due", Dense: weeks > 5}
	l, err := s.House.Lineup(c.Request().Context(), me(c).ID, at.desk, at.look, desk.Span{From: from, To: from + day.Date(7*weeks)}, v.ShowsLegs)
	if err != nil {
		return err
	}
	k := at.cards(func(see func(*desk.Entry)) {
		for _, e := range l.Out {
			see(e)
		}
		for _, e := range l.Tray {
			see(e)
		}
	})
	v.From, v.To = l.From.String(), l.To.String()
	if err := s.head(c, &v.viewHead, &at, k); err != nil {
		return err
	}
	v.switches(at.at, q, at.today, from, weeks)
	m := lineupMaker{b: at.b, l: &l, look: k, desk: at.desk, weeks: weeks, v: &v, at: at.at, channels: ids(q.Get("channel"))}
	m.holes = !v.ShowsLegs && !slices.ContainsFunc(at.look.Sieve.Terms, func(t sift.Term) bool { return t.Column.Key != "channel" })
	if rows := oneOf(q, "rows", "", "channel", "campaign"); rows == "" {
		m.days()
	} else {
		err = m.rows(s, c, rows)
	}
	if err != nil {
		return err
	}
	v.Tray, v.Mix, v.Answer = m.tray(), m.mix(), m.answer()
	return s.showView(c, "lineup", "Lineup", &v, v.parts())
}

func monday(d day.Date) day.Date { return d - day.Date((int(d.Weekday())+6)%7) }

func (v *lineupView) switches(at address, q map[string][]string, today, from day.Date, weeks int) {
	step := max(1, weeks-1)
	to := func(d day.Date) string {
		if d == monday(today) {
			return at.with("from", "")
		}
		return at.with("from", d.String())
	}
	v.Earlier, v.Later, v.ThisWeek = to(from-day.Date(7*step)), to(from+day.Date(7*step)), at.with("from", "")
	v.Months = sayMonths(from, from+day.Date(7*weeks)-3)
	v.Shows = at.settings("show", first(q["show"]), "", "Goes out", "due", "Leg due")
	v.Spans = at.settings("weeks", strconv.Itoa(weeks), "5", "5 weeks", "2", "2 weeks", "13", "Quarter")
	v.Spans[0], v.Spans[1] = v.Spans[1], v.Spans[0]
	v.Rows = at.settings("rows", first(q["rows"]), "", "Days", "channel", "Channels", "campaign", "Campaigns")
}

func first(xs []string) string {
	if len(xs) > 0 {
		return xs[0]
	}
	return ""
}

// sayMonths names the months between two dates: "November – December".
func sayMonths(from, to day.Date) string {
	a, z := from.Format("January"), to.Format("January")
	if from.Year() != to.Year() {
		return from.Format("Jan 2006") + " – " + to.Format("Jan 2006")
	}
	if a == z {
		return a
	}
	return a + " – " + z
}

func (v *lineupView) parts() []part {
	out := []part{{"answer", "lineup-answer", v.Answer, nil}, {"tray", "tray", v.Tray, nil}, {"mix", "mix", v.Mix, nil}}
	for _, w := range v.Weeks {
		for _, d := range w.Days {
			out = append(out, part{d.Key, "lineup-cell", d, d.has})
		}
	}
	for _, r := range v.ByRow {
		for _, d := range r.Cells {
			out = append(out, part{d.Key, "lineup-cell", d, d.has})
		}
	}
	return out
}

// lineupMaker makes the cells of a lineup.
type lineupMaker struct {
	b        *desk.Books
	l        *desk.Lineup
	look     *cardLook
	desk     int64
	weeks    int
	holes    bool    // open slots are shown
	channels []int64 // of these channels only, if any
	v        *lineupView
	at       address
}

func (m *lineupMaker) cell(key string, date day.Date) *lineupCell {
	c := &lineupCell{Key: key, Date: date, look: m.look, line: m.l, desk: m.desk, dense: m.v.Dense}
	c.Today, c.Past = date == m.l.Today, date < m.l.Today
	return c
}

func (m *lineupMaker) zone() *time.Location { return m.b.Zones[m.desk] }

// shows reports whether the slots of a channel are shown.
func (m *lineupMaker) shows(s desk.OpenSlot) bool {
	return m.holes && (len(m.channels) == 0 || slices.Contains(m.channels, s.Channel))
}

// days lays the span out as weeks of days.
func (m *lineupMaker) days() {
	by := map[day.Date]*lineupCell{}
	cal, week := m.b.Houses[m.desk].Calendar, m.b.Desk(m.desk).Week()
	used := week
	for w := range m.weeks {
		row := lineupWeek{}
		for k := range 7 {
			date := m.l.From + day.Date(7*w+k)
			_, row.Number = date.Week()
			c := m.cell("d-"+date.String(), date)
			c.Number, c.Name = date.Format("2"), date.Format("Monday 2 January")
			if c.Number == "1" || w == 0 && k == 0 {
				c.Number = date.Format("2 Jan")
			}
			if c.NoWork = !cal.Working(date); c.NoWork && week[date.Weekday()] {
				c.Off = m.b.DayOff(m.desk, date)
			}
			if !c.Past {
				c.Add = "/pieces/new?date=" + date.String()
			}
			by[date] = c
			row.Days = append(row.Days, c)
		}
		m.v.Weeks = append(m.v.Weeks, row)
	}
	m.fill(func(_ *desk.Entry, _ int64, date day.Date) *lineupCell { return by[date] }, &used)
	for k := range 7 {
		date := m.l.From + day.Date(k)
		m.v.Heads = append(m.v.Heads, lineupHead{Name: date.Format("Mon"), Off: !used[date.Weekday()]})
	}
	for _, w := range m.v.Weeks {
		for k, d := range w.Days {
			m.v.Heads[k].Today = m.v.Heads[k].Today || d.Today
		}
	}
}

// fill puts what is shown into the cells, and notes on which weekdays something lies.
func (m *lineupMaker) fill(where func(*desk.Entry, int64, day.Date) *lineupCell, used *day.Weekdays) {
	put := func(c *lineupCell, date day.Date) *lineupCell {
		if c != nil && used != nil {
			used[date.Weekday()] = true
		}
		return c
	}
	if m.v.ShowsLegs {
		for _, x := range m.l.Due {
			if c := put(where(x.Entry, x.ChannelID, x.Leg.Due), x.Leg.Due); c != nil {
				c.legs = append(c.legs, x)
			}
		}
		return
	}
	for _, e := range m.l.Out {
		date := e.GoesOut.Date(m.zone())
		if c := put(where(e, e.ChannelID, date), date); c != nil {
			c.cards = append(c.cards, e)
		}
	}
	for _, s := range m.l.Slots {
		date := s.At.Date(m.zone())
		if !m.shows(s) {
			continue
		}
		if c := put(where(nil, s.Channel, date), date); c != nil {
			c.slots = append(c.slots, s)
		}
	}
}

// rows lays the span out as a row for each channel or campaign, a column a week.
func (m *lineupMaker) rows(s *Server, c *echo.Context, by string) error {
	at := map[int64]int{}
	add := func(id int64, name, says string) {
		at[id] = len(m.v.ByRow)
		row := lineupRow{Name: name, Says: says}
		for w := range m.weeks {
			date := m.l.From + day.Date(7*w)
			x := m.cell(fmt.Sprintf("r-%d-%s", id, date), date)
			x.Week, x.Today, x.Past = true, monday(m.l.Today) == date, date+7 <= m.l.Today
			x.Name = name + ", week from " + date.Format("Monday 2 January")
			if !x.Past {
				x.Add = fmt.Sprintf("/pieces/new?%s=%d&date=%s", by, id, max(date, m.l.Today))
			}
			row.Cells = append(row.Cells, x)
		}
		m.v.ByRow = append(m.v.ByRow, row)
	}
	if by == "channel" {
		for _, ch := range m.b.ChannelsOf(m.desk) {
			if len(m.channels) == 0 || slices.Contains(m.channels, ch.ID) {
				add(ch.ID, ch.Name, "")
			}
		}
	} else {
		done, err := s.House.Progress(c.Request().Context(), m.desk)
		if err != nil {
			return err
		}
		for _, x := range m.b.CampaignsOf(m.desk) {
			if x.ToDay >= m.l.From && x.FromDay < m.l.To {
				add(x.ID, x.Name, desk.SayCampaign(x, done[x.ID]))
			}
		}
		add(0, "No campaign", "")
		m.holes = false
	}
	for w := range m.weeks {
		date := m.l.From + day.Date(7*w)
		_, n := date.Week()
		m.v.Heads = append(m.v.Heads, lineupHead{Name: fmt.Sprintf("Week %d", n), Sub: date.Format("2 Jan"), Today: monday(m.l.Today) == date})
	}
	m.fill(func(e *desk.Entry, channel int64, date day.Date) *lineupCell {
		id := channel
		if by == "campaign" {
			id = e.CampaignID
		}
		i, ok := at[id]
		if w := int(monday(date)-m.l.From) / 7; ok && w >= 0 && w < m.weeks {
			return m.v.ByRow[i].Cells[w]
		}
		return nil
	}, nil)
	return nil
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
			says = append(says, "could go out from "+desk.Short(e.CouldGoOut.Date(m.b.Zones[e.DeskID])))
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

func (m *lineupMaker) mix() mixView {
	v := mixView{Over: fmt.Sprintf("these %s", desk.Plural(m.weeks, "week"))}
	most := 1
	for _, t := range m.l.Mix {
		most = max(most, t.Count, t.Target)
	}
	for _, t := range m.l.Mix {
		r := mixRow{Name: m.b.Topic(t.ID).Name, Count: t.Count, Target: t.Target, Tone: "good"}
		r.W, r.Mark = mixWidth*float64(t.Count)/float64(most), mixWidth*float64(t.Target)/float64(most)
		if r.Counts = fmt.Sprintf("%d of %d", t.Count, t.Target); t.Count > t.Target {
			r.Tone = "noroom"
		}
		v.Rows = append(v.Rows, r)
	}
	for _, r := range m.l.Runs {
		from := r.Pieces[0].GoesOut.Date(m.zone())
		v.Runs = append(v.Runs, fmt.Sprintf("%s %s pieces run back to back from %s.", countOf(len(r.Pieces)), strings.ToLower(m.b.Topic(r.Topic).Name), desk.Short(from)))
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
	a.Runway = newRunway(m.b, desk.Day{Runway: m.l.Runway, Goal: m.l.Goal}, m.desk)
	return a
}

// Figure says how far ahead of the calendar the desk is.
func (a lineupAnswer) Figure() string {
	return fmt.Sprintf("%s ahead", desk.Plural(a.Runway.Count, "slot"))
}

// cardsShown is how many cards a day shows whole; the rest is folded into lines.
const cardsShown = 6

// Items draws what lies on the cell and is shown at once.
func (c *lineupCell) Items() template.HTML { return c.draw(0, c.whole()) }

// mostFolded is how many lines are drawn of what is folded; the rest is in the list.
const mostFolded = 80

// Folded draws the rest.
func (c *lineupCell) Folded() template.HTML {
	return c.draw(c.whole(), min(c.count(), c.whole()+mostFolded))
}

// Beyond says how many things are not drawn at all, and where they are.
func (c *lineupCell) Beyond() int { return max(0, c.More()-mostFolded) }

// All is where all things of the cell are listed.
func (c *lineupCell) All() string {
	to := c.Date
	if c.Week {
		to += 6
	}
	key := "out"
	if len(c.legs) > 0 {
		key = "due"
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
		if c.dense || from > 0 {
			c.drawLine(&w, e)
		} else {
			c.drawCard(&w, e)
		}
	}
	for ; k < len(slots); k++ {
		c.drawSlot(&w, slots[k])
	}
	return template.HTML(w.String())
}

// priorPace is a pace as the lineup says it: a clash comes before all else.
func (c *lineupCell) standing(e *desk.Entry) (says, tone string) {
	switch {
	case c.line.Clashes(&e.Piece) && e.Stage == relay.UnderWay:
		return "clash", "short"
	case e.Stage == relay.UnderWay && e.MissedAt != 0 && e.MissedAt == e.GoesOut:
		return "missed its time", "short"
	case e.IsQuiet && e.Pace != plan.Short && e.Pace != plan.NoRoom:
		return fmt.Sprintf("%d d quiet", e.Quiet), "quiet"
	}
	return shortPace(e.Standing), toneOf(e.Standing)
}

func (c *lineupCell) time(e *desk.Entry) string {
	layout := "15:04"
	if c.Week {
		layout = "Mon 2, 15:04"
	}
	return c.look.b.Channel(e.ChannelID).Name + " " + e.GoesOut.In(c.look.b.Zones[e.DeskID]).Format(layout)
}
