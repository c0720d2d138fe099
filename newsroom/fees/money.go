package fees

import (
	"context"
	"iter"
	"math"
	"slices"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Month is what a desk pays in a month.
type Month struct {
	From, To   day.Date
	Today      day.Date
	ToCheck    []store.Fee // accepted up to its end and not checked
	Checked    []store.Fee // and in no statement
	Statements []store.Statement
	Costs      []store.Cost
	Use        fee.Use // in the desk's currency
	Budgets    []Budget
	Checks     bool // who looks may check
	Pays       bool
	Leads      bool
}

// Budget is a budget, and what of it is used.
type Budget struct {
	store.Budget
	From, To day.Date
	Use      fee.Use
}

// Left gives what is left of a budget besides what is spent or promised; below 0 it is over.
func (b Budget) Left() int64 { return b.Amount - b.Use.Spent() }

// Month gives what a desk pays in the month of a day, to who may see it.
func (h Room) Month(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) (Month, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Month{}, err
	}
	if !b.SeesFees(who, desk) {
		return Month{}, notYours
	}
	w := b.Who(who, desk)
	m := Month{From: on.MonthStart(), Today: h.Now().Date(b.Zones[desk]), Checks: relay.MayHouse(relay.CheckFees, w), Pays: relay.MayHouse(relay.PayFees, w), Leads: relay.MayHouse(relay.SetUpDesk, w)}
	m.To = m.From.AddMonths(1) - 1
	waiting, err := store.FeesWaiting(ctx, h.DB.View(), desk)
	if err != nil {
		return m, err
	}
	for _, f := range waiting {
		switch {
		case f.AcceptedDay > m.To:
		case f.State == fee.Checked:
			m.Checked = append(m.Checked, f)
		default:
			m.ToCheck = append(m.ToCheck, f)
		}
	}
	all, err := store.Statements(ctx, h.DB.View(), desk)
	if err != nil {
		return m, err
	}
	for _, s := range all {
		if s.Month == m.From || s.Month < m.From && (s.PaidDay == 0 || s.PaidDay >= m.From) {
			m.Statements = append(m.Statements, s)
		}
	}
	if m.Costs, err = store.Costs(ctx, h.DB.View(), desk, m.From, m.To); err != nil {
		return m, err
	}
	budgets := b.BudgetsOf(desk)
	from, to := reach(budgets, m.From, m.To)
	t, err := h.till(ctx, b, desk, from, to)
	if err != nil {
		return m, err
	}
	m.Use = fee.UseOf(t.money, fee.Scope{}, m.From, m.To)
	for _, x := range budgets {
		m.Budgets = append(m.Budgets, used(b, x, on, t.money))
	}
	return m, nil
}

// reach gives from when to when money has to be known for budgets, looked at on the days from one to
// another. For the whole of a campaign it is known always.
func reach(budgets []store.Budget, from, to day.Date) (day.Date, day.Date) {
	first, last := from, to
	for _, x := range budgets {
		if x.Span != fee.Whole {
			f, _ := x.Span.Around(from)
			_, t := x.Span.Around(to)
			first, last = min(first, f), max(last, t)
		}
	}
	return first, last
}

// used gives what of a budget is used in the span in which a day lies. Of the whole of a campaign it
// is as well what was spent before it began and after it.
func used(b *newsroom.Setup, x store.Budget, on day.Date, money []fee.Money) Budget {
	out := Budget{Budget: x}
	if out.From, out.To = x.Span.Around(on); x.Span == fee.Whole {
		c := b.Campaign(x.CampaignID)
		out.From, out.To = c.FromDay, max(c.FromDay, c.ToDay)
		out.Use = fee.UseOf(money, scopeOf(x), 0, math.MaxInt32)
		return out
	}
	out.Use = fee.UseOf(money, scopeOf(x), out.From, out.To)
	return out
}

func scopeOf(x store.Budget) fee.Scope {
	return fee.Scope{Format: x.FormatID, Channel: x.ChannelID, Campaign: x.CampaignID}
}

// till is what a desk spends, in its currency, and how what is still to come is reckoned. It is not changed
// once it is worked out.
type till struct {
	money []fee.Money
	ahead fee.Ahead
}

// tills keeps what was worked out last until something is stored.
type tills struct {
	mu   sync.Mutex
	of   tillKey
	last till
}

// tillKey is what a till is of, and when nothing else has come of it yet.
type tillKey struct {
	desk     ref.Desk
	from, to day.Date
	today    day.Date
	b        *newsroom.Setup
	turn     uint64
}

// till gives what a desk spends from one day to another, and always for campaigns with a budget for
// the whole of them: what is owed by the day it was accepted, what is still to come, and other costs.
func (h Room) till(ctx context.Context, b *newsroom.Setup, desk ref.Desk, from, to day.Date) (till, error) {
	today := h.Now().Date(b.Zones[desk])
	if h.DB.InBatch() {
		return h.workOut(ctx, b, desk, from, to, today)
	}
	k, key := newsroom.PartOf[tills](h.Newsroom), tillKey{desk, from, to, today, b, h.DB.Turn()}
	k.mu.Lock()
	is, last := k.of, k.last
	k.mu.Unlock()
	if is == key {
		return last, nil
	}
	t, err := h.workOut(store.Latest(ctx), b, desk, from, to, today)
	if err == nil {
		k.mu.Lock()
		k.of, k.last = key, t
		k.mu.Unlock()
	}
	return t, err
}

func (h Room) workOut(ctx context.Context, b *newsroom.Setup, desk ref.Desk, from, to, today day.Date) (till, error) {
	currency := b.Desk(desk).Currency
	t := till{ahead: fee.Ahead{Today: today, Policy: policy(b.Desk(desk)), Rounding: b.Desk(desk).Rounding}}
	fees, err := store.FeesCounted(ctx, h.DB.View(), desk, from, to)
	if err != nil {
		return t, err
	}
	sums, err := store.LegSums(ctx, h.DB.View(), desk, currency, today-366)
	if err != nil {
		return t, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return t, err
	}
	t.ahead.Means = sums.Means(piecesOf(entries, desk), today-366)
	paid, err := h.paid(ctx, desk)
	if err != nil {
		return t, err
	}
	agreed := map[ref.Piece][]fee.Line{}
	for i := range fees {
		f := &fees[i]
		if f.Currency != currency {
			continue
		}
		if f.State == fee.Agreed {
			agreed[f.PieceID] = append(agreed[f.PieceID], f.Line())
			continue
		}
		m := fee.Money{Day: f.AcceptedDay, Amount: f.Amount, Step: fee.StepOf(f.State, paid[f.StatementID])}
		if k, ok := slices.BinarySearchFunc(entries, f.PieceID, newsroom.ByID); ok {
			m.Format, m.Channel, m.Campaign = entries[k].FormatID, entries[k].ChannelID, entries[k].CampaignID
		}
		t.money = append(t.money, m)
	}
	for p := range piecesOf(entries, desk) {
		t.money = append(t.money, t.ahead.Of(p, agreed[p.ID])...)
	}
	costs, err := store.CostsCounted(ctx, h.DB.View(), desk, from, to)
	for _, c := range costs {
		if c.Currency == currency {
			step := fee.Paid
			if c.Day > today {
				step = fee.Promised
			}
			t.money = append(t.money, fee.Money{Day: c.Day, Amount: c.Amount, Step: step, Format: c.FormatID, Channel: c.ChannelID, Campaign: c.CampaignID})
		}
	}
	return t, err
}

// piecesOf gives the pieces of a desk.
func piecesOf(entries []*newsroom.Entry, desk ref.Desk) iter.Seq[*relay.Piece] {
	return func(yield func(*relay.Piece) bool) {
		for _, e := range entries {
			if e.DeskID == desk && !yield(&e.Piece) {
				return
			}
		}
	}
}

// paid gives the statements of a desk that are paid.
func (h Room) paid(ctx context.Context, desk ref.Desk) (map[ref.Statement]bool, error) {
	all, err := store.Statements(ctx, h.DB.View(), desk)
	out := map[ref.Statement]bool{}
	for _, s := range all {
		out[s.ID] = s.PaidDay != 0
	}
	return out, err
}

// Owed is a fee with where it is.
type Owed struct {
	store.Fee
	Number    int // of its piece
	Statement store.Statement
}

// OfMonth gives all that was accepted in the month of a day on a desk, to who may see it.
func (h Room) OfMonth(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) ([]Owed, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if !b.SeesFees(who, desk) {
		return nil, notYours
	}
	all, err := store.FeesOfDesk(ctx, h.DB.View(), desk, on.MonthStart(), on.MonthStart().AddMonths(1)-1)
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	made, err := store.Statements(ctx, h.DB.View(), desk)
	if err != nil {
		return nil, err
	}
	byID := map[ref.Statement]store.Statement{}
	for _, s := range made {
		byID[s.ID] = s
	}
	var out []Owed
	for _, f := range all {
		x := Owed{Fee: f, Statement: byID[f.StatementID]}
		if k, ok := slices.BinarySearchFunc(entries, f.PieceID, newsroom.ByID); ok {
			x.Number = entries[k].Number
		}
		out = append(out, x)
	}
	return out, nil
}

// CostsOf gives the other costs of a desk in the month of a day, to who may see them.
func (h Room) CostsOf(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) ([]store.Cost, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if !b.SeesFees(who, desk) {
		return nil, notYours
	}
	return store.Costs(ctx, h.DB.View(), desk, on.MonthStart(), on.MonthStart().AddMonths(1)-1)
}

// Mine is what somebody earns: what is agreed, accepted, checked and paid.
type Mine struct {
	Fees       []store.Fee
	Statements []store.Statement
}

// Mine gives what somebody earns, to themselves.
func (h Room) Mine(ctx context.Context, who ref.Person) (Mine, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Mine{}, err
	}
	if !newsroom.Paid(b.Person(who)) {
		return Mine{}, newsroom.ErrNotFound
	}
	fees, err := store.FeesOfPerson(ctx, h.DB.View(), who)
	if err != nil {
		return Mine{}, err
	}
	all, err := store.StatementsOf(ctx, h.DB.View(), who)
	return Mine{fees, all}, err
}

// OfPiece gives the fees of a piece that somebody may see: all to who may see fees of the desk and to
// the owner, otherwise their own.
func (h Room) OfPiece(ctx context.Context, who ref.Person, p *relay.Piece) ([]store.Fee, error) {
	b, err := h.Setup(ctx)
	if err != nil || !newsroom.Paid(b.Person(who)) {
		return nil, err
	}
	all, err := store.FeesOf(ctx, h.DB.View(), p.ID)
	if b.SeesFees(who, p.DeskID) || who == p.Owner && relay.May(relay.ActAgree, b.Who(who, p.DeskID), p, nil, b.Desk(p.DeskID).PassBy) == nil {
		return all, err
	}
	return slices.DeleteFunc(all, func(f store.Fee) bool { return f.PersonID != who }), err
}

// Sums gives what the pieces of a desk came to in fees so far, in its currency, to who may see it.
func (h Room) Sums(ctx context.Context, who ref.Person, desk ref.Desk) (map[ref.Piece]int64, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if !b.SeesFees(who, desk) {
		return nil, notYours
	}
	return store.FeeSums(ctx, h.DB.View(), desk, b.Desk(desk).Currency)
}
