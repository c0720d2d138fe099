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
	today, rules := h.Now().Date(b.Zones[desk]), rulesOf(b, desk)
	from, to, costs := today, today, false
	for i := range pieces {
		for k := range pieces[i].Legs {
			l := &pieces[i].Legs[k]
			to = max(to, l.Due)
			if !l.Done() && !costs {
				_, _, costs = termsFor(b, rules, &pieces[i], l, l.Holder)
			}
		}
	}
	if !costs {
		return nil, nil
	}
	for _, x := range b.BudgetsOf(desk) {
		f, _ := spanOf(b, x, today)
		_, t := spanOf(b, x, to)
		from, to = min(from, f), max(to, t)
	}
	before, err := h.moneys(ctx, b, desk, from, to)
	if err != nil {
		return nil, err
	}
	after := slices.DeleteFunc(slices.Clone(before), func(m fee.Money) bool {
		return m.Piece != 0 && (m.Step == fee.Promised || m.Step == fee.Likely) && slices.ContainsFunc(pieces, func(p relay.Piece) bool { return p.ID == m.Piece })
	})
	var days []day.Date
	for i := range pieces {
		for _, m := range costOf(b, rules, &pieces[i], before, today) {
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

// costOf gives what the unfinished legs of a piece would cost: as it was agreed where it is known,
// otherwise by the nearest rate.
func costOf(b *newsroom.Setup, rules []fee.Rule, p *relay.Piece, known []fee.Money, today day.Date) []fee.Money {
	var out []fee.Money
	for i := range p.Legs {
		l := &p.Legs[i]
		if l.Done() {
			continue
		}
		m := fee.Money{Day: max(today, l.Due), Step: fee.Promised, Format: p.FormatID, Channel: p.ChannelID, Campaign: p.CampaignID, Piece: p.ID, Leg: l.Key, Person: l.Holder}
		k := slices.IndexFunc(known, func(x fee.Money) bool {
			return p.ID != 0 && x.Piece == p.ID && x.Leg == l.Key && x.Person == l.Holder && (x.Step == fee.Promised || x.Step == fee.Likely)
		})
		if k >= 0 {
			m.Amount, m.Step = known[k].Amount, known[k].Step
		} else if t, _, ok := termsFor(b, rules, p, l, l.Holder); ok {
			f := store.Fee{DeskID: p.DeskID, Leg: l.Key, Per: t.Per, Rate: t.Rate, Least: t.Least, Most: t.Most}
			m.Amount = estimate(b, &f, p)
		}
		if m.Amount > 0 {
			out = append(out, m)
		}
	}
	return out
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
		if !(fee.Scope{Format: x.FormatID, Channel: x.ChannelID, Campaign: x.CampaignID}).Holds(fee.Money{Format: p.FormatID, Channel: p.ChannelID, Campaign: p.CampaignID}) {
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
