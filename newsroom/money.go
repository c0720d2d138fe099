package newsroom

import (
	"context"
	"slices"

	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Currency gives the currency of a desk.
func (b *Setup) Currency(d ref.Desk) fee.Currency { return b.CurrencyBy(d, b.Desk(d).Currency) }

// CurrencyBy gives a currency by its code, as a desk had it when something was agreed.
func (b *Setup) CurrencyBy(d ref.Desk, code string) fee.Currency {
	sign := ""
	if code == b.Desk(d).Currency {
		sign = b.Desk(d).Money
	}
	c, err := fee.CurrencyOf(code, sign)
	if err != nil { // what is stored was checked; only one that is no longer known comes here
		c.Sign = code + " "
	}
	return c
}

// SayFee writes a fee as the desk does: "£180", "£12.50".
func (b *Setup) SayFee(d ref.Desk, amount int) string { return b.Currency(d).Say(int64(amount)) }

// RatesOf gives what a desk pays.
func (b *Setup) RatesOf(d ref.Desk) []store.Rate {
	return slices.DeleteFunc(slices.Clone(b.Rates), func(r store.Rate) bool { return r.DeskID != d })
}

// BudgetsOf gives the budgets of a desk.
func (b *Setup) BudgetsOf(d ref.Desk) []store.Budget {
	return slices.DeleteFunc(slices.Clone(b.Budgets), func(x store.Budget) bool { return x.DeskID != d })
}

// SeesFees reports whether somebody may see what work costs on a desk.
func (b *Setup) SeesFees(who ref.Person, d ref.Desk) bool {
	return relay.MayHouse(relay.SeeFees, b.Who(who, d))
}

// Paid reports whether somebody can be paid fees at all: nobody from outside, who see no money.
func Paid(p store.Person) bool { return p.Access.May(relay.SeeOwnFees) }

// DeskOf gives the desk of a piece; ErrNotFound where there is none.
func (h *Newsroom) DeskOf(ctx context.Context, id ref.Piece) (ref.Desk, error) {
	all, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return 0, err
	}
	k, ok := slices.BinarySearchFunc(all, id, ByID)
	if !ok {
		return 0, ErrNotFound
	}
	return all[k].DeskID, nil
}
