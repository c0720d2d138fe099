package fees

import (
	"fmt"
	"html/template"
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

// monthView is the page of what a desk pays in a month.
type monthView struct {
	Title, On      string
	Earlier, Later string
	Answer         []kit.Sentence
	Use            template.HTML
	Parts          []part
	ToCheck        []feeRow
	Gone           []feeRow // went back
	Sum            string   // of what is to check
	Checked        []owedRow
	Statements     []statementRow
	Costs          []costRow
	CostSum        string
	Budgets        []budgetRow
	Rates          []rateRow
	Checks, Pays   bool
	Leads          bool
	Today          string
	Form           url.Values
	Field, Problem string
	For            []kit.Option
	Nothing        bool
}

type part struct{ Class, Name, Amount string }

type feeRow struct {
	ID                  ref.Fee
	Piece               ref.Piece
	Title, Name, Person string
	Says, Tone          string
	Amount, On, Reason  string
	Own                 bool
}

type owedRow struct {
	Person                    ref.Person
	Name, Says, Amount, Terms string
	Own                       bool
	Fees                      []feeRow
}

type statementRow struct {
	ID                  ref.Statement
	Number              int
	Name, Month, Amount string
	Due, Paid           string
	Late, Own           bool
}

type costRow struct {
	ID                    ref.Cost
	On, Note, Amount, For string
}

type budgetRow struct {
	Name, Left, Tone, Says string
	Bar                    template.HTML
}

type rateRow struct{ Name, Says string }

func (s *Section) month(c *echo.Context) error {
	return s.showMonth(c, http.StatusOK, url.Values{"on": {c.QueryParam("on")}}, nil)
}

func (s *Section) showMonth(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	desk, me := kit.Here(c), kit.Me(c).ID
	today := s.Newsroom.Now().Date(b.Zones[desk])
	on, bad := day.ParseDate(form.Get("on"))
	if bad != nil || on > today+10*366 || on < today-40*366 {
		on = today
	}
	m, err := s.Fees.Month(ctx, me, desk, on)
	if err != nil {
		return err
	}
	cur := b.Currency(desk)
	v := monthView{
		Title: "Fees, " + m.From.Format("January 2006"), On: m.From.String(), Today: today.String(), Checks: m.Checks, Pays: m.Pays, Leads: m.Leads, Form: form,
		Earlier: "/fees?on=" + m.From.AddMonths(-1).String(), Later: "/fees?on=" + m.From.AddMonths(1).String(), For: scopes(b, desk),
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	v.fill(b, cur, &m, me)
	for _, r := range b.RatesOf(desk) {
		v.Rates = append(v.Rates, rateRow{english.UpperFirst(fees.SayFor(b, r.Rule())), r.Rule().Terms.Say(cur)})
	}
	v.Nothing = len(v.Rates) == 0 && len(v.ToCheck) == 0 && len(v.Statements) == 0
	return s.Show(c, status, "fees", "Fees", &v)
}

func (v *monthView) fill(b *newsroom.Setup, cur fee.Currency, m *fees.Month, me ref.Person) {
	v.Answer = sayMonth(b, cur, m)
	v.Use, v.Parts = drawUse(cur, m.Use, allOf(m))
	sum := int64(0)
	for i := range m.ToCheck {
		f := &m.ToCheck[i]
		r := newFee(b, f, me)
		if f.Reason != "" {
			v.Gone = append(v.Gone, r)
			continue
		}
		if v.ToCheck = append(v.ToCheck, r); f.PersonID != me && f.Currency == cur.Code {
			sum += f.Amount
		}
	}
	v.Sum = cur.Full(sum)
	v.Checked = owedRows(b, m.Checked, me)
	for _, s := range m.Statements {
		v.Statements = append(v.Statements, newStatement(b, s, m.Today, me))
	}
	costs := int64(0)
	for _, x := range m.Costs {
		costs += x.Amount
		v.Costs = append(v.Costs, costRow{x.ID, english.Date(x.Day), x.Note, b.CurrencyBy(x.DeskID, x.Currency).Full(x.Amount), forName(b, x.FormatID, x.ChannelID, x.CampaignID)})
	}
	v.CostSum = cur.Full(costs)
	for _, x := range m.Budgets {
		v.Budgets = append(v.Budgets, newBudget(b, cur, x))
	}
}

// allOf gives the budget of the whole desk for the month, 0 where there is none.
func allOf(m *fees.Month) int64 {
	for _, x := range m.Budgets {
		if x.Span == fee.Monthly && x.FormatID == 0 && x.ChannelID == 0 && x.CampaignID == 0 {
			return x.Amount
		}
	}
	return 0
}

// sayMonth says what is to be known first: what is spent or promised, where it will likely end, and
// what is over.
func sayMonth(b *newsroom.Setup, cur fee.Currency, m *fees.Month) []kit.Sentence {
	var out []kit.Sentence
	budget, spent := allOf(m), m.Use.Spent()
	switch {
	case spent == 0 && m.Use[fee.Likely] == 0:
		out = append(out, kit.Sentence{Text: "Nothing is spent or promised.", Tone: "strong"})
	case budget > 0:
		out = append(out, kit.Sentence{Text: fmt.Sprintf("%s of %s is spent or promised.", cur.Say(spent), cur.Say(budget)), Tone: "strong"})
	default:
		out = append(out, kit.Sentence{Text: cur.Say(spent) + " is spent or promised.", Tone: "strong"})
	}
	if m.Use[fee.Likely] > 0 {
		tone := "plain"
		if budget > 0 && m.Use.All() > budget {
			tone = "noroom"
		}
		out = append(out, kit.Sentence{Text: fmt.Sprintf("What is planned will most likely bring it to %s.", cur.Say(m.Use.All())), Tone: tone})
	}
	var over []string
	for _, x := range m.Budgets {
		if x.Left() < 0 {
			over = append(over, fmt.Sprintf("%s is %s over its budget", english.UpperFirst(fees.SayScope(b, x.Budget)), cur.Say(-x.Left())))
		}
	}
	if len(over) > 0 {
		out = append(out, kit.Sentence{Text: english.And(over) + ".", Tone: "noroom"})
	}
	return out
}

func newFee(b *newsroom.Setup, f *store.Fee, me ref.Person) feeRow {
	r := feeRow{ID: f.ID, Piece: f.PieceID, Title: f.Title, Name: f.Name, Person: b.Person(f.PersonID).Name, Says: fees.Say(b, f), Tone: "muted", Amount: b.CurrencyBy(f.DeskID, f.Currency).Full(f.Amount), On: english.Date(f.AcceptedDay), Reason: f.Reason, Own: f.PersonID == me}
	if f.Kind != fee.ForWork || f.Per == fee.Word && f.Asked > 0 && f.Words > f.Asked && !f.Beyond || f.Per == fee.Hour && f.Minutes == 0 {
		r.Tone = "noroom"
	}
	if f.Per == fee.Hour && f.Minutes == 0 && f.Kind != fee.Correction {
		r.Says = "hours not said yet, " + r.Says
	}
	return r
}

// owedRows gathers checked fees by person and currency.
func owedRows(b *newsroom.Setup, all []store.Fee, me ref.Person) []owedRow {
	type key struct {
		person   ref.Person
		currency string
	}
	sums, counts, at := map[key]int64{}, map[key]map[string]int{}, map[key]int{}
	var out []owedRow
	var keys []key
	for i := range all {
		f := &all[i]
		k := key{f.PersonID, f.Currency}
		if counts[k] == nil {
			counts[k], at[k] = map[string]int{}, len(out)
			keys = append(keys, k)
			out = append(out, owedRow{Person: f.PersonID, Name: b.Person(f.PersonID).Name, Own: f.PersonID == me})
		}
		sums[k] += f.Amount
		name := strings.ToLower(f.Name)
		if f.Kind == fee.Correction {
			name = "correction"
		}
		counts[k][name]++
		out[at[k]].Fees = append(out[at[k]].Fees, newFee(b, f, me))
	}
	for i, k := range keys {
		var says []string
		for _, name := range kit.SortedKeys(counts[k]) {
			says = append(says, english.Plural(counts[k][name], name))
		}
		out[i].Says, out[i].Amount = strings.Join(says, " · "), b.CurrencyBy(all[0].DeskID, k.currency).Full(sums[k])
		days := b.Person(k.person).PayWithin
		if days == 0 {
			days = b.Desk(all[0].DeskID).PayWithin
		}
		out[i].Terms = "terms: " + english.Plural(days, "day")
	}
	slices.SortStableFunc(out, func(x, y owedRow) int { return strings.Compare(x.Name, y.Name) })
	return out
}

func newStatement(b *newsroom.Setup, s store.Statement, today day.Date, me ref.Person) statementRow {
	r := statementRow{ID: s.ID, Number: s.Number, Name: b.Person(s.PersonID).Name, Month: s.Month.Format("January 2006"), Amount: b.CurrencyBy(s.DeskID, s.Currency).Full(s.Total), Due: english.Date(s.DueDay), Own: s.PersonID == me}
	if s.PaidDay != 0 {
		r.Paid = english.Date(s.PaidDay)
	}
	r.Late = s.PaidDay == 0 && s.DueDay < today
	return r
}

func newBudget(b *newsroom.Setup, cur fee.Currency, x fees.Budget) budgetRow {
	r := budgetRow{Name: fees.SayScope(b, x.Budget), Left: cur.Say(x.Left()) + " left", Tone: "muted", Bar: drawBudget(x)}
	switch {
	case x.Left() < 0:
		r.Left, r.Tone = cur.Say(-x.Left())+" over", "noroom"
	case x.Use.All() > x.Amount:
		r.Tone = "noroom"
	}
	span := map[fee.Span]string{fee.Monthly: "this month", fee.Quarterly: "this quarter", fee.Whole: "in all"}[x.Span]
	r.Says = fmt.Sprintf("%s of %s %s", cur.Say(x.Use.Spent()), cur.Say(x.Amount), span)
	if n := x.Use[fee.Likely]; n > 0 {
		r.Says += fmt.Sprintf(", likely %s", cur.Say(x.Use.All()))
	}
	return r
}

func forName(b *newsroom.Setup, f ref.Format, ch ref.Channel, ca ref.Campaign) string {
	switch {
	case f != 0:
		return b.Format(f).Name
	case ch != 0:
		return b.Channel(ch).Name
	case ca != 0:
		return b.Campaign(ca).Name
	}
	return ""
}

// scopes are what a budget or a cost can be for, as options.
func scopes(b *newsroom.Setup, d ref.Desk) []kit.Option {
	out := []kit.Option{{Value: "", Name: "everything"}}
	for _, f := range b.FormatsOf(d) {
		out = append(out, kit.Option{Value: "f" + kit.Str(f.ID), Name: "format: " + f.Name})
	}
	for _, c := range b.ChannelsOf(d) {
		out = append(out, kit.Option{Value: "c" + kit.Str(c.ID), Name: "channel: " + c.Name})
	}
	for _, c := range b.CampaignsOf(d) {
		out = append(out, kit.Option{Value: "k" + kit.Str(c.ID), Name: "campaign: " + c.Name})
	}
	return out
}

// scopeOf reads what a budget or a cost is for.
func scopeOf(s string) (f ref.Format, ch ref.Channel, ca ref.Campaign) {
	if len(s) < 2 {
		return 0, 0, 0
	}
	n, err := strconv.ParseInt(s[1:], 10, 64)
	if err != nil {
		return 0, 0, 0
	}
	switch s[0] {
	case 'f':
		return ref.Format(n), 0, 0
	case 'c':
		return 0, ref.Channel(n), 0
	case 'k':
		return 0, 0, ref.Campaign(n)
	}
	return 0, 0, 0
}

// scopeText writes what scopeOf reads.
func scopeText(f ref.Format, ch ref.Channel, ca ref.Campaign) string {
	switch {
	case f != 0:
		return "f" + kit.Str(f)
	case ch != 0:
		return "c" + kit.Str(ch)
	case ca != 0:
		return "k" + kit.Str(ca)
	}
	return ""
}
