package fees

import (
	"context"
	"slices"

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
	from, to := m.From, m.To
	for _, x := range budgets {
		f, t := spanOf(b, x, on)
		from, to = min(from, f), max(to, t)
	}
	money, err := h.moneys(ctx, b, desk, from, to)
	if err != nil {
		return m, err
	}
	m.Use = fee.UseOf(money, fee.Scope{}, m.From, m.To)
	for _, x := range budgets {
		m.Budgets = append(m.Budgets, used(b, x, on, money))
	}
	return m, nil
}

// spanOf gives from when to when a budget is, for a day in it.
func spanOf(b *newsroom.Setup, x store.Budget, on day.Date) (from, to day.Date) {
	if c := b.Campaign(x.CampaignID); x.Span == fee.Whole {
		return c.FromDay, max(c.ToDay, c.FromDay)
	}
	return x.Span.Around(on)
}

func used(b *newsroom.Setup, x store.Budget, on day.Date, money []fee.Money) Budget {
	out := Budget{Budget: x}
	out.From, out.To = spanOf(b, x, on)
	from, to := out.From, out.To
	if x.Span == fee.Whole { // what was spent for it before it began and after it is of it as well
		from, to = 0, to+40*366
	}
	out.Use = fee.UseOf(money, fee.Scope{Format: x.FormatID, Channel: x.ChannelID, Campaign: x.CampaignID}, from, to)
	return out
}

// moneys gives what a desk spends from one day to another in its currency: what is owed by the day
// it was accepted, what is promised by the day the leg is due, what is likely by the day a planned
// leg is due, and other costs. What is due in the past and not there yet is of today.
func (h Room) moneys(ctx context.Context, b *newsroom.Setup, desk ref.Desk, from, to day.Date) ([]fee.Money, error) {
	fees, err := store.FeesOfDesk(ctx, h.DB.View(), desk, from, to)
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	paid, err := h.paid(ctx, desk)
	if err != nil {
		return nil, err
	}
	today, currency := h.Now().Date(b.Zones[desk]), b.Desk(desk).Currency
	var out []fee.Money
	agreed := map[ref.Piece][]string{}
	for i := range fees {
		f := &fees[i]
		m := fee.Money{Day: f.AcceptedDay, Amount: f.Amount, Piece: f.PieceID, Leg: f.Leg, Person: f.PersonID}
		if k, ok := slices.BinarySearchFunc(entries, f.PieceID, newsroom.ByID); ok {
			e := entries[k]
			m.Format, m.Channel, m.Campaign = e.FormatID, e.ChannelID, e.CampaignID
			if f.State == fee.Agreed {
				agreed[f.PieceID] = append(agreed[f.PieceID], f.Leg)
				if e.Stage == relay.Withdrawn {
					continue
				}
				m.Day, m.Amount = today, estimate(b, f, &e.Piece)
				if l := e.Leg(f.Leg); l != nil {
					m.Day = max(today, l.Due)
				}
			}
		}
		switch f.State {
		case fee.Agreed:
			if m.Step = fee.Promised; !f.Begun {
				m.Step = fee.Likely
				if l := legOf(entries, f); l != nil && l.TakenAt != 0 {
					m.Step = fee.Promised
				}
			}
		case fee.Accepted:
			m.Step = fee.ToCheck
		case fee.Checked:
			m.Step = fee.ToPay
		case fee.Stated:
			if m.Step = fee.ToPay; paid[f.StatementID] {
				m.Step = fee.Paid
			}
		}
		if f.Currency == currency {
			out = append(out, m)
		}
	}
	planned, err := h.planned(ctx, b, desk, entries, agreed, today)
	if err != nil {
		return nil, err
	}
	out = append(out, planned...)
	costs, err := store.Costs(ctx, h.DB.View(), desk, from, to)
	for _, c := range costs {
		if c.Currency == currency {
			step := fee.Paid
			if c.Day > today {
				step = fee.Promised
			}
			out = append(out, fee.Money{Day: c.Day, Amount: c.Amount, Step: step, Format: c.FormatID, Channel: c.ChannelID, Campaign: c.CampaignID})
		}
	}
	return out, err
}

func legOf(entries []*newsroom.Entry, f *store.Fee) *relay.Leg {
	if k, ok := slices.BinarySearchFunc(entries, f.PieceID, newsroom.ByID); ok {
		return entries[k].Leg(f.Leg)
	}
	return nil
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

// estimate gives what a leg likely comes to by what was agreed: with the words the brief asks for at
// most, and the hours that were said or that the leg is reckoned with.
func estimate(b *newsroom.Setup, f *store.Fee, p *relay.Piece) int64 {
	minutes := f.Minutes
	if l := p.Leg(f.Leg); minutes == 0 && l != nil {
		minutes = l.Effort
	}
	return f.Terms().Owed(fee.Work{Words: max(p.WordsTo, p.WordsFrom), Minutes: minutes, Share: 100}, b.Desk(f.DeskID).Rounding)
}

// planned gives what the legs of pieces under way likely cost that nobody is agreed with: what such
// legs cost on average over the last year, those that cost nothing counted in.
func (h Room) planned(ctx context.Context, b *newsroom.Setup, desk ref.Desk, entries []*newsroom.Entry, agreed map[ref.Piece][]string, today day.Date) ([]fee.Money, error) {
	means, err := store.FeeMeans(ctx, h.DB.View(), desk, b.Desk(desk).Currency, today-366)
	if err != nil || len(means) == 0 {
		return nil, err
	}
	mean := map[ref.Format]map[string]int64{}
	for _, m := range means {
		if mean[m.FormatID] == nil {
			mean[m.FormatID] = map[string]int64{}
		}
		mean[m.FormatID][m.Leg] = m.Amount / int64(max(1, m.N))
	}
	var out []fee.Money
	for _, e := range entries {
		if e.DeskID != desk || e.Stage != relay.UnderWay || mean[e.FormatID] == nil {
			continue
		}
		for i := range e.Legs {
			l := &e.Legs[i]
			if l.Done() || l.Holder != 0 || slices.Contains(agreed[e.ID], l.Key) {
				continue
			}
			amount := mean[e.FormatID][l.Key]
			if l.Fee > 0 {
				amount = int64(l.Fee)
			}
			if amount > 0 {
				out = append(out, fee.Money{Day: max(today, l.Due), Amount: amount, Step: fee.Likely, Format: e.FormatID, Channel: e.ChannelID, Campaign: e.CampaignID, Piece: e.ID, Leg: l.Key})
			}
		}
	}
	return out, nil
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
		if f.State == fee.Agreed {
			continue
		}
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
