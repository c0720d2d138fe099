package reports

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// goalsView is the page on which goals of a quarter are set.
type goalsView struct {
	Goals    []goalLine
	Form     url.Values
	Quarters []kit.Option
	Measures []store.Measure
	Title    string
	Earlier  string
	Later    string
	Problem  string
	Field    string
}

type goalLine struct {
	reports.Goal
	goalRow
}

func (s *Section) goals(c *echo.Context) error {
	return s.showGoals(c, http.StatusOK, url.Values{"quarter": {c.QueryParam("on")}}, nil)
}

func (s *Section) showGoals(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	today := s.Newsroom.Now().Date(b.Zones[kit.Here(c)])
	on, bad := day.ParseDate(form.Get("quarter"))
	if bad != nil {
		on = today
	}
	span := reports.SpanOf(reports.Quarter, on)
	goals, err := s.Reports.Goals(ctx, kit.Me(c).ID, kit.Here(c), on)
	if err != nil {
		return err
	}
	v := goalsView{Form: form, Measures: b.MeasuresOf(kit.Here(c)), Title: span.Says(), Earlier: "/reports/goals?on=" + span.Before().From.String(), Later: "/reports/goals?on=" + span.Next().From.String()}
	form.Set("quarter", span.From.String())
	for _, g := range goals {
		v.Goals = append(v.Goals, goalLine{g, newGoal(g)})
		if g.ID == kit.Int[ref.Goal](c.QueryParams(), "goal") && refusal == nil {
			v.Form = url.Values{"id": {kit.Str(g.ID)}, "goal": {g.Goal.Name}, "measure": {kit.Str(g.MeasureID)}, "target": {fmt.Sprint(g.Target)}, "sieve": {g.Sieve}, "quarter": {g.Quarter.String()}}
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "goals", "Goals", v)
}

func (s *Section) saveGoal(c *echo.Context) error {
	return kit.SetUp(s.Server, c, here, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		to := "/reports/goals?on=" + form.Get("quarter")
		if form.Get("do") == "drop" {
			s.Say(c, "The goal is taken away.")
			return to, s.Reports.DropGoal(c.Request().Context(), kit.Me(c).ID, d, kit.Int[ref.Goal](form, "id"))
		}
		g := store.Goal{ID: kit.Int[ref.Goal](form, "id"), DeskID: d, Name: form.Get("goal"), MeasureID: kit.Int[ref.Measure](form, "measure"), Sieve: form.Get("sieve")}
		var err error
		if g.Quarter, err = kit.DateOf(form, "quarter", "the quarter"); err != nil {
			return "", err
		}
		if g.Target, err = kit.FigureOf(form, "target", "what is to be reached"); err != nil {
			return "", err
		}
		if err := s.Reports.SaveGoal(c.Request().Context(), kit.Me(c).ID, g); err != nil {
			return "", err
		}
		s.Say(c, "The goal is set.")
		return to, nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showGoals(c, status, typed, r) })
}

// here is for forms whose address names nothing but the desk that is looked at.
func here(c *echo.Context, _ *newsroom.Setup) (ref.Desk, error) { return kit.Here(c), nil }

// measuresView is the page of what a desk counts.
type measuresView struct {
	Measures []measureLine
	Form     url.Values
	All      []store.Measure // that days can be weighed by
	Problem  string
	Field    string
}

type measureLine struct {
	store.Measure
	Says string
}

func (s *Section) measures(c *echo.Context) error {
	return s.showMeasures(c, http.StatusOK, nil, nil)
}

func (s *Section) showMeasures(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	v := measuresView{Form: url.Values{"how": {string(measure.Added)}, "better": {string(measure.More)}}}
	for _, m := range b.Measures {
		if m.DeskID != kit.Here(c) {
			continue
		}
		v.Measures = append(v.Measures, measureLine{m, sayMeasure(b, m)})
		if m.How == measure.Added && !m.Retired {
			v.All = append(v.All, m)
		}
		if m.ID == kit.Int[ref.Measure](c.QueryParams(), "measure") {
			v.Form = url.Values{"id": {kit.Str(m.ID)}, "measure": {m.Name}, "unit": {m.Unit}, "how": {string(m.How)}, "better": {string(m.Better)}, "weighed_by": {kit.Str(m.WeighedBy)}, "counts": {m.Counts}, "main": {kit.Yes(m.Main)}, "retired": {kit.Yes(m.Retired)}}
		}
	}
	if refusal != nil {
		v.Problem, v.Field, v.Form = refusal.Text, refusal.Field, form
	}
	return s.Show(c, status, "measures", "Measures", v)
}

// sayMeasure says what a measure is: “added up, more is better; the program counts visits for it”.
func sayMeasure(b *newsroom.Setup, m store.Measure) string {
	out := figures.SayHow(m.How)
	if m.WeighedBy != 0 {
		out += " by " + strings.ToLower(b.Measure(m.WeighedBy).Name)
	}
	out += map[measure.Better]string{measure.More: ", more is better", measure.Fewer: ", fewer is better", measure.Neither: ""}[m.Better]
	out += map[string]string{store.Visits: "; the program counts visits of the shipped site for it", store.Clicks: "; the program counts clicks on short links for it", "": ""}[m.Counts]
	if m.Main {
		out = "the main one; " + out
	}
	if m.Retired {
		out += "; retired"
	}
	return out
}

func (s *Section) saveMeasure(c *echo.Context) error {
	return kit.SetUp(s.Server, c, here, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		m := store.Measure{ID: kit.Int[ref.Measure](form, "id"), DeskID: d, Name: form.Get("measure"), Unit: form.Get("unit"), How: measure.How(form.Get("how")), Better: measure.Better(form.Get("better")),
			WeighedBy: kit.Int[ref.Measure](form, "weighed_by"), Counts: form.Get("counts"), Main: form.Get("main") != "", Retired: form.Get("retired") != ""}
		if _, err := s.Figures.SaveMeasure(c.Request().Context(), kit.Me(c).ID, m); err != nil {
			return "", err
		}
		s.Say(c, "The measure is saved.")
		return "/reports/measures", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showMeasures(c, status, typed, r) })
}

// learntView is what was learnt on a desk.
type learntView struct {
	Words   string
	Lessons []lessonRow
}

type lessonRow struct {
	ID                        ref.Piece
	Title, Said, Learnt, Says string
	Tone                      string
}

func (s *Section) learnt(c *echo.Context) error {
	ctx := c.Request().Context()
	v := learntView{Words: c.QueryParam("words")}
	all, err := s.Figures.Lessons(ctx, kit.Me(c).ID, kit.Here(c), v.Words)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	for _, x := range all {
		v.Lessons = append(v.Lessons, lessonRow{ID: x.PieceID, Title: x.Entry.Title, Said: figures.SayOutcome(x.Said), Learnt: x.Learnt, Says: b.Name(x.By) + ", " + b.At(x.At, x.Entry.DeskID), Tone: kit.OutcomeTone(x.Said)})
	}
	return s.Show(c, http.StatusOK, "learnt", "What was learnt", v)
}
