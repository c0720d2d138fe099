package fees

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// account is what one statement is made of: somebody's checked fees in one currency.
type account struct {
	person   ref.Person
	currency string
}

// State makes statements of what is checked and was accepted up to the end of a month, one for each
// person and currency, of one person or of all. Whoever makes them gets none of their own. It gives
// how many were made.
func (h Room) State(ctx context.Context, by ref.Person, desk ref.Desk, month day.Date, only ref.Person) (int, error) {
	made := 0
	err := h.houseAct(ctx, by, desk, relay.PayFees, func(a *newsroom.Command) error {
		today := a.Now.Date(a.Setup.Zones[desk])
		month = month.MonthStart()
		if month > today {
			return newsroom.Invalid("month", "This month is still to come. Statements are made of what was accepted.")
		}
		if only == by {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Your own statement is made by somebody else."}
		}
		waiting, err := store.FeesWaiting(a, a.Tx, desk)
		if err != nil {
			return err
		}
		all := map[account][]store.Fee{}
		for _, f := range waiting {
			if f.State == fee.Checked && f.AcceptedDay < month.AddMonths(1) && f.PersonID != by && (only == 0 || f.PersonID == only) {
				k := account{f.PersonID, f.Currency}
				all[k] = append(all[k], f)
			}
		}
		for _, k := range slices.SortedFunc(maps.Keys(all), func(x, y account) int {
			return cmp.Or(cmp.Compare(a.Setup.Name(x.person), a.Setup.Name(y.person)), cmp.Compare(x.person, y.person), cmp.Compare(x.currency, y.currency))
		}) {
			is, err := state(a, desk, month, k, all[k])
			if err != nil {
				return err
			}
			if is {
				made++
			}
		}
		if made == 0 {
			return &relay.Refusal{Reason: relay.ErrNotNow, Field: "month", Text: "Nothing that is checked waits for a statement up to " + month.Format("January 2006") + "."}
		}
		return nil
	})
	return made, err
}

// state makes one statement; none where corrections take more than there is, which waits for more.
func state(a *newsroom.Command, desk ref.Desk, month day.Date, k account, fees []store.Fee) (bool, error) {
	s := store.Statement{DeskID: desk, PersonID: k.person, Month: month, Currency: k.currency, MadeAt: a.Now, MadeDay: a.Now.Date(a.Setup.Zones[desk]), MadeBy: a.Actor}
	lines := make([]store.StatementLine, len(fees))
	for i := range fees {
		f := &fees[i]
		s.Total += f.Amount
		lines[i] = store.StatementLine{FeeID: f.ID, Day: f.AcceptedDay, Title: f.Title, Name: f.Name, Says: Say(a.Setup, f), Amount: f.Amount}
	}
	if s.Total < 0 {
		return false, nil
	}
	days := cmp.Or(a.Setup.Person(k.person).PayWithin, a.Setup.Desk(desk).PayWithin)
	s.DueDay = fee.DueOn(s.MadeDay, days, a.Setup.Planned[desk].Calendar)
	var err error
	if s.Number, err = a.Tx.NextStatement(a, desk); err != nil {
		return false, err
	}
	if s.ID, err = a.Tx.AddStatement(a, s); err != nil {
		return false, err
	}
	for i, f := range fees {
		lines[i].StatementID, lines[i].Position = s.ID, i+1
		if err := a.Tx.AddStatementLine(a, lines[i]); err != nil {
			return false, err
		}
		f.State, f.StatementID = fee.Stated, s.ID
		if err := save(a, f); err != nil {
			return false, err
		}
	}
	if err := a.Log(store.Entry{DeskID: desk, Act: "fee", What: fmt.Sprintf("made statement %d, for %s", s.Number, a.Setup.Name(k.person))}); err != nil {
		return false, err
	}
	text := fmt.Sprintf("Statement %d for %s is made: %s, to be paid by %s.", s.Number, month.Format("January 2006"), a.Setup.CurrencyBy(desk, s.Currency).Full(s.Total), english.Date(s.DueDay))
	return true, a.Notify(store.Item{PersonID: k.person, Kind: "fee", Text: text, Link: fmt.Sprintf("/fees/statements/%d", s.ID), At: a.Now, Private: true}, true)
}

// statement reads a statement in a command.
func statement(a *newsroom.Command, desk ref.Desk, id ref.Statement) (store.Statement, error) {
	s, _, err := store.StatementByID(a, a.Tx, id)
	if errors.Is(err, store.ErrNone) || err == nil && s.DeskID != desk {
		return s, newsroom.ErrNotFound
	}
	return s, err
}

// Pay notes on which day statements of others were paid; with no day, that one is not paid after all.
func (h Room) Pay(ctx context.Context, by ref.Person, desk ref.Desk, ids []ref.Statement, on day.Date) error {
	return h.houseAct(ctx, by, desk, relay.PayFees, func(a *newsroom.Command) error {
		if len(ids) == 0 {
			return newsroom.Invalid("statement", "Tick the statements that are paid first.")
		}
		today := a.Now.Date(a.Setup.Zones[desk])
		for _, id := range ids {
			s, err := statement(a, desk, id)
			if err != nil {
				return err
			}
			switch {
			case s.PersonID == by:
				return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Your own statement is paid by somebody else."}
			case on != 0 && s.PaidDay != 0:
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s noted statement %d as paid on %s already.", a.Setup.Name(s.PaidBy), s.Number, english.Date(s.PaidDay))}
			case on != 0 && on > today:
				return newsroom.Invalid("day", "This day is still to come. Note it when it is paid.")
			case on != 0 && on < s.MadeDay:
				return newsroom.Invalid("day", "Statement %d was made on %s; it cannot have been paid before.", s.Number, english.Date(s.MadeDay))
			}
			what := "noted as paid statement"
			if s.PaidDay, s.PaidBy = on, by; on == 0 {
				s.PaidBy, what = 0, "noted as not paid statement"
			}
			if err := a.Tx.PayStatement(a, s); err != nil {
				return err
			}
			if err := a.Log(store.Entry{DeskID: desk, Act: "fee", What: fmt.Sprintf("%s %d, for %s", what, s.Number, a.Setup.Name(s.PersonID))}); err != nil {
				return err
			}
			if on != 0 {
				text := fmt.Sprintf("Statement %d is paid.", s.Number)
				if err := a.Notify(store.Item{PersonID: s.PersonID, Kind: "fee", Text: text, Link: fmt.Sprintf("/fees/statements/%d", s.ID), At: a.Now, Private: true}, true); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Statement gives a statement with its lines, to whoever it is for and to who may see fees of its
// desk.
func (h Room) Statement(ctx context.Context, who ref.Person, id ref.Statement) (store.Statement, []store.StatementLine, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return store.Statement{}, nil, err
	}
	s, lines, err := store.StatementByID(ctx, h.DB.View(), id)
	if errors.Is(err, store.ErrNone) || err == nil && !b.SeesFees(who, s.DeskID) && (s.PersonID != who || !newsroom.Paid(b.Person(who))) {
		return store.Statement{}, nil, newsroom.ErrNotFound
	}
	return s, lines, err
}
