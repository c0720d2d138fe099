package fees

import (
	"context"
	"errors"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// SaveRate stores a rate of a desk, a new one where it has no id. What was agreed before stays as it
// is; legs under way that somebody has and nothing was agreed for are agreed now.
func (h Room) SaveRate(ctx context.Context, by ref.Person, r store.Rate) error {
	return h.SetUpAct(ctx, by, r.DeskID, func(a *newsroom.Command) error {
		r.Leg, r.Role = strings.TrimSpace(r.Leg), strings.TrimSpace(r.Role)
		if err := checkRate(a.Setup, r); err != nil {
			return err
		}
		was := store.Rate{}
		for _, x := range a.Setup.Rates {
			if x.ID == r.ID {
				was = x
			}
		}
		if r.ID != 0 && was.DeskID != r.DeskID {
			return newsroom.ErrNotFound
		}
		if _, err := a.Tx.SaveRate(a, r); err != nil {
			return err
		}
		what := "changed the rate for "
		if r.Retired {
			what = "took away the rate for "
		}
		if err := a.Log(store.Entry{DeskID: r.DeskID, Act: "set up", What: what + SayFor(a.Setup, r.Rule())}); err != nil {
			return err
		}
		if r.Retired {
			return nil
		}
		return agreeAll(a, r)
	})
}

// agreeAll agrees on the legs under way for which nothing was agreed.
func agreeAll(a *newsroom.Command, r store.Rate) error {
	rules := append(slices.DeleteFunc(rulesOf(a.Setup, r.DeskID), func(x fee.Rule) bool { return x.ID == r.ID }), r.Rule())
	rows, err := store.Pieces(a, a.Tx, "SELECT * FROM piece WHERE desk_id = ? AND stage = ?", r.DeskID, relay.UnderWay)
	if err != nil {
		return err
	}
	for i := range rows {
		if err := followBy(a, &rows[i].Piece, rules); err != nil {
			return err
		}
	}
	return nil
}

func checkRate(b *newsroom.Setup, r store.Rate) error {
	p := b.Person(r.PersonID)
	if err := checkTerms(r.Rule().Terms); err != nil {
		return err
	}
	switch {
	case r.Rate == 0:
		return newsroom.Invalid("rate", "A rate is more than nothing. Where nothing is paid, take the rate away.")
	case r.PersonID != 0 && (!slices.Contains(p.Desks, r.DeskID) || !newsroom.Paid(p)):
		return newsroom.Invalid("person", "Choose somebody of the desk. Who is from outside is not paid here.")
	case r.FormatID != 0 && b.Format(r.FormatID).DeskID != r.DeskID:
		return newsroom.Invalid("format", "Choose one of the desk's formats.")
	case r.Role != "" && !slices.Contains(b.RolesOf(r.DeskID), r.Role):
		return newsroom.Invalid("role", "Choose one of the desk's roles.")
	case r.Leg != "" && !slices.Contains(LegsOf(b, r.DeskID), r.Leg):
		return newsroom.Invalid("leg", "Choose one of the legs of the desk's formats.")
	}
	for _, x := range b.RatesOf(r.DeskID) {
		if x.ID != r.ID && !r.Retired && x.PersonID == r.PersonID && x.FormatID == r.FormatID && x.Role == r.Role && strings.EqualFold(x.Leg, r.Leg) {
			return newsroom.Invalid("rate", "There is a rate for %s already. Change that one.", SayFor(b, r.Rule()))
		}
	}
	return nil
}

// LegsOf gives the names of the legs of a desk's formats, in order.
func LegsOf(b *newsroom.Setup, d ref.Desk) []string {
	var out []string
	for _, f := range b.FormatsOf(d) {
		for _, l := range b.Latest(f.ID).Way.Legs {
			if !slices.Contains(out, l.Name) {
				out = append(out, l.Name)
			}
		}
	}
	slices.Sort(out)
	return out
}

// SaveBudget stores a budget of a desk, a new one where it has no id.
func (h Room) SaveBudget(ctx context.Context, by ref.Person, x store.Budget) error {
	return h.SetUpAct(ctx, by, x.DeskID, func(a *newsroom.Command) error {
		b := a.Setup
		named := 0
		for _, is := range []bool{x.FormatID != 0, x.ChannelID != 0, x.CampaignID != 0} {
			if is {
				named++
			}
		}
		switch {
		case x.Span != fee.Monthly && x.Span != fee.Quarterly && x.Span != fee.Whole:
			return newsroom.Invalid("span", "Say whether it is for each month, each quarter or a whole campaign.")
		case x.Span == fee.Whole && x.CampaignID == 0:
			return newsroom.Invalid("span", "Only a campaign has a budget for the whole of it.")
		case named > 1:
			return newsroom.Invalid("for", "A budget is for the desk, or for one format, channel or campaign.")
		case x.FormatID != 0 && b.Format(x.FormatID).DeskID != x.DeskID, x.ChannelID != 0 && b.Channel(x.ChannelID).DeskID != x.DeskID, x.CampaignID != 0 && b.Campaign(x.CampaignID).DeskID != x.DeskID:
			return newsroom.Invalid("for", "Choose something of this desk.")
		case x.Amount <= 0 || x.Amount > fee.Most:
			return newsroom.Invalid("amount", "A budget is more than nothing. To have none, take it away.")
		}
		for _, o := range b.BudgetsOf(x.DeskID) {
			if o.ID != x.ID && !x.Retired && o.Span == x.Span && o.FormatID == x.FormatID && o.ChannelID == x.ChannelID && o.CampaignID == x.CampaignID {
				return newsroom.Invalid("for", "There is a budget for this already. Change that one.")
			}
			if o.ID == x.ID && o.Amount == x.Amount && o.Span == x.Span {
				x.Told = o.Told
			}
		}
		if x.ID != 0 && !slices.ContainsFunc(b.BudgetsOf(x.DeskID), func(o store.Budget) bool { return o.ID == x.ID }) {
			return newsroom.ErrNotFound
		}
		if _, err := a.Tx.SaveBudget(a, x); err != nil {
			return err
		}
		a.Spent = append(a.Spent, x.DeskID)
		what := "changed the budget for "
		if x.Retired {
			what = "took away the budget for "
		}
		return a.Log(store.Entry{DeskID: x.DeskID, Act: "set up", What: what + SayScope(b, x)})
	})
}

// SayScope says what a budget is for.
func SayScope(b *newsroom.Setup, x store.Budget) string {
	switch {
	case x.FormatID != 0:
		return b.Format(x.FormatID).Name
	case x.ChannelID != 0:
		return b.Channel(x.ChannelID).Name
	case x.CampaignID != 0:
		return b.Campaign(x.CampaignID).Name
	}
	return b.Desk(x.DeskID).Name + ", all"
}

// SaveCost stores another cost of a desk, a new one where it has no id. Who may pay notes them.
func (h Room) SaveCost(ctx context.Context, by ref.Person, x store.Cost) error {
	return h.houseAct(ctx, by, x.DeskID, relay.PayFees, func(a *newsroom.Command) error {
		b := a.Setup
		x.Note = strings.Join(strings.Fields(x.Note), " ")
		today := a.Now.Date(b.Zones[x.DeskID])
		if x.ID != 0 {
			was, err := store.CostByID(a, a.Tx, x.ID)
			if errors.Is(err, store.ErrNone) || err == nil && was.DeskID != x.DeskID {
				return newsroom.ErrNotFound
			} else if err != nil {
				return err
			}
			if x.Dropped {
				was.Dropped = true
				x = was
			}
		}
		switch {
		case x.Note == "" || len([]rune(x.Note)) > 200:
			return newsroom.Invalid("note", "Say in up to 200 characters what it was for, like a studio or a journey.")
		case x.Amount <= 0 || x.Amount > fee.Most:
			return newsroom.Invalid("amount", "A cost is more than nothing.")
		case x.Day == 0 || x.Day > today+366 || x.Day < today-20*366:
			return newsroom.Invalid("day", "Give the day of the cost; one that is known ahead at most a year.")
		case x.FormatID != 0 && b.Format(x.FormatID).DeskID != x.DeskID, x.ChannelID != 0 && b.Channel(x.ChannelID).DeskID != x.DeskID, x.CampaignID != 0 && b.Campaign(x.CampaignID).DeskID != x.DeskID:
			return newsroom.Invalid("for", "Choose something of this desk.")
		}
		if x.By, x.Currency = by, b.Desk(x.DeskID).Currency; x.ID == 0 {
			same, err := store.Costs(a, a.Tx, x.DeskID, x.Day, x.Day)
			if err != nil {
				return err
			}
			if slices.ContainsFunc(same, func(o store.Cost) bool {
				return o.Note == x.Note && o.Amount == x.Amount && o.CampaignID == x.CampaignID
			}) {
				return newsroom.Invalid("note", "This cost is noted already on this day.")
			}
		}
		if _, err := a.Tx.SaveCost(a, x); err != nil {
			return err
		}
		a.Spent = append(a.Spent, x.DeskID)
		what := "noted a cost: "
		if x.Dropped {
			what = "took back a cost: "
		}
		return a.Log(store.Entry{DeskID: x.DeskID, Act: "fee", What: what + english.Cut(x.Note, 80)})
	})
}
