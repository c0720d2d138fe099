package regulars

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/regular"
	"greenbaton/web/draw"
	"greenbaton/web/kit"
)

// yearView is all regulars of a desk on one year.
type yearView struct {
	Year           int
	Lead           bool // who looks may set regulars up
	Earlier, Later string
	Answer         string
	Trouble        string // what is amiss with dates to come
	Months         []monthTick
	Today          float64 // where it stands, 0 if in another year
	Rows           []yearRow
	Legend         []yearMark
}

// yearWidth is how wide a year is drawn, in its own units.
const yearWidth = 1000.0

type monthTick struct {
	X    float64
	Name string
}

type yearRow struct {
	ID          ref.Regular
	Name, Says  string
	State, Tone string // what comes next, or that it is paused or over
	Marks       []yearMark
	Coming      []yearMark // those from today on
	Label       string     // the strip in words
	Taken       []takenDay
}

// yearMark is a day on the strip.
type yearMark struct {
	X     float64
	Kind  string // out, under, short, come, none, past, taken
	Title string
	Link  string
}

// takenDay is a day that somebody decides on: another piece has its time.
type takenDay struct {
	Key, Says string
	Piece     ref.Piece
	Title     string
}

func (s *Section) regulars(c *echo.Context) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	desk := kit.Here(c)
	today := s.Newsroom.Now().Date(b.Zones[desk])
	year, err := strconv.Atoi(c.QueryParam("year"))
	if err != nil || year < 1990 || year > 2100 {
		year = today.Year()
	}
	first, last := day.NewDate(year, time.January, 1), day.NewDate(year, time.December, 31)
	lines, err := s.Regulars.Lines(ctx, kit.Me(c).ID, desk, min(first, today), max(last, today+7*8))
	if err != nil {
		return err
	}
	v := yearView{Year: year, Lead: kit.Me(c).Access.May(relay.SetUpDesk), Earlier: fmt.Sprintf("/regulars?year=%d", year-1), Later: fmt.Sprintf("/regulars?year=%d", year+1)}
	line := draw.Months{First: first, N: 12, Wide: yearWidth}
	for m := time.January; m <= time.December; m++ {
		v.Months = append(v.Months, monthTick{line.X(day.NewDate(year, m, 1)), m.String()[:3]})
	}
	if today.Year() == year {
		v.Today = line.X(today)
	}
	for _, x := range [][2]string{{"out", "out"}, {"under", "made"}, {"short", "made, short"}, {"come", "to come"}, {"none", "left out"}, {"past", "never made"}, {"taken", "its time is taken"}} {
		v.Legend = append(v.Legend, yearMark{X: 2, Kind: x[0], Title: x[1]})
	}
	eight, runs, amiss := 0, 0, 0
	for _, l := range lines {
		r := rowOf(l, today)
		for _, m := range l.Marks {
			if m.On > today && m.On <= today+7*8 && m.State != regular.LeftOut && m.State != regular.Past {
				eight++
			}
			if m.On < first || m.On > last {
				continue
			}
			r.Marks = append(r.Marks, markOf(m, line.X(m.On)))
			if m.On >= today {
				r.Coming = append(r.Coming, r.Marks[len(r.Marks)-1])
			}
		}
		runs += kit.Bit(l.Runs())
		amiss += len(r.Taken)
		v.Rows = append(v.Rows, r)
	}
	if len(lines) > 0 {
		v.Answer = fmt.Sprintf("%s %s; in the next eight weeks %s of theirs %s out.", english.UpperFirst(english.Count(runs, "regular")), english.Verb(runs, "runs", "run"),
			english.Count(eight, "piece"), english.Verb(eight, "goes", "go"))
	}
	if amiss > 0 {
		v.Trouble = english.UpperFirst(english.Count(amiss, "date")) + " " + english.Verb(amiss, "has its", "have their") + " time taken by another piece."
	}
	return s.Show(c, http.StatusOK, "regulars", "Regulars", v)
}

// rowOf gives the row of a regular without its marks.
func rowOf(l regular.Line, today day.Date) yearRow {
	r := yearRow{ID: l.ID, Name: l.Name, Says: english.UpperFirst(l.Says), Tone: "muted"}
	var out, under, come, past int
	var next *regular.Mark
	for i := range l.Marks {
		m := &l.Marks[i]
		switch {
		case m.State == regular.Made && m.Entry != nil && m.Entry.Stage == relay.Out:
			out++
		case m.State == regular.Made && m.Entry != nil && m.Entry.Stage == relay.UnderWay:
			under++
		case m.State == regular.Due || m.State == regular.Later:
			come++
		case m.State == regular.Past:
			past++
		case m.State == regular.Taken && len(m.With) > 0:
			r.Taken = append(r.Taken, takenDay{m.Key.String(), english.Date(m.On), m.With[0].ID, m.With[0].Title})
		}
		if m.On >= today && next == nil && m.State != regular.LeftOut && m.State != regular.Past && m.State != regular.Taken && (m.Entry == nil || m.Entry.Stage == relay.UnderWay) {
			next = m
		}
	}
	r.Label = fmt.Sprintf("%s: %s out, %d under way, %d to come", l.Name, english.Plural(out, "piece"), under, come)
	if past > 0 {
		r.Label += fmt.Sprintf(", %d never made", past)
	}
	switch {
	case l.Ended:
		r.State = "It has ended"
	case l.Paused:
		r.State, r.Tone = "Paused: nothing is made", "noroom"
	case next == nil:
		r.State = "No day comes any more"
	default:
		r.State = "Next on " + english.Date(next.On)
	}
	return r
}

// markOf draws a day of a regular.
func markOf(m regular.Mark, x float64) yearMark {
	out := yearMark{X: x, Title: english.Date(m.On)}
	switch m.State {
	case regular.Made:
		if out.Kind = "under"; m.Entry == nil {
			return out
		}
		out.Link, out.Title = fmt.Sprintf("/pieces/%d", m.Entry.ID), out.Title+": "+m.Entry.Title
		switch {
		case m.Entry.Stage == relay.Out:
			out.Kind = "out"
		case m.Entry.Stage == relay.Withdrawn:
			out.Kind, out.Title = "none", out.Title+", withdrawn"
		case m.Entry.Pace == plan.Short:
			out.Kind, out.Title = "short", out.Title+", short"
		}
	case regular.Due, regular.Later:
		out.Kind, out.Title = "come", out.Title+": "+m.Coming.Title
	case regular.LeftOut:
		out.Kind, out.Title = "none", out.Title+strings.TrimSuffix(", left out: "+m.Holiday, ": ")
	case regular.Past:
		out.Kind, out.Title = "past", out.Title+": no piece was made in time"
	case regular.Taken:
		out.Kind, out.Title = "taken", out.Title+": another piece has its time"
	}
	return out
}
