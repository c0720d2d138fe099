package lineup

import (
	"fmt"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/field"
	"greenbaton/core/ref"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

type lineupView struct {
	views.ViewHead
	Months    string
	Answer    lineupAnswer
	Rows      []kit.Setting // days, channels or campaigns
	Shows     []kit.Setting // publication days, or due dates of legs
	Spans     []kit.Setting
	Earlier   string
	Later     string
	ThisWeek  string
	From, To  string
	Heads     []lineupHead
	Weeks     []lineupWeek
	ByRow     []lineupRow
	Tray      trayView
	Mix       draw.MixView
	ShowsLegs bool
	Closed    bool // nothing is put on a day here: it shows other dates than those on which pieces go out
	Dense     bool
}

// lineupAnswer is what the page says first.
type lineupAnswer struct {
	Short, Open, Clash string // in words; empty for none
	ShortAt            string // where those that are short are listed
	Good               bool
	Runway             draw.RunwayView
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

// weeksShown are the spans of the lineup, in weeks.
var weeksShown = []string{"5", "2", "13"}

func (s *Section) lineup(c *echo.Context) error {
	at, err := s.ViewsPage.Viewing(c, "/lineup", c.QueryParams())
	if err != nil {
		return err
	}
	q := at.Q
	weeks, err := strconv.Atoi(kit.OneOf(q, "weeks", weeksShown...))
	if err != nil {
		return err
	}
	from := at.Today.Monday()
	if x, err := day.ParseDate(q.Get("from")); err == nil && x > at.Today-20_000 && x < at.Today+20_000 {
		from = x.Monday()
	}
	v := lineupView{ShowsLegs: q.Get("show") == "due", Dense: weeks > 5}
	shows := planning.Shows{Legs: v.ShowsLegs}
	dates := dateFields(at.B, at.Desk)
	for _, f := range dates {
		if q.Get("show") == "x"+kit.Str(f.ID) {
			shows.Field, v.Closed = f.ID, true
		}
	}
	v.Closed = v.Closed || v.ShowsLegs
	l, err := s.Planning.Lineup(c.Request().Context(), kit.Me(c).ID, at.Desk, at.Look, planning.Span{From: from, To: from + day.Date(7*weeks)}, shows)
	if err != nil {
		return err
	}
	k := at.Cards(func(see func(*newsroom.Entry)) {
		for _, e := range l.Out {
			see(e)
		}
		for _, e := range l.Tray {
			see(e)
		}
	})
	v.From, v.To = l.From.String(), l.To.String()
	if err := s.ViewsPage.Head(c, &v.ViewHead, &at, k); err != nil {
		return err
	}
	v.Views.Out = at.Given(l.From, l.To-1)
	v.switches(at.At, q, at.Today, from, weeks, dates)
	m := lineupMaker{b: at.B, l: &l, look: k, desk: at.Desk, weeks: weeks, v: &v, at: at.At, sieve: &at.Look.Sieve}
	if shows.Field != 0 {
		m.dated = "x" + kit.Str(shows.Field)
	}
	m.holes = !v.Closed
	if rows := kit.OneOf(q, "rows", "", "channel", "campaign"); rows == "" {
		m.days()
	} else {
		err = m.rows(s, c, rows)
	}
	if err != nil {
		return err
	}
	v.Tray, v.Mix, v.Answer = m.tray(), draw.NewMix(m.b, m.zone(), m.weeks, m.l.Mix, m.l.Runs), m.answer()
	return s.ShowView(c, "lineup", "Lineup", &v, v.parts())
}

func (v *lineupView) switches(at kit.Address, q map[string][]string, today, from day.Date, weeks int, dates []store.Field) {
	step := max(1, weeks-1)
	to := func(d day.Date) string {
		if d == today.Monday() {
			return at.With("from", "")
		}
		return at.With("from", d.String())
	}
	v.Earlier, v.Later, v.ThisWeek = to(from-day.Date(7*step)), to(from+day.Date(7*step)), at.With("from", "")
	v.Months = sayMonths(from, from+day.Date(7*weeks)-3)
	shown := []string{"", "Goes out", "due", "Leg due"}
	for _, f := range dates {
		shown = append(shown, "x"+kit.Str(f.ID), f.Name)
	}
	v.Shows = at.Settings("show", newsroom.FirstOf(q["show"]), shown...)
	v.Spans = at.Settings("weeks", strconv.Itoa(weeks), "5", "5 weeks", "2", "2 weeks", "13", "Quarter")
	v.Spans[0], v.Spans[1] = v.Spans[1], v.Spans[0]
	v.Rows = at.Settings("rows", newsroom.FirstOf(q["rows"]), "", "Days", "channel", "Channels", "campaign", "Campaigns")
}

// dateFields gives the extra fields of a desk that hold a date.
func dateFields(b *newsroom.Setup, desk ref.Desk) []store.Field {
	var out []store.Field
	for _, f := range b.Fields {
		if f.Kind == field.Date && !f.Retired && b.Format(f.FormatID).DeskID == desk {
			out = append(out, f)
		}
	}
	return out
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

func (v *lineupView) parts() []kit.Part {
	out := append(v.Parts(), kit.Part{Key: "answer", Template: "lineup-answer", Data: v.Answer, Has: nil}, kit.Part{Key: "tray", Template: "tray", Data: v.Tray, Has: nil}, kit.Part{Key: "mix", Template: "mix", Data: v.Mix, Has: nil})
	for _, w := range v.Weeks {
		for _, d := range w.Days {
			out = append(out, kit.Part{Key: d.Key, Template: "lineup-cell", Data: d, Has: d.has})
		}
	}
	for _, r := range v.ByRow {
		for _, d := range r.Cells {
			out = append(out, kit.Part{Key: d.Key, Template: "lineup-cell", Data: d, Has: d.has})
		}
	}
	return out
}

// lineupMaker makes the cells of a lineup.
type lineupMaker struct {
	b     *newsroom.Setup
	l     *planning.Lineup
	look  *views.CardLook
	desk  ref.Desk
	weeks int
	holes bool   // open slots are shown
	dated string // the column of another date of pieces that is shown; none for that on which they go out
	v     *lineupView
	at    kit.Address
	sieve *sift.Sieve
}

func (m *lineupMaker) cell(key string, date day.Date) *lineupCell {
	c := &lineupCell{Key: key, Date: date, look: m.look, line: m.l, desk: m.desk, dense: m.v.Dense}
	c.Today, c.Past = date == m.l.Today, date < m.l.Today
	return c
}

func (m *lineupMaker) zone() *time.Location { return m.b.Zones[m.desk] }

// days lays the span out as weeks of days.
func (m *lineupMaker) days() {
	by := map[day.Date]*lineupCell{}
	cal, week := m.b.Planned[m.desk].Calendar, m.b.Desk(m.desk).Week()
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
	m.fill(func(_ *newsroom.Entry, _ ref.Channel, date day.Date) *lineupCell { return by[date] }, &used)
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
func (m *lineupMaker) fill(where func(*newsroom.Entry, ref.Channel, day.Date) *lineupCell, used *day.Weekdays) {
	put := func(c *lineupCell, date day.Date) *lineupCell {
		if c != nil && used != nil {
			used[date.Weekday()] = true
		}
		return c
	}
	for _, x := range m.l.Dated {
		if c := put(where(x.Entry, x.ChannelID, x.Date), x.Date); c != nil {
			c.cards, c.dated = append(c.cards, x.Entry), m.dated
		}
	}
	if m.dated != "" {
		return
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
	for _, t := range m.l.Left {
		e := &newsroom.Entry{Row: store.Row{Piece: *t.Was}}
		date := e.GoesOut.Date(m.zone())
		if c := put(where(e, e.ChannelID, date), date); c != nil {
			c.left = append(c.left, t)
		}
	}
	for _, s := range m.l.Slots {
		date := s.At.Date(m.zone())
		if !m.holes {
			continue
		}
		if c := put(where(nil, s.Channel, date), date); c != nil {
			c.slots = append(c.slots, s)
		}
	}
}

// rows lays the span out as a row for each channel or campaign, a column a week.
func (m *lineupMaker) rows(s *Section, c *echo.Context, by string) error {
	at := map[int64]int{}
	add := func(id int64, name, says string) {
		at[id] = len(m.v.ByRow)
		row := lineupRow{Name: name, Says: says}
		for w := range m.weeks {
			date := m.l.From + day.Date(7*w)
			x := m.cell(fmt.Sprintf("r-%d-%s", id, date), date)
			x.Week, x.Today, x.Past = true, m.l.Today.Monday() == date, date+7 <= m.l.Today
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
			if m.sieve.Lets("channel", int64(ch.ID)) {
				add(int64(ch.ID), ch.Name, "")
			}
		}
	} else {
		done, err := s.Planning.Progress(c.Request().Context(), m.desk)
		if err != nil {
			return err
		}
		for _, x := range m.b.CampaignsOf(m.desk) {
			if x.ToDay >= m.l.From && x.FromDay < m.l.To {
				add(int64(x.ID), x.Name, planning.SayCampaign(x, done[x.ID]))
			}
		}
		add(0, "No campaign", "")
		m.holes = false
	}
	for w := range m.weeks {
		date := m.l.From + day.Date(7*w)
		_, n := date.Week()
		m.v.Heads = append(m.v.Heads, lineupHead{Name: fmt.Sprintf("Week %d", n), Sub: date.Format("2 Jan"), Today: m.l.Today.Monday() == date})
	}
	m.fill(func(e *newsroom.Entry, channel ref.Channel, date day.Date) *lineupCell {
		id := int64(channel)
		if by == "campaign" {
			id = int64(e.CampaignID)
		}
		i, ok := at[id]
		if w := int(date.Monday()-m.l.From) / 7; ok && w >= 0 && w < m.weeks {
			return m.v.ByRow[i].Cells[w]
		}
		return nil
	}, nil)
	return nil
}
