package demo

import (
	"context"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/store"
)

// paying lets the desk pay by rates from August on: what was accepted in a month is checked and
// stated at the beginning of the next, and paid in the middle of it.
func (p *player) paying() {
	lead := byInitials("MH")
	on := func(y int, m time.Month, d, hour int, do func(context.Context) error) {
		p.add(day.Wall(p.cal.NextWorking(date(y, m, d)), hour*60+5, p.zone), do)
	}
	desk := p.b.Desks[0].ID
	on(2026, 8, 3, 9, func(ctx context.Context) error {
		for _, r := range p.rates() {
			r.DeskID = desk
			if err := p.h.Fees.SaveRate(ctx, lead, r); err != nil {
				return err
			}
		}
		for _, b := range []store.Budget{
			{Span: fee.Monthly, Amount: 180_000}, {Span: fee.Monthly, FormatID: p.kinds["Feature"].ID, Amount: 80_000}, {Span: fee.Monthly, FormatID: p.kinds["Audio"].ID, Amount: 40_000},
			{Span: fee.Whole, CampaignID: p.campaign("Schools bake"), Amount: 18_000},
		} {
			b.DeskID = desk
			if err := p.h.Fees.SaveBudget(ctx, lead, b); err != nil {
				return err
			}
		}
		return nil
	})
	for _, m := range []time.Month{8, 9, 10} {
		on(2026, m+1, 2, 10, func(ctx context.Context) error {
			if err := p.checkTo(ctx, lead, date(2026, m+1, 1)-1); err != nil {
				return err
			}
			_, err := p.h.Fees.State(ctx, lead, desk, date(2026, m, 1), 0)
			return err
		})
		on(2026, m+1, 16, 14, func(ctx context.Context) error {
			all, err := store.Statements(ctx, p.h.DB.View(), desk)
			if err != nil {
				return err
			}
			var open []ref.Statement
			for _, s := range all {
				if s.PaidDay == 0 {
					open = append(open, s.ID)
				}
			}
			return p.h.Fees.Pay(ctx, lead, desk, open, day.MomentOf(p.now).Date(p.zone))
		})
	}
	on(2026, 11, 12, 11, func(ctx context.Context) error { return p.checkTo(ctx, lead, date(2026, 11, 10)) })
	on(2026, 11, 13, 15, func(ctx context.Context) error {
		for _, c := range []store.Cost{
			{Day: date(2026, 11, 12), Note: "Studio, two evenings", Amount: 12_000, FormatID: p.kinds["Audio"].ID},
			{Day: date(2026, 11, 10), Note: "Trains to Tern Bakery School", Amount: 8_640, CampaignID: p.campaign("Schools bake")},
			{Day: date(2026, 11, 11), Note: "Flour and fuel for the school ovens", Amount: 11_250, CampaignID: p.campaign("Schools bake")},
		} {
			c.DeskID = desk
			if err := p.h.Fees.SaveCost(ctx, lead, c); err != nil {
				return err
			}
		}
		return nil
	})
}

func (p *player) campaign(name string) ref.Campaign {
	for _, c := range p.b.Campaigns {
		if c.Name == name {
			return c.ID
		}
	}
	return 0
}

// rates are what Millrace pays: both freelancers by rates of their own, and anybody else who comes
// by the word.
func (p *player) rates() []store.Rate {
	petra, sian := byInitials("PV"), byInitials("SP")
	return []store.Rate{
		{PersonID: petra, Leg: "Draft", Per: fee.Word, Rate: 1_500},
		{PersonID: petra, Leg: "Write-up", Per: fee.Piece, Rate: 900_000},
		{PersonID: petra, FormatID: p.kinds["Partner piece"].ID, Per: fee.Piece, Rate: 1_600_000},
		{PersonID: petra, Leg: "Script", Per: fee.Piece, Rate: 1_400_000},
		{PersonID: sian, Leg: "Welsh", Per: fee.Word, Rate: 900},
		{PersonID: sian, Per: fee.Hour, Rate: 320_000},
		{Leg: "Draft", Per: fee.Word, Rate: 1_200, Least: 6_000},
	}
}

// checkTo checks what was accepted up to a day.
func (p *player) checkTo(ctx context.Context, by ref.Person, to day.Date) error {
	desk := p.b.Desks[0].ID
	all, err := store.FeesWaiting(ctx, p.h.DB.View(), desk)
	if err != nil {
		return err
	}
	var ids []ref.Fee
	for _, f := range all {
		if f.State == fee.Accepted && f.AcceptedDay <= to && (f.Per != fee.Hour || f.Minutes > 0) {
			ids = append(ids, f.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	return p.h.Fees.Check(ctx, by, desk, ids)
}
