package fees

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/fees"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// ratesView is the page of what a desk pays.
type ratesView struct {
	Rates          []rateLine
	Form           url.Values
	Problem, Field string
	People         []store.Person
	Legs, Roles    []string
	Formats        []store.Format
	Money          string
	Tries          []rateRow // which rate would count, for people and legs
}

// Terms gives the part of the form that says how much it is.
func (v ratesView) Terms() []any { return []any{v.Form, v.Field, ""} }

type rateLine struct {
	ID         ref.Rate
	Name, Says string
}

func (s *Section) rates(c *echo.Context) error { return s.showRates(c, http.StatusOK, nil, nil) }

func (s *Section) showRates(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	d := kit.Here(c)
	cur := b.Currency(d)
	v := ratesView{Form: form, Legs: fees.LegsOf(b, d), Roles: b.RolesOf(d), Formats: b.FormatsOf(d), Money: strings.TrimSpace(cur.Sign)}
	for _, p := range b.OnDesk(d) {
		if newsroom.Paid(p) {
			v.People = append(v.People, p)
		}
	}
	var rules []fee.Rule
	for _, r := range b.RatesOf(d) {
		rules = append(rules, r.Rule())
		v.Rates = append(v.Rates, rateLine{r.ID, english.UpperFirst(fees.SayFor(b, r.Rule())), r.Rule().Terms.Say(cur)})
		if r.ID == kit.Int[ref.Rate](c.QueryParams(), "rate") && form == nil {
			v.Form = url.Values{"id": {kit.Str(r.ID)}, "person": {kit.Str(r.PersonID)}, "leg": {r.Leg}, "role": {r.Role}, "format": {kit.Str(r.FormatID)}, "per": {string(r.Per)}, "rate": {kit.RateText(cur, r.Rate)}, "least": {amountText(cur, r.Least)}, "most": {amountText(cur, r.Most)}}
		}
	}
	if v.Form == nil {
		v.Form = url.Values{}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	v.Tries = tries(b, d, cur, rules)
	return s.Show(c, status, "rates", "Rates", v)
}

func amountText(cur fee.Currency, n int64) string {
	if n == 0 {
		return ""
	}
	return cur.Plain(n)
}

// tries says for who is paid by what they do, and each leg they could run, which rate counts.
func tries(b *newsroom.Setup, d ref.Desk, cur fee.Currency, rules []fee.Rule) []rateRow {
	var out []rateRow
	for _, p := range b.OnDesk(d) {
		takes := p.Access.May(relay.TakeForFee)
		if !newsroom.Paid(p) || p.Retired {
			continue
		}
		for _, f := range b.FormatsOf(d) {
			for _, l := range b.Latest(f.ID).Way.Legs {
				if !slices.Contains(p.Roles, l.Role) {
					continue
				}
				r, ok := fee.Nearest(rules, fee.Asked{Person: p.ID, Leg: l.Name, Role: l.Role, Format: f.ID, ForFees: takes})
				switch {
				case ok:
					out = append(out, rateRow{fmt.Sprintf("%s, %s of %s", p.Name, l.Name, english.A(strings.ToLower(f.Name))), fmt.Sprintf("%s, by the rate for %s", r.Terms.Say(cur), fees.SayFor(b, r))})
				case takes:
					out = append(out, rateRow{fmt.Sprintf("%s, %s of %s", p.Name, l.Name, english.A(strings.ToLower(f.Name))), "nothing: no rate is for it"})
				}
			}
		}
	}
	return out
}

func (s *Section) saveRate(c *echo.Context) error {
	return kit.SetUp(s.Server, c, here, func(b *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		r := store.Rate{ID: kit.Int[ref.Rate](form, "id"), DeskID: d, PersonID: kit.Int[ref.Person](form, "person"), Leg: form.Get("leg"), Role: form.Get("role"), FormatID: kit.Int[ref.Format](form, "format")}
		t, err := readTerms(b.Currency(d), form)
		if err != nil {
			return "", err
		}
		r.Per, r.Rate, r.Least, r.Most = t.Per, t.Rate, t.Least, t.Most
		r.Retired = form.Get("do") == "drop"
		if err := s.Fees.SaveRate(c.Request().Context(), kit.Me(c).ID, r); err != nil {
			return "", err
		}
		s.Say(c, "%s", map[bool]string{false: "The rate is kept. What was agreed before stays as it is.", true: "The rate is taken away. What was agreed by it stays."}[r.Retired])
		return "/fees/rates", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showRates(c, status, typed, r) })
}
