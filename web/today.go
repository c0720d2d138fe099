package web

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// line is one piece in a list: the piece, its strip and a sentence.
type line struct {
	Row    store.Row
	Strip  strip
	Bare   bool // how it stands is not for whoever looks
	Says   string
	Pace   string
	Tone   string
	Act    string // what the button says
	To     string // where it leads, if not to the piece
	Main   bool   // the button is the main act
	Take   string // the leg that can be taken here
	Weekly weekDay
}

type weekDay struct{ Name, Number, Where, State, Tone, Fill string }

type todayView struct {
	Day       planning.Day
	Heading   string
	Summary   string
	With      []line
	Next      []line
	Late      []line
	Nobody    []line
	Quiet     []line
	Missed    []line
	Asked     []queryView // queries that wait for an answer
	Verdicts  []line      // pieces that wait for the verdict of who looks
	MoreAsked bool
	Week      []line
	QuietFor  int
	Note      string // beside the heading of one's own legs
	Me        int64
	Runway    runwayView
	Free      []freeView
}

// runwayView draws how far ahead of the calendar the desk is.
type runwayView struct {
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

type freeView struct {
	Initials, Says, Fits string
	Piece                int64
	Leg                  string
}

func (s *Server) today(c *echo.Context) error {
	ctx := c.Request().Context()
	p := me(c)
	if p.PartnerID != 0 && p.Access.May(relay.AnswerAsked) {
		return c.Redirect(http.StatusSeeOther, "/partner")
	}
	d, err := s.Newsroom.Planning.TodayFor(ctx, p.ID, here(c))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
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
		if x.Act, x.To = "Give it to…", fmt.Sprintf("/pieces/%d/legs/%s", t.Row.ID, t.Leg.Key); !d.Lead {
			x.Act, x.Take = "Take "+t.Leg.Name, t.Leg.Key
			x.Bare = !p.Access.May(relay.SeeAll)
		}
		v.Nobody = append(v.Nobody, x)
	}
	for _, r := range d.Late {
		x := newLine(b, r, b.SayCause(r)+" · out "+dayOf(b, r))
		x.Act, x.To = "See ways out", fmt.Sprintf("/pieces/%d/ways", r.ID)
		v.Late = append(v.Late, x)
	}
	for _, r := range d.Missed {
		v.Missed = append(v.Missed, newLine(b, r, "It was not ready "+b.At(r.GoesOut, r.DeskID)+" · "+runsNow(b, r)))
	}
	for _, r := range d.Quiet {
		v.Quiet = append(v.Quiet, quietLine(b, r))
	}
	for _, r := range d.Week {
		v.Week = append(v.Week, weekLine(b, r, here(c)))
	}
	v.QuietFor = b.Desk(here(c)).QuietAfter
	v.Summary, v.Note = summary(d), note(d)
	if d.Lead {
		v.Runway = newRunway(b, d, here(c))
		for _, f := range d.Free {
			v.Free = append(v.Free, newFree(b, f))
		}
	}
	if err := s.addAsked(c, b, &v); err != nil {
		return err
	}
	return s.showView(c, "today", "Today", v, []part{{"today", "today", v, nil}})
}

// mostAsked is how many queries that wait for an answer are listed.
const mostAsked = 5

// addAsked adds the queries that wait for an answer of whoever looks.
func (s *Server) addAsked(c *echo.Context, b *newsroom.Setup, v *todayView) error {
	list, err := s.Newsroom.Copyroom.Queries(c.Request().Context(), v.Me, copyroom.QueriesMine, "", mostAsked)
	if err != nil {
		return err
	}
	v.MoreAsked = list.Older
	rows, legs, err := s.Newsroom.Review.VerdictsOwed(c.Request().Context(), v.Me)
	if err != nil {
		return err
	}
	for i, row := range rows {
		x := newLine(b, row, legs[i].Name+due(legs[i])+" · your verdict is asked for")
		x.To, x.Act, x.Main = fmt.Sprintf("/pieces/%d/review", row.ID), "Read it and say", true
		v.Verdicts = append(v.Verdicts, x)
	}
	for _, q := range list.Queries {
		row := list.Rows[q.PieceID]
		x := newQueryView(b, q, row.DeskID, "")
		x.Piece = &row
		v.Asked = append(v.Asked, x)
	}
	return nil
}

func newLine(b *newsroom.Setup, r store.Row, says string) line {
	return line{Row: r, Strip: newStrip(b, r, wideStrip), Says: says, Pace: newsroom.SayPace(r.Standing), Tone: tone(r.Standing), Act: "Open"}
}

func withYou(b *newsroom.Setup, t planning.Turn) line {
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
	return " · due " + newsroom.Short(l.Due)
}

func quietLine(b *newsroom.Setup, r store.Row) line {
	says := runsNow(b, r)
	for _, l := range r.Running() {
		says += " · last touched " + newsroom.Short(l.TouchedAt.Date(b.Zones[r.DeskID]))
		break
	}
	x := newLine(b, r, says)
	x.Pace, x.Tone = newsroom.Plural(r.Quiet, "day")+" quiet", "quiet"
	return x
}

func weekLine(b *newsroom.Setup, w planning.WeekRow, d int64) line {
	at := w.At.In(b.Zones[d])
	where := b.Channel(w.Channel).Name + " · " + at.Format("15:04")
	if w.Open {
		return line{Weekly: weekDay{
			Name: at.Format("Mon"), Number: at.Format("2"), Where: "Open slot · " + where,
			Fill: "/pieces/new?date=" + at.Format("2006-01-02") + "&time=" + at.Format("15:04") + "&channel=" + strconv.FormatInt(w.Channel, 10),
		}}
	}
	x := newLine(b, w.Row, "")
	x.Weekly = weekDay{Name: at.Format("Mon"), Number: at.Format("2"), Where: where, State: x.Pace, Tone: x.Tone}
	if w.Pace != plan.Out && w.Pace != plan.Ready {
		x.Weekly.Where += " · " + runsNow(b, w.Row)
	}
	return x
}

// runwayWidth is how wide the runway is drawn, and cell how wide a slot is at most.
const runwayWidth, runwayCellWidth = 308.0, 15.4

func newRunway(b *newsroom.Setup, d planning.Day, deskID int64) runwayView {
	r := d.Runway
	v := runwayView{Count: r.Finished, Width: runwayWidth}
	v.Says = fmt.Sprintf("%s covered with finished pieces. The goal is %d.", map[bool]string{true: "publishing slot is", false: "publishing slots are"}[r.Finished == 1], d.Goal)
	unit := min(runwayCellWidth, runwayWidth/float64(max(1, len(r.Slots))))
	counts := map[plan.Cover]int{}
	for i, s := range r.Slots {
		counts[s.Cover]++
		v.Cells = append(v.Cells, runwayCell{float64(i) * unit, string(s.Cover), b.At(s.At, deskID) + " " + b.Channel(s.Channel).Name})
	}
	v.Label = fmt.Sprintf("Of the next %s, %d are covered by finished pieces, %d by running ones, %d by none.", newsroom.Plural(len(r.Slots), "slot"), counts[plan.ByFinished], counts[plan.ByRunning], counts[plan.ByNothing])
	return v
}

// CellWidth is how wide one slot of the runway is drawn.
func (v runwayView) CellWidth() float64 {
	return min(runwayCellWidth, runwayWidth/float64(max(1, len(v.Cells)))) - 3
}

func newFree(b *newsroom.Setup, f planning.FreeHands) freeView {
	v := freeView{Initials: b.Person(f.Person).Initials, Says: fmt.Sprintf("%s has %s free up to %s.", b.Name(f.Person), newsroom.Hours(f.Minutes), f.Until.Format("Monday"))}
	if f.Leg != nil {
		v.Fits, v.Piece, v.Leg = fmt.Sprintf("%s of “%s” fits.", f.Leg.Name, f.Piece.Title), f.Piece.ID, f.Leg.Key
	}
	return v
}

// runsNow says which legs of a piece run and who has them.
func runsNow(b *newsroom.Setup, r store.Row) string {
	var xs []string
	for _, l := range r.Running() {
		xs = append(xs, l.Name+" with "+b.Name(l.Holder))
	}
	if len(xs) == 0 {
		return "all legs passed"
	}
	return newsroom.Names(xs)
}

func dayOf(b *newsroom.Setup, r store.Row) string {
	return newsroom.Short(r.GoesOut.Date(b.Zones[r.DeskID]))
}

// summary says in two sentences how the day stands.
func summary(d planning.Day) string {
	s := "Nothing is with you just now."
	if d.WithTotal > 0 {
		s = fmt.Sprintf("%s %s with you.", count(d.WithTotal, "leg"), are(d.WithTotal))
	}
	if !d.Lead {
		return s
	}
	their := map[bool]string{true: "its", false: "their"}
	if d.MissedAll > 0 {
		s = fmt.Sprintf("%s did not go out at %s time. %s", count(d.MissedAll, "piece"), their[d.MissedAll == 1], s)
	}
	switch {
	case d.LateTotal > 0:
		s += fmt.Sprintf(" %s will miss %s day unless something changes.", count(d.LateTotal, map[bool]string{true: "other", false: "piece"}[d.MissedAll > 0]), their[d.LateTotal == 1])
	case d.MissedAll == 0:
		s += " Every piece will make its day."
	default:
		s += " Every other piece will make its day."
	}
	return s
}

func note(d planning.Day) string {
	if d.WithTotal == 0 {
		return ""
	}
	s := fmt.Sprintf("%s · %s of work", newsroom.Plural(d.WithTotal, "leg"), newsroom.Hours(d.Minutes))
	if d.HasToday > 0 {
		s += " · you have " + newsroom.Hours(d.HasToday) + " today"
	}
	return s
}

var words = []string{"No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten"}

// countOf writes a small number as a word: "Three", "None".
func countOf(n int) string {
	switch {
	case n == 0:
		return "None"
	case n < len(words):
		return words[n]
	}
	return number(n)
}

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
