package fees

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// budgetsView is the page of a desk's budgets.
type budgetsView struct {
	Budgets        []budgetLine
	Form           url.Values
	Problem, Field string
	For            []kit.Option
	Money          string
}

type budgetLine struct {
	ID ref.Budget
	budgetRow
}

func (s *Section) budgets(c *echo.Context) error { return s.showBudgets(c, http.StatusOK, nil, nil) }

func (s *Section) showBudgets(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	d := kit.Here(c)
	cur := b.Currency(d)
	m, err := s.Fees.Month(ctx, kit.Me(c).ID, d, s.Newsroom.Now().Date(b.Zones[d]))
	if err != nil {
		return err
	}
	v := budgetsView{Form: form, For: scopes(b, d), Money: strings.TrimSpace(cur.Sign)}
	for _, x := range m.Budgets {
		v.Budgets = append(v.Budgets, budgetLine{x.ID, newBudget(b, cur, x)})
		if x.ID == kit.Int[ref.Budget](c.QueryParams(), "budget") && form == nil {
			v.Form = url.Values{"id": {kit.Str(x.ID)}, "for": {scopeText(x.FormatID, x.ChannelID, x.CampaignID)}, "span": {string(x.Span)}, "amount": {cur.Plain(x.Amount)}}
		}
	}
	if v.Form == nil {
		v.Form = url.Values{}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "budgets", "Budgets", v)
}

func (s *Section) saveBudget(c *echo.Context) error {
	return kit.SetUp(s.Server, c, here, func(b *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		x := store.Budget{ID: kit.Int[ref.Budget](form, "id"), DeskID: d, Span: fee.Span(form.Get("span")), Retired: form.Get("do") == "drop"}
		x.FormatID, x.ChannelID, x.CampaignID = scopeOf(form.Get("for"))
		var err error
		if x.Amount, err = money(b.Currency(d), form, "amount", "the budget"); err != nil {
			return "", err
		}
		if err := s.Fees.SaveBudget(c.Request().Context(), kit.Me(c).ID, x); err != nil {
			return "", err
		}
		s.Say(c, "%s", map[bool]string{false: "The budget is set.", true: "The budget is taken away."}[x.Retired])
		return "/fees/budgets", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showBudgets(c, status, typed, r) })
}
