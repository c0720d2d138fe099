package web

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/desk"
	"greenbaton/store"
)

// line is one piece in a list: the piece, its strip and a sentence.
type line struct {
	Row    store.Row
	Strip  strip
	Says   string
	Pace   string
	Tone   string
	Act    string // what the button says
	Main   bool   // the button is the main act
	Take   string // the leg that can be taken here
	Weekly weekDay
}

type weekDay struct{ Name, Number, Where, State, Tone string }

type todayView struct {
	Day      desk.Day
	Heading  string
	Summary  string
	With     []line
	Next     []line
	Late     []line
	Nobody   []line
	Quiet    []line
	Missed   []line
	Week     []line
	QuietFor int
	Note     string // beside the heading of one's own legs
	Me       int64
}

func (s *Server) today(c *echo.Context) error {
	ctx := c.Request().Context()
	p := me(c)
	d, err := s.House.TodayFor(ctx, p.ID)
	if err != nil {
		return err
	}
	b, err := s.House.Books(ctx)
	if err != nil {
		return err
	}
	v := todayView{Day: d, Heading: d.Date.Format("Monday 2 January"), Me: p.ID}
	for _, t := range d.With {
		v.With = append(v.With, withYou(b, t))
	}
	for _, t := range d.Next {
		x := newLine(b, t.Row, t.Leg.Name+due(t.Leg)+" · now "+runsNow(b, t.Row))
		v.Next = append(v.Next, x)
	}
	for _, t := range d.Nobody {
		x := newLine(b, t.Row, t.Leg.Name+due(t.Leg)+" · nobody has it yet")
		if x.Act = "Give it to somebody"; !d.Lead {
			x.Act, x.Take = "Take "+t.Leg.Name, t.Leg.Key
		}
		v.Nobody = append(v.Nobody, x)
	}
	for _, r := range d.Late {
		v.Late = append(v.Late, newLine(b, r, b.SayCause(r)+" · out "+dayOf(b, r)))
	}
	for _, r := range d.Missed {
		v.Missed = append(v.Missed, newLine(b, r, "It was not ready "+b.At(r.GoesOut, r.DeskID)+" · "+runsNow(b, r)))
	}
	for _, r := range d.Quiet {
		v.Quiet = append(v.Quiet, quietLine(b, r))
	}
	for _, r := range d.Week {
		v.Week = append(v.Week, weekLine(b, r))
	}
	if len(p.Desks) > 0 {
		v.QuietFor = b.Desk(p.Desks[0]).QuietAfter
	}
	v.Summary, v.Note = summary(d), note(d)
	return s.show(c, http.StatusOK, "today", "Today", v)
}

func newLine(b *desk.Books, r store.Row, says string) line {
	return line{Row: r, Strip: newStrip(b, r, wideStrip), Says: says, Pace: desk.SayPace(r.Standing), Tone: tone(r.Standing), Act: "Open"}
}

func withYou(b *desk.Books, t desk.Turn) line {
	x := newLine(b, t.Row, t.Leg.Name+due(t.Leg)+" · "+t.Ask)
	x.Main, x.Act = true, "Open the copy"
	if t.Leg.Words {
		x.Act = "Write it"
	}
	return x
}

// due says when a leg is due; nothing while its piece has no day.
func due(l relay.Leg) string {
	if l.Due == 0 {
		return ""
	}
	return " · due " + desk.Short(l.Due)
}

func quietLine(b *desk.Books, r store.Row) line {
	says := runsNow(b, r)
	for _, l := range r.Running() {
		says += " · last touched " + desk.Short(l.TouchedAt.Date(b.Zones[r.DeskID]))
		break
	}
	x := newLine(b, r, says)
	x.Pace, x.Tone = desk.Plural(r.Quiet, "day")+" quiet", "quiet"
	return x
}

func weekLine(b *desk.Books, r store.Row) line {
	at := r.GoesOut.In(b.Zones[r.DeskID])
	x := newLine(b, r, "")
	x.Weekly = weekDay{at.Format("Mon"), at.Format("2"), b.Channel(r.ChannelID).Name + " · " + at.Format("15:04"), x.Pace, x.Tone}
	if r.Pace != plan.Out && r.Pace != plan.Ready {
		x.Weekly.Where += " · " + runsNow(b, r)
	}
	return x
}

// runsNow says which legs of a piece run and who has them.
func runsNow(b *desk.Books, r store.Row) string {
	var xs []string
	for _, l := range r.Running() {
		xs = append(xs, l.Name+" with "+b.Name(l.Holder))
	}
	if len(xs) == 0 {
		return "all legs passed"
	}
	return desk.Names(xs)
}

func dayOf(b *desk.Books, r store.Row) string {
	return desk.Short(r.GoesOut.Date(b.Zones[r.DeskID]))
}

// summary says in two sentences how the day stands.
func summary(d desk.Day) string {
	s := "Nothing is with you just now."
	if d.WithTotal > 0 {
		s = fmt.Sprintf("%s %s with you.", count(d.WithTotal, "leg"), are(d.WithTotal))
	}
	if !d.Lead {
		return s
	}
	if d.LateTotal == 0 {
		return s + " Every piece will make its day."
	}
	return fmt.Sprintf("%s %s will miss %s day unless something changes.", s, count(d.LateTotal, "piece"), map[bool]string{true: "its", false: "their"}[d.LateTotal == 1])
}

func note(d desk.Day) string {
	if d.WithTotal == 0 {
		return ""
	}
	s := fmt.Sprintf("%s · %s of work", desk.Plural(d.WithTotal, "leg"), hoursOf(d.Minutes))
	if d.HasToday > 0 {
		s += " · you have " + hoursOf(d.HasToday) + " today"
	}
	return s
}

var words = []string{"No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten"}

// count writes a small number as a word: "Three legs".
func count(n int, noun string) string {
	if n >= len(words) {
		return number(n) + " " + noun + "s"
	}
	if n == 1 {
		return words[1] + " " + noun
	}
	return words[n] + " " + noun + "s"
}

func are(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}
