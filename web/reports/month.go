package reports

import (
	"html/template"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// monthView is a month on one page.
type monthView struct {
	Desk, Title    string
	Earlier, Later string
	Answer         []answer
	Out, Legs      template.HTML
	LegsOf         string
	Pieces         []monthPiece
	More           int
	Ahead          template.HTML
	Goals          []goalRow
	People         []personRow
	Lead           bool
	To             []toPerson
}

type monthPiece struct {
	ID                 ref.Piece
	Title, Format, Day string
	How, Tone, Did     string
}

// toPerson is somebody to whom the month can be sent.
type toPerson struct {
	store.Person
	Is bool
}

// mostPieces is how many pieces fit on the page of a month.
const mostPieces = 24

func (s *Section) month(c *echo.Context) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	desk, me := kit.Here(c), kit.Me(c)
	today := s.Newsroom.Now().Date(b.Zones[desk])
	on, bad := day.ParseDate(c.QueryParam("on"))
	if bad != nil || on > today+366 || on < today-40*366 {
		on = today.MonthStart() - 1
	}
	span := reports.SpanOf(reports.Month, on)
	r, err := s.Reports.Of(ctx, me.ID, desk, reports.Asked{Span: span, Look: planning.Look{Desks: []ref.Desk{desk}}, By: "format"})
	if err != nil {
		return err
	}
	goals, err := s.Reports.Goals(ctx, me.ID, desk, min(span.To, max(today, span.From)))
	if err != nil {
		return err
	}
	v := monthView{Desk: b.Desk(desk).Name, Title: span.Says(), Earlier: "/reports/month?on=" + span.Before().From.String(), Later: "/reports/month?on=" + span.Next().From.String(), Answer: sayReport(b, &r), Out: drawOut(&r), Legs: drawLegs(&r), LegsOf: b.Format(r.Format).Name, Ahead: drawAhead(r.Ahead), Lead: me.Access.May(relay.SetUpDesk)}
	did := map[ref.Piece]string{}
	for _, d := range slices.Concat(r.Did.Top, r.Did.Bottom) {
		did[d.ID] = figures.Say(r.Did.Measure, d.Value)
	}
	for _, x := range r.Out {
		if len(v.Pieces) == mostPieces {
			v.More++
			continue
		}
		p := monthPiece{ID: x.ID, Title: x.Title, Format: b.Format(x.FormatID).Name, Day: english.Date(x.On), How: string(x.Fate), Tone: "muted", Did: did[x.ID]}
		if x.Fate == report.Late {
			p.How, p.Tone = english.Plural(x.LateBy, "day")+" late", "short"
		}
		v.Pieces = append(v.Pieces, p)
	}
	for _, g := range goals {
		v.Goals = append(v.Goals, newGoal(g))
	}
	for _, p := range r.People[:min(9, len(r.People))] {
		v.People = append(v.People, newPerson(b, p))
	}
	if v.Lead {
		to, err := s.Reports.MonthTo(ctx, me.ID, desk)
		if err != nil {
			return err
		}
		for _, p := range b.Owners(desk) {
			v.To = append(v.To, toPerson{p, slices.Contains(to, p.ID)})
		}
	}
	return s.Show(c, http.StatusOK, "month", v.Title+" on one page", v)
}

// sendMonth says to whom the month is sent.
func (s *Section) sendMonth(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	var to []ref.Person
	for _, v := range form["to"] {
		if n, err := strconv.ParseInt(v, 10, 64); err == nil {
			to = append(to, ref.Person(n))
		}
	}
	err = s.Reports.SendMonthTo(c.Request().Context(), kit.Me(c).ID, kit.Here(c), to)
	return s.Answered(c, err, "On the first working day of the next month it is sent.", "/reports/month", func(int, *relay.Refusal) error { return newsroom.ErrNotFound })
}
