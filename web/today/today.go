package today

import (
	"fmt"
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	copypage "greenbaton/web/copy"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

// line is one piece in a list: the piece, its strip and a sentence.
type line struct {
	Row    store.Row
	Strip  draw.Strip
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
	Wanted    []wantedLine
	Asked     []copypage.QueryView // queries that wait for an answer
	Verdicts  []line               // pieces that wait for the verdict of who looks
	MoreAsked bool
	Week      []line
	QuietFor  int
	Note      string // beside the heading of one's own legs
	Me        ref.Person
	Runway    draw.RunwayView
	Free      []freeView
	After     string // what is left to do at pieces that are out
	Steps     kit.StepsView
	Goals     []goalLine
	GivenUp   []goalLine // what could not be delivered, with where that is seen
	Did       []line     // pieces of which it is asked how they did
}

// goalLine is a goal of the quarter that is off course, or something else to see to.
type goalLine struct{ Name, Says, Link string }

// givenUp says what could not be delivered.
func givenUp(all []store.GivenUp) []goalLine {
	var out []goalLine
	for _, x := range all {
		l := goalLine{"Outgoing mail", english.UpperFirst(english.Counted(x.N, "message")) + english.Verb(x.N, " was", " were") + " given up", "/post"}
		if x.Receiver != 0 {
			l = goalLine{x.Name, english.UpperFirst(english.Counted(x.N, "event")) + english.Verb(x.N, " was", " were") + " given up", "/receivers/" + kit.Str(x.Receiver)}
		}
		out = append(out, l)
	}
	return out
}

type freeView struct {
	Initials, Says, Fits string
	Piece                ref.Piece
	Leg                  string
}

func (s *Section) today(c *echo.Context) error {
	ctx := c.Request().Context()
	p := kit.Me(c)
	if p.PartnerID != 0 && p.Access.May(relay.AnswerAsked) {
		return c.Redirect(http.StatusSeeOther, "/partner")
	}
	d, err := s.Planning.TodayFor(ctx, p.ID, kit.Here(c))
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
		x := newLine(b, t.Row, t.Leg.Name+due(b, &t.Row.Piece, &t.Leg)+" · now "+kit.RunsNow(b, t.Row))
		v.Next = append(v.Next, x)
	}
	for _, t := range d.Nobody {
		x := newLine(b, t.Row, t.Leg.Name+due(b, &t.Row.Piece, &t.Leg)+" · nobody has it yet")
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
		v.Missed = append(v.Missed, newLine(b, r, "It was not ready "+b.At(r.GoesOut, r.DeskID)+" · "+kit.RunsNow(b, r)))
	}
	for _, r := range d.Quiet {
		v.Quiet = append(v.Quiet, quietLine(b, r))
	}
	for _, r := range d.Week {
		v.Week = append(v.Week, weekLine(b, r, kit.Here(c)))
	}
	v.QuietFor = b.Desk(kit.Here(c)).QuietAfter
	v.Summary, v.Note = summary(d), note(d)
	if d.Lead {
		v.Runway = draw.NewRunway(b, d, kit.Here(c))
		for _, f := range d.Free {
			v.Free = append(v.Free, newFree(b, f))
		}
	}
	if d.Lead {
		left, err := s.Planning.AfterRelease(ctx, p.ID, kit.Here(c))
		if err != nil {
			return err
		}
		if len(left) > 0 {
			v.After, _ = planning.SayAfter(left, d.Date)
		}
	}
	if d.Lead {
		goals, err := s.Reports.Goals(ctx, p.ID, kit.Here(c), d.Date)
		if err != nil {
			return err
		}
		for _, g := range goals {
			if g.OffCourse() {
				v.Goals = append(v.Goals, goalLine{g.Name, fmt.Sprintf("%s so far; on course for %s of %s", figures.Number(g.Is), figures.Number(math.Round(g.Sum.Likely)), figures.Number(g.Target)), "/reports"})
			}
		}
	}
	undelivered, err := s.Notify.GivenUp(ctx, p.ID, kit.Here(c))
	if err != nil {
		return err
	}
	v.GivenUp = givenUp(undelivered)
	did, err := s.Figures.AskedOf(ctx, p.ID, kit.Here(c))
	if err != nil {
		return err
	}
	for _, e := range did[:min(mostAsked, len(did))] {
		x := newLine(b, e.Row, "Out since "+b.At(e.OutAt, e.DeskID)+", with an aim · how did it do?")
		x.Act, x.To = "Say how it did", fmt.Sprintf("/pieces/%d#did", e.ID)
		v.Did = append(v.Did, x)
	}
	steps, err := s.Planning.MySteps(ctx, p.ID, kit.Here(c))
	if err != nil {
		return err
	}
	v.Steps = kit.NewSteps(b, steps, "/")
	v.Steps.Only = true
	wanted, err := s.Planning.WantedOf(c.Request().Context(), v.Me)
	if err != nil {
		return err
	}
	for _, x := range wanted {
		v.Wanted = append(v.Wanted, newWanted(b, x, s.Newsroom.Now()))
	}
	if err := s.addAsked(c, b, &v); err != nil {
		return err
	}
	return s.ShowView(c, "today", "Today", v, []kit.Part{{Key: "today", Template: "today", Data: v, Has: nil}})
}

// wantedLine is something that somebody waits for.
type wantedLine struct{ Title, Link, Text, Says string }

func newWanted(b *newsroom.Setup, x planning.Wanted, now day.Moment) wantedLine {
	return wantedLine{x.Piece.Title, "/pieces/" + kit.Str(x.Piece.ID), english.UpperFirst(x.Text) + ".", fmt.Sprintf("%s cannot be passed without it, says %s, %s.", x.Leg, b.Name(x.By), english.Ago(x.At, now))}
}

// mostAsked is how many queries that wait for an answer are listed.
const mostAsked = 5

// addAsked adds the queries that wait for an answer of whoever looks.
func (s *Section) addAsked(c *echo.Context, b *newsroom.Setup, v *todayView) error {
	list, err := s.Copyroom.Queries(c.Request().Context(), v.Me, copyroom.QueriesMine, "", mostAsked)
	if err != nil {
		return err
	}
	v.MoreAsked = list.Older
	rows, legs, err := s.Review.VerdictsOwed(c.Request().Context(), v.Me)
	if err != nil {
		return err
	}
	for i, row := range rows {
		x := newLine(b, row, legs[i].Name+due(b, &row.Piece, &legs[i])+" · your verdict is asked for")
		x.To, x.Act, x.Main = fmt.Sprintf("/pieces/%d/review", row.ID), "Read it and say", true
		v.Verdicts = append(v.Verdicts, x)
	}
	for _, q := range list.Queries {
		row := list.Rows[q.PieceID]
		x := copypage.NewQueryView(b, q, row.DeskID, "")
		x.Piece = &row
		v.Asked = append(v.Asked, x)
	}
	return nil
}

func newLine(b *newsroom.Setup, r store.Row, says string) line {
	return line{Row: r, Strip: draw.NewStrip(b, r, draw.WideStrip), Says: says, Pace: newsroom.SayPace(r.Standing), Tone: kit.Tone(r.Standing), Act: "Open"}
}

func withYou(b *newsroom.Setup, t planning.Turn) line {
	x := newLine(b, t.Row, t.Leg.Name+due(b, &t.Row.Piece, &t.Leg)+" · "+t.Ask)
	x.Main, x.Act = true, "Open the copy"
	switch {
	case t.Leg.Words:
		x.Act = "Write it"
	case t.Leg.Later:
		x.Act, x.To = "Open it", fmt.Sprintf("/pieces/%d#afterwards", t.Row.ID)
	}
	return x
}

// due says when a leg is due; nothing while its piece has no day.
func due(b *newsroom.Setup, p *relay.Piece, l *relay.Leg) string {
	if l.Due == 0 {
		return ""
	}
	return " · due " + b.SayDue(p, l)
}

func quietLine(b *newsroom.Setup, r store.Row) line {
	says := kit.RunsNow(b, r)
	for _, l := range r.Running() {
		says += " · last touched " + english.Date(l.TouchedAt.Date(b.Zones[r.DeskID]))
		break
	}
	x := newLine(b, r, says)
	x.Pace, x.Tone = english.Plural(r.Quiet, "day")+" quiet", "quiet"
	return x
}

func weekLine(b *newsroom.Setup, w planning.WeekRow, d ref.Desk) line {
	at := w.At.In(b.Zones[d])
	where := b.Channel(w.Channel).Name + " · " + at.Format("15:04")
	if w.Open {
		return line{Weekly: weekDay{
			Name: at.Format("Mon"), Number: at.Format("2"), Where: "Open slot · " + where,
			Fill: "/pieces/new?date=" + at.Format("2006-01-02") + "&time=" + at.Format("15:04") + "&channel=" + kit.Str(w.Channel),
		}}
	}
	x := newLine(b, w.Row, "")
	x.Weekly = weekDay{Name: at.Format("Mon"), Number: at.Format("2"), Where: where, State: x.Pace, Tone: x.Tone}
	if w.Pace != plan.Out && w.Pace != plan.Ready {
		x.Weekly.Where += " · " + kit.RunsNow(b, w.Row)
	}
	return x
}

func newFree(b *newsroom.Setup, f planning.FreeHands) freeView {
	v := freeView{Initials: b.Person(f.Person).Initials, Says: fmt.Sprintf("%s has %s free up to %s.", b.Name(f.Person), english.Hours(f.Minutes), f.Until.Format("Monday"))}
	if f.Leg != nil {
		v.Fits, v.Piece, v.Leg = fmt.Sprintf("%s of “%s” fits.", f.Leg.Name, f.Piece.Title), f.Piece.ID, f.Leg.Key
	}
	return v
}

func dayOf(b *newsroom.Setup, r store.Row) string {
	return english.Date(r.GoesOut.Date(b.Zones[r.DeskID]))
}

// summary says in two sentences how the day stands.
func summary(d planning.Day) string {
	s := "Nothing is with you just now."
	if d.WithTotal > 0 {
		s = fmt.Sprintf("%s %s with you.", english.Count(d.WithTotal, "leg"), english.Verb(d.WithTotal, "is", "are"))
	}
	if !d.Lead {
		return s
	}
	their := map[bool]string{true: "its", false: "their"}
	if d.MissedAll > 0 {
		s = fmt.Sprintf("%s did not go out at %s time. %s", english.Count(d.MissedAll, "piece"), their[d.MissedAll == 1], s)
	}
	switch {
	case d.LateTotal > 0:
		s += fmt.Sprintf(" %s will miss %s day unless something changes.", english.Count(d.LateTotal, map[bool]string{true: "other", false: "piece"}[d.MissedAll > 0]), their[d.LateTotal == 1])
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
	s := fmt.Sprintf("%s · %s of work", english.Plural(d.WithTotal, "leg"), english.Hours(d.Minutes))
	if d.HasToday > 0 {
		s += " · you have " + english.Hours(d.HasToday) + " today"
	}
	return s
}
