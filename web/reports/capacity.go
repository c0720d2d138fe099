package reports

import (
	"fmt"
	"math"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/ref"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// capacityView is what a desk can carry.
type capacityView struct {
	Answer, Then   string
	Tone, ThenTone string
	Rows           []capacityRow
	Roles          []string
	People         []store.Person
	More           string
	Away           ref.Person
	Weeks          int
	Months         int
	Problem        string
}

type capacityRow struct {
	ID                  ref.Format
	Name, Lately, Typed string
	Now, Then           string // that it could carry, a month
}

func (s *Section) capacity(c *echo.Context) error {
	ctx, q := c.Request().Context(), c.QueryParams()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	v := capacityView{More: q.Get("more"), Away: kit.Int[ref.Person](q, "away"), Weeks: min(26, max(0, kit.Int[int](q, "weeks")))}
	if v.Weeks == 0 {
		v.Weeks = 3
	}
	ch := reports.Changed{Mix: map[ref.Format]float64{}, More: v.More, Away: v.Away, Weeks: v.Weeks}
	for _, f := range b.FormatsOf(kit.Here(c)) {
		typed := strings.TrimSpace(q.Get("mix-" + kit.Str(f.ID)))
		if typed == "" {
			continue
		}
		n, err := figure.Read(typed)
		if err != nil || n.Sign() < 0 {
			v.Problem = fmt.Sprintf("Write how many of %s a month as a number; “%s” is not one.", f.Name, english.Cut(typed, 20))
			continue
		}
		ch.Mix[f.ID], _ = n.Float64()
	}
	got, err := s.Reports.Carries(ctx, kit.Me(c).ID, kit.Here(c), ch)
	if err != nil {
		return err
	}
	v.Roles, v.People, v.Months = got.Roles, got.People, got.Months
	one := func(v float64) string { return fmt.Sprintf("%.1f", math.Floor(v*10)/10) }
	for _, m := range got.Mix {
		row := capacityRow{ID: m.Format.ID, Name: m.Format.Name, Lately: one(m.Lately), Typed: strings.TrimSuffix(one(m.Wanted), ".0"), Now: one(m.Lately * got.Now.Times)}
		if got.Changed {
			row.Then = one(m.Wanted * got.Then.Times)
		}
		v.Rows = append(v.Rows, row)
	}
	v.Answer, v.Tone = sayCarried(got.Now, "The desk", "of what went out lately")
	if got.Changed {
		v.Then, v.ThenTone = sayCarried(got.Then, "Then it", "of the mix below")
	}
	return s.Show(c, http.StatusOK, "capacity", "What the desk can carry", v)
}

// sayCarried says what a desk can carry, and what limits it.
func sayCarried(c reports.Carried, who, of string) (string, string) {
	switch {
	case len(c.Lacks) > 0:
		return fmt.Sprintf("%s can carry none of it: nobody runs %s.", who, english.And(c.Lacks)), "short"
	case math.IsInf(c.Bound, 1):
		return "Nothing went out in the last three months, so there is no mix to run. Say below how many pieces a month it is to be.", "plain"
	case c.Times < 1:
		return fmt.Sprintf("%s can carry %.0f %% %s; %s", who, 100*c.Times, of, sayLimit(c)), "short"
	}
	return fmt.Sprintf("%s can carry %.1f times %s; %s", who, math.Floor(c.Times*10)/10, strings.TrimPrefix(of, "of "), sayLimit(c)), "good"
}

// sayLimit names the roles that limit a desk.
func sayLimit(c reports.Carried) string {
	if len(c.Limits) == 0 {
		return ""
	}
	return fmt.Sprintf("%s %s it. However work were cut, it could not be more than %.1f times.", english.And(c.Limits), english.Verb(len(c.Limits), "limits", "limit"), math.Floor(c.Bound*10)/10)
}
