package fees

import (
	"context"
	"fmt"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Over says which budgets of a desk would be over if pieces were as given, new ones without an id or
// others changed, and were not as much before. Only who may see fees is told.
func (h Room) Over(ctx context.Context, who ref.Person, desk ref.Desk, pieces []relay.Piece) ([]string, error) {
	b, err := h.Setup(ctx)
	if err != nil || len(pieces) == 0 || !b.SeesFees(who, desk) || len(b.BudgetsOf(desk)) == 0 {
		return nil, err
	}
	would, err := h.would(ctx, b, who, desk, pieces)
	if err != nil {
		return nil, err
	}
	from := h.Now().Date(b.Zones[desk])
	to := from
	for i := range pieces {
		for l := range pieces[i].Every() {
			to = max(to, l.Due)
		}
	}
	from, to = reach(b.BudgetsOf(desk), from, to)
	t, err := h.till(ctx, b, desk, from, to)
	if err != nil {
		return nil, err
	}
	before := t.money
	after := slices.DeleteFunc(slices.Clone(before), func(m fee.Money) bool {
		return m.Piece != 0 && slices.ContainsFunc(pieces, func(p relay.Piece) bool { return p.ID == m.Piece })
	})
	var days []day.Date
	for i := range pieces {
		for _, m := range t.ahead.Of(&pieces[i], would[i].lines, would[i].now...) {
			after, days = append(after, m), append(days, m.Day)
		}
	}
	var out []string
	for _, x := range b.BudgetsOf(desk) {
		seen := map[day.Date]bool{}
		for _, d := range days {
			was, is := used(b, x, d, before), used(b, x, d, after)
			if seen[is.From] {
				continue
			}
			seen[is.From] = true
			if over := is.Use.All() - x.Amount; over > 0 && is.Use.All() > was.Use.All() {
				cur := b.Currency(desk)
				out = append(out, fmt.Sprintf("%s would be %s over its budget of %s%s.", english.UpperFirst(SayScope(b, x)), cur.Say(over), cur.Say(x.Amount), saySpan(is)))
			}
		}
	}
	return out, nil
}

// saySpan says of when a budget is, as it goes on after it.
func saySpan(x Budget) string {
	switch x.Span {
	case fee.Monthly:
		return " for " + x.From.Format("January 2006")
	case fee.Quarterly:
		return " for " + x.From.Format("January") + " to " + x.To.Format("January 2006")
	}
	return ""
}

// follows is how the fees of a piece would follow.
type follows struct {
	lines []fee.Line
	now   []ref.Fee // that would be accepted, or for something else
}

// would gives how the fees of pieces would follow if they were as given, those in the desk's currency.
func (h Room) would(ctx context.Context, b *newsroom.Setup, who ref.Person, desk ref.Desk, pieces []relay.Piece) ([]follows, error) {
	var ids []ref.Piece
	for i := range pieces {
		if pieces[i].ID != 0 {
			ids = append(ids, pieces[i].ID)
		}
	}
	fees, err := store.FeesOfAll(ctx, h.DB.View(), ids)
	was, elsewhere := map[ref.Piece][]fee.Line{}, map[ref.Fee]bool{}
	for _, f := range fees {
		was[f.PieceID] = append(was[f.PieceID], f.Line())
		elsewhere[f.ID] = f.Currency != b.Desk(desk).Currency
	}
	out, rules := make([]follows, len(pieces)), rulesOf(b, desk)
	for i := range pieces {
		p := &pieces[i]
		for _, x := range fee.Follow(p, was[p.ID], who, policy(b.Desk(desk)), func(l *relay.Leg) (fee.Terms, bool) {
			t, _, ok := termsFor(b, rules, p, l, l.Holder)
			return t, ok
		}) {
			if elsewhere[x.ID] {
				continue
			}
			out[i].lines = append(out[i].lines, x)
			if k := slices.IndexFunc(was[p.ID], func(y fee.Line) bool { return y.ID == x.ID }); x.ID != 0 && (was[p.ID][k].State != x.State || was[p.ID][k].Kind != x.Kind) {
				out[i].now = append(out[i].now, x.ID)
			}
		}
	}
	return out, err
}

// Left says what is left of the budgets that a leg of a piece would be paid from, to who may see
// fees.
func (h Room) Left(ctx context.Context, who ref.Person, p *relay.Piece, leg string) ([]string, error) {
	b, err := h.Setup(ctx)
	if err != nil || !b.SeesFees(who, p.DeskID) || len(b.BudgetsOf(p.DeskID)) == 0 {
		return nil, err
	}
	on := h.Now().Date(b.Zones[p.DeskID])
	if l := p.Leg(leg); l != nil {
		on = max(on, l.Due)
	}
	m, err := h.Month(ctx, who, p.DeskID, on)
	if err != nil {
		return nil, err
	}
	cur := b.Currency(p.DeskID)
	var out []string
	for _, x := range m.Budgets {
		if !scopeOf(x.Budget).Holds(fee.Money{Format: p.FormatID, Channel: p.ChannelID, Campaign: p.CampaignID}) {
			continue
		}
		left := x.Amount - x.Use.All()
		if left < 0 {
			out = append(out, fmt.Sprintf("%s is %s over its budget%s already.", english.UpperFirst(SayScope(b, x.Budget)), cur.Say(-left), saySpan(x)))
			continue
		}
		out = append(out, fmt.Sprintf("More than %s takes %s over its budget%s.", cur.Say(left), SayScope(b, x.Budget), saySpan(x)))
	}
	return out, nil
}
