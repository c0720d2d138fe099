package fees

import (
	"cmp"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/fees"
	"greenbaton/web/kit"
)

// mineView is what somebody earns.
type mineView struct {
	Answer         []kit.Sentence
	UnderWay       []mineRow
	Waiting        []mineRow
	Statements     []statementRow
	Within         string // when a statement is paid
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
	v.Answer, v.Within = sayMine(b, desks, waits, open), sayWithin(b, me)
	return s.Show(c, status, "mine", "What you earn", v)
}

// sayWithin says within how many days of a statement somebody is paid, by each of their desks where
// these differ.
func sayWithin(b *newsroom.Setup, who ref.Person) string {
	p := b.Person(who)
	var each []string
	same := map[int]bool{}
	for _, d := range p.Desks {
		n := cmp.Or(p.PayWithin, b.Desk(d).PayWithin)
		same[n] = true
		each = append(each, fmt.Sprintf("%s within %s", b.Desk(d).Name, english.Plural(n, "day")))
	}
	switch {
	case len(each) == 0:
		return ""
	case len(same) == 1:
		return "paid within " + english.Plural(slices.Collect(maps.Keys(same))[0], "day") + " of the statement"
	}
	return "of the statement: " + english.And(each)
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
