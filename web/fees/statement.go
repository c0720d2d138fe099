package fees

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/fees"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// statementView is a statement, to read and to print.
type statementView struct {
	statementRow
	Desk, Made, By string
	Lines          []statementLine
	Desks          bool // who looks sees the fees of the desk
	Corrects       bool
	Form           url.Values
	Problem, Field string
	On             string
}

type statementLine struct {
	Fee                           ref.Fee
	On, Title, Name, Says, Amount string
}

func (s *Section) read(c *echo.Context) (*newsroom.Setup, store.Statement, []store.StatementLine, error) {
	id, err := kit.ID[ref.Statement](c)
	if err != nil {
		return nil, store.Statement{}, nil, err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return nil, store.Statement{}, nil, err
	}
	st, lines, err := s.Fees.Statement(c.Request().Context(), kit.Me(c).ID, id)
	return b, st, lines, err
}

func (s *Section) statement(c *echo.Context) error {
	return s.showStatement(c, http.StatusOK, url.Values{}, nil)
}

// showStatement shows a statement; after a correction that was refused with the reason and what was
// typed.
func (s *Section) showStatement(c *echo.Context, status int, form url.Values, refusal *relay.Refusal) error {
	b, st, lines, err := s.read(c)
	if err != nil {
		return err
	}
	me := kit.Me(c).ID
	cur := b.CurrencyBy(st.DeskID, st.Currency)
	v := statementView{statementRow: newStatement(b, st, s.Newsroom.Now().Date(b.Zones[st.DeskID]), me), Desk: b.Desk(st.DeskID).Name, Made: english.Date(st.MadeDay), By: b.Person(st.MadeBy).Name, Desks: b.SeesFees(me, st.DeskID), On: st.Month.String()}
	v.Corrects = v.Desks && st.PersonID != me && kit.Here(c) == st.DeskID
	for _, l := range lines {
		v.Lines = append(v.Lines, statementLine{l.FeeID, english.Date(l.Day), l.Title, l.Name, l.Says, cur.Full(l.Amount)})
	}
	v.Form = form
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "statement", fmt.Sprintf("Statement %d", st.Number), v)
}

// sheet gives a statement as a table.
func (s *Section) sheet(c *echo.Context) (name string, t format.Sheet, err error) {
	b, st, lines, err := s.read(c)
	if err != nil {
		return "", t, err
	}
	cur := b.CurrencyBy(st.DeskID, st.Currency)
	name = fmt.Sprintf("statement-%d", st.Number)
	t = format.Sheet{Name: fmt.Sprintf("Statement %d", st.Number), Header: []string{"Accepted", "Piece", "Leg", "How it came about", "Amount", "Currency"}}
	for _, l := range lines {
		t.Rows = append(t.Rows, []format.Cell{kit.DateCell(l.Day), {Text: l.Title}, {Text: l.Name}, {Text: l.Says}, amountCell(cur, l.Amount), {Text: st.Currency}})
	}
	t.Rows = append(t.Rows, []format.Cell{{}, {Text: "Total"}, {Text: b.Person(st.PersonID).Name}, {Text: st.Month.Format("January 2006")}, amountCell(cur, st.Total), {Text: st.Currency}})
	return name, t, nil
}

func amountCell(cur fee.Currency, n int64) format.Cell {
	return format.Cell{Text: cur.Plain(n), Number: true, Digits: cur.Digits}
}

// monthSheet gives all that a desk owes for a month, with where each is.
func (s *Section) monthSheet(c *echo.Context) (name string, t format.Sheet, err error) {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return "", t, err
	}
	d := kit.Here(c)
	on, bad := day.ParseDate(c.QueryParam("on"))
	if bad != nil {
		on = s.Newsroom.Now().Date(b.Zones[d])
	}
	all, err := s.Fees.OfMonth(ctx, kit.Me(c).ID, d, on)
	if err != nil {
		return "", t, err
	}
	t = format.Sheet{Name: "Fees " + on.Format("January 2006"), Header: []string{"Accepted", "No.", "Piece", "Leg", "Who", "How it came about", "Amount", "Currency", "State", "Statement", "Paid"}}
	sums := map[string]int64{}
	for i := range all {
		f := &all[i]
		cur := b.CurrencyBy(d, f.Currency)
		sums[f.Currency] += f.Amount
		number, state := format.Cell{}, format.Cell{}
		if f.Number != 0 {
			number = format.Cell{Text: fmt.Sprint(f.Number), Number: true}
		}
		if f.Statement.Number != 0 {
			state = format.Cell{Text: fmt.Sprint(f.Statement.Number), Number: true}
		}
		t.Rows = append(t.Rows, []format.Cell{kit.DateCell(f.AcceptedDay), number, {Text: f.Title}, {Text: f.Name}, {Text: b.Person(f.PersonID).Name}, {Text: fees.Say(b, &f.Fee)}, amountCell(cur, f.Amount), {Text: f.Currency}, {Text: string(f.State)}, state, kit.DateCell(f.Statement.PaidDay)})
	}
	costs, err := s.Fees.CostsOf(ctx, kit.Me(c).ID, d, on)
	if err != nil {
		return "", t, err
	}
	for _, x := range costs {
		sums[x.Currency] += x.Amount
		t.Rows = append(t.Rows, []format.Cell{kit.DateCell(x.Day), {}, {Text: x.Note}, {Text: "other cost"}, {}, {Text: forName(b, x.FormatID, x.ChannelID, x.CampaignID)}, amountCell(b.CurrencyBy(d, x.Currency), x.Amount), {Text: x.Currency}, {Text: "cost"}, {}, {}})
	}
	for _, code := range kit.SortedKeys(sums) {
		t.Rows = append(t.Rows, []format.Cell{{}, {}, {Text: "Total"}, {}, {}, {}, amountCell(b.CurrencyBy(d, code), sums[code]), {Text: code}, {}, {}, {}})
	}
	return "fees-" + on.Format("2006-01"), t, nil
}
