package fee

import (
	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Span is over what a budget is.
type Span string

// The spans of budgets.
const (
	Monthly   Span = "month"
	Quarterly Span = "quarter"
	Whole     Span = "whole" // of a campaign, from its first day to its last
)

// Around gives the first and the last day of the span in which a day lies.
func (s Span) Around(d day.Date) (from, to day.Date) {
	from = d.MonthStart()
	if s == Quarterly {
		from = from.AddMonths(-(int(from.Month()) - 1) % 3)
		return from, from.AddMonths(3) - 1
	}
	return from, from.AddMonths(1) - 1
}

// Money is an amount that is spent or likely spent: on a day, on a piece of some format, channel
// and campaign, and how far it is.
type Money struct {
	Day      day.Date
	Amount   int64
	Step     Step
	Format   ref.Format
	Channel  ref.Channel
	Campaign ref.Campaign
	Piece    ref.Piece // 0 of what is for none
}

// Step is how far money is on its way out.
type Step int

// The steps: paid, in a statement or checked, to check, promised for legs under way, and likely for
// planned legs.
const (
	Paid Step = iota
	ToPay
	ToCheck
	Promised
	Likely
	steps
)

// StepOf gives how far a fee is that is accepted; paid says that the statement is that it is in.
func StepOf(s State, paid bool) Step {
	switch {
	case s == Accepted:
		return ToCheck
	case s == Stated && paid:
		return Paid
	}
	return ToPay
}

// Scope is what a budget is for; 0 for any.
type Scope struct {
	Format   ref.Format
	Channel  ref.Channel
	Campaign ref.Campaign
}

// Holds reports whether some money is of it.
func (s Scope) Holds(m Money) bool {
	return (s.Format == 0 || s.Format == m.Format) && (s.Channel == 0 || s.Channel == m.Channel) && (s.Campaign == 0 || s.Campaign == m.Campaign)
}

// Use is what of a budget is used, by step.
type Use [steps]int64

// UseOf sums the money of a scope from one day to another.
func UseOf(all []Money, s Scope, from, to day.Date) Use {
	var u Use
	for _, m := range all {
		if m.Day >= from && m.Day <= to && s.Holds(m) {
			u[m.Step] += m.Amount
		}
	}
	return u
}

// Spent gives what is spent or promised.
func (u Use) Spent() int64 { return u[Paid] + u[ToPay] + u[ToCheck] + u[Promised] }

// Level is how much of a budget is spent or promised.
type Level string

// The levels of which leads are told, once each.
const (
	Nearly Level = "nearly" // nine tenths of it
	Over   Level = "over"
)

// Level gives at which level what is used of a budget is; "" below.
func (u Use) Level(budget int64) Level {
	switch spent := u.Spent(); {
	case spent > budget:
		return Over
	case spent*10 >= budget*9:
		return Nearly
	}
	return ""
}

// All gives what is spent, promised or likely.
func (u Use) All() int64 { return u.Spent() + u[Likely] }
