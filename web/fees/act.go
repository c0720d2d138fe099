package fees

import (
	"fmt"
	"net/url"
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

func (s *Section) check(c *echo.Context) error {
	return s.onMonth(c, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		all := kit.Ints[ref.Fee](form, "fee")
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
		if on == 0 {
			return "", kit.Input("month", "Choose the month that is stated.")
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
		all := kit.Ints[ref.Statement](form, "statement")
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

// correct puts a line of a statement right.
func (s *Section) correct(c *echo.Context) error {
	b, st, _, err := s.read(c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	n, err := money(b.CurrencyBy(st.DeskID, st.Currency), form, "amount", "the amount")
	if form.Get("way") == "less" {
		n = -n
	}
	if err == nil {
		err = s.Fees.Correct(c.Request().Context(), kit.Me(c).ID, st.DeskID, kit.Int[ref.Fee](form, "fee"), n, form.Get("reason"))
	}
	return s.Answered(c, err, "The correction is a line of the next statement.", fmt.Sprintf("/fees/statements/%d", st.ID), func(status int, r *relay.Refusal) error { return s.showStatement(c, status, form, r) })
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
