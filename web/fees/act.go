package fees

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/fees"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// onMonth carries out a form of the page of a month.
func (s *Section) onMonth(c *echo.Context, do func(b *newsroom.Setup, d ref.Desk, form url.Values) (said string, err error)) error {
	return kit.SetUp(s.Server, c, here, func(b *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		said, err := do(b, d, form)
		if err != nil {
			return "", err
		}
		s.Say(c, "%s", said)
		return "/fees?on=" + url.QueryEscape(form.Get("on")), nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showMonth(c, status, typed, r) })
}

// here is for forms whose address names nothing but the desk that is looked at.
func here(c *echo.Context, _ *newsroom.Setup) (ref.Desk, error) { return kit.Here(c), nil }

func ids[T ~int64](form url.Values, key string) []T {
	var out []T
	for _, v := range form[key] {
		if n, err := strconv.ParseInt(v, 10, 64); err == nil {
			out = append(out, T(n))
		}
	}
	return out
}

func (s *Section) check(c *echo.Context) error {
	return s.onMonth(c, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		all := ids[ref.Fee](form, "fee")
		if one := kit.Int[ref.Fee](form, "one"); one != 0 {
			all = []ref.Fee{one}
		}
		return english.UpperFirst(english.Plural(len(all), "fee")) + english.Verb(len(all), " is", " are") + " checked.", s.Fees.Check(c.Request().Context(), kit.Me(c).ID, d, all)
	})
}

func (s *Section) back(c *echo.Context) error {
	return s.onMonth(c, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		return "It went back, and both are told.", s.Fees.Return(c.Request().Context(), kit.Me(c).ID, d, kit.Int[ref.Fee](form, "fee"), form.Get("reason"))
	})
}

func (s *Section) state(c *echo.Context) error {
	return s.onMonth(c, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		on, err := kit.DateOf(form, "on", "the month")
		if err != nil {
			return "", err
		}
		n, err := s.Fees.State(c.Request().Context(), kit.Me(c).ID, d, on, kit.Int[ref.Person](form, "person"))
		return english.UpperFirst(english.Plural(n, "statement")) + english.Verb(n, " is", " are") + " made, and whoever is paid was told.", err
	})
}

func (s *Section) pay(c *echo.Context) error {
	return s.onMonth(c, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		on, err := kit.DateOf(form, "day", "the day")
		if err != nil {
			return "", err
		}
		all := ids[ref.Statement](form, "statement")
		if form.Get("do") == "unpaid" {
			return "It is noted as not paid.", s.Fees.Pay(c.Request().Context(), kit.Me(c).ID, d, all, 0)
		}
		if on == 0 {
			return "", kit.Input("day", "Give the day on which they were paid.")
		}
		return english.UpperFirst(english.Plural(len(all), "statement")) + english.Verb(len(all), " is", " are") + " noted as paid.", s.Fees.Pay(c.Request().Context(), kit.Me(c).ID, d, all, on)
	})
}

// money reads an amount of a form in a currency.
func money(cur fee.Currency, form url.Values, key, what string) (int64, error) {
	s := strings.TrimSpace(form.Get(key))
	if s == "" {
		return 0, nil
	}
	n, err := cur.Read(s)
	return n, kit.NoMoney(err, key, what, s, cur)
}

func (s *Section) correct(c *echo.Context) error {
	return s.onMonth(c, func(b *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		n, err := money(b.Currency(d), form, "amount", "the amount")
		if err != nil {
			return "", err
		}
		if form.Get("way") == "less" {
			n = -n
		}
		return "The correction is a line of the next statement.", s.Fees.Correct(c.Request().Context(), kit.Me(c).ID, d, kit.Int[ref.Fee](form, "fee"), n, form.Get("reason"))
	})
}

func (s *Section) saveCost(c *echo.Context) error {
	return s.onMonth(c, func(b *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		x := store.Cost{ID: kit.Int[ref.Cost](form, "cost"), DeskID: d, Note: form.Get("note"), Dropped: form.Get("do") == "drop"}
		said := "The cost is noted."
		if x.Dropped {
			said = "The cost is taken back."
		} else {
			var err error
			if x.Day, err = kit.DateOf(form, "day", "the day"); err != nil {
				return "", err
			}
			if x.Amount, err = money(b.Currency(d), form, "amount", "the cost"); err != nil {
				return "", err
			}
			x.FormatID, x.ChannelID, x.CampaignID = scopeOf(form.Get("for"))
		}
		return said, s.Fees.SaveCost(c.Request().Context(), kit.Me(c).ID, x)
	})
}

func (s *Section) hours(c *echo.Context) error {
	id, err := kit.ID[ref.Fee](c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	n, err := kit.HoursTyped(form.Get("hours"))
	if err != nil {
		err = kit.NoFigure(err, "hours", fmt.Sprintf("Write the hours like 4.5 or 4½; “%s” are none.", form.Get("hours")))
	} else {
		err = s.Fees.SayHours(c.Request().Context(), kit.Me(c).ID, id, n)
	}
	return s.Answered(c, err, "Your hours are noted.", kit.Back(form, "/fees/mine"), func(status int, r *relay.Refusal) error { return s.showMine(c, status, form, r, id) })
}

// readTerms reads what is agreed, of a form.
func readTerms(cur fee.Currency, form url.Values) (t fee.Terms, err error) {
	t.Per = fee.Per(form.Get("per"))
	typed := strings.TrimSpace(form.Get("rate"))
	if typed == "" {
		return t, kit.Input("rate", "Say how much it is.")
	}
	if t.Rate, err = cur.ReadRate(typed); err != nil {
		return t, kit.NoMoney(err, "rate", "the rate", typed, cur)
	}
	if t.Least, err = money(cur, form, "least", "the least"); err != nil {
		return t, err
	}
	t.Most, err = money(cur, form, "most", "the most")
	return t, err
}

func (s *Section) agree(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		b, err := s.Newsroom.Setup(c.Request().Context())
		if err != nil {
			return "", err
		}
		d, err := s.Newsroom.DeskOf(c.Request().Context(), id)
		if err != nil {
			return "", err
		}
		t, err := readTerms(b.Currency(d), form)
		if err != nil {
			return "", err
		}
		return "It is agreed, and they are told.", s.Fees.Agree(c.Request().Context(), kit.Me(c).ID, fees.Otherwise{Piece: id, Fee: kit.Int[ref.Fee](form, "fee"), Terms: t, Beyond: form.Get("beyond") == "yes"})
	})
}

func (s *Section) accept(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		return "It is accepted.", s.Fees.Accept(c.Request().Context(), kit.Me(c).ID, id, kit.Int[ref.Fee](form, "fee"))
	})
}

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

// mineView is what somebody earns.
type mineView struct {
	Answer         []kit.Sentence
	UnderWay       []mineRow
	Waiting        []mineRow
	Statements     []statementRow
	Problem, Field string
	Typed          string
	Bad            ref.Fee
}

type mineRow struct {
	feeRow
	State, Hours string
	AsksHours    bool
}

func (s *Section) mine(c *echo.Context) error { return s.showMine(c, http.StatusOK, nil, nil, 0) }

func (s *Section) showMine(c *echo.Context, status int, form url.Values, refusal *relay.Refusal, bad ref.Fee) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	me := kit.Me(c).ID
	m, err := s.Fees.Mine(ctx, me)
	if err != nil {
		return err
	}
	v := mineView{Bad: bad, Typed: form.Get("hours")}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	waits, open := map[string]int64{}, map[string]int64{}
	desks := map[string]ref.Desk{}
	for i := range m.Fees {
		f := &m.Fees[i]
		r := mineRow{feeRow: newFee(b, f, me), AsksHours: f.Per == fee.Hour && f.Kind != fee.Correction && (f.State == fee.Agreed || f.State == fee.Accepted)}
		if f.Minutes > 0 {
			r.Hours = english.HoursTyped(f.Minutes)
		}
		desks[f.Currency] = f.DeskID
		switch f.State {
		case fee.Agreed:
			r.State, r.Amount, r.Says = "agreed", "", fees.Say(b, f)
			if r.On = "to come"; f.Begun {
				r.On = "under way"
			}
			v.UnderWay = append(v.UnderWay, r)
		case fee.Accepted:
			if r.State = "accepted, to check"; f.Reason != "" {
				r.State = "went back"
			}
			waits[f.Currency] += f.Amount
			v.Waiting = append(v.Waiting, r)
		case fee.Checked:
			r.State = "checked"
			waits[f.Currency] += f.Amount
			v.Waiting = append(v.Waiting, r)
		}
	}
	today := map[ref.Desk]day.Date{}
	for _, x := range m.Statements {
		if today[x.DeskID] == 0 {
			today[x.DeskID] = s.Newsroom.Now().Date(b.Zones[x.DeskID])
		}
		if desks[x.Currency] = x.DeskID; x.PaidDay == 0 {
			open[x.Currency] += x.Total
		}
		v.Statements = append(v.Statements, newStatement(b, x, today[x.DeskID], 0))
	}
	v.Answer = sayMine(b, desks, waits, open)
	return s.Show(c, status, "mine", "What you earn", v)
}

// sayMine says what somebody is owed.
func sayMine(b *newsroom.Setup, desks map[string]ref.Desk, waits, open map[string]int64) []kit.Sentence {
	var out []kit.Sentence
	for _, cur := range kit.SortedKeys(desks) {
		say := b.CurrencyBy(desks[cur], cur).Full
		if n := open[cur]; n > 0 {
			out = append(out, kit.Sentence{Text: say(n) + " is stated and to be paid.", Tone: "strong"})
		}
		if n := waits[cur]; n > 0 {
			more := map[bool]string{true: " more", false: ""}[open[cur] > 0]
			out = append(out, kit.Sentence{Text: say(n) + more + " is accepted and waits for a statement.", Tone: "plain"})
		}
	}
	if len(out) == 0 {
		out = append(out, kit.Sentence{Text: "Nothing is owed to you now.", Tone: "plain"})
	}
	return out
}
