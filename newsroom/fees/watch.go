package fees

import (
	"context"
	"fmt"
	"strings"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// watch is on which day the budgets of desks were looked at last; none after something changed.
type watch struct {
	mu     sync.Mutex
	looked map[ref.Desk]day.Date
}

// touch notes that what desks spend may be another.
func (w *watch) touch(desks ...ref.Desk) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, d := range desks {
		delete(w.looked, d)
	}
}

// look reports whether the budgets of a desk are to be looked at, which they are then for that day.
func (w *watch) look(d ref.Desk, today day.Date) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.looked == nil {
		w.looked = map[ref.Desk]day.Date{}
	}
	was := w.looked[d]
	w.looked[d] = today
	return was != today
}

// forget makes all budgets be looked at anew.
func (w *watch) forget() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.looked = nil
}

// watchBudgets tells leads once of each budget, and each span of it, when it is nearly spent or
// promised, and when it is over.
func (h Room) watchBudgets(ctx context.Context) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	w := newsroom.PartOf[watch](h.Newsroom)
	for _, d := range b.Desks {
		today := h.Now().Date(b.Zones[d.ID])
		if len(b.BudgetsOf(d.ID)) == 0 || !w.look(d.ID, today) {
			continue
		}
		if err := h.watchDesk(ctx, b, d.ID, today); err != nil {
			w.touch(d.ID) // the next round looks again
			return err
		}
	}
	return nil
}

func (h Room) watchDesk(ctx context.Context, b *newsroom.Setup, desk ref.Desk, today day.Date) error {
	all := b.BudgetsOf(desk)
	from, to := reach(all, today, today)
	t, err := h.till(ctx, b, desk, from, to)
	if err != nil {
		return err
	}
	for _, x := range all {
		is := used(b, x, today, t.money)
		span := is.From.String()
		if x.Span == fee.Whole {
			span = string(x.Span)
		}
		level := is.Use.Level(x.Amount)
		told := span + " " + string(level)
		if level == "" || x.Told == told || level == fee.Nearly && strings.HasPrefix(x.Told, span) {
			continue
		}
		x.Told = told
		if err := h.tellBudget(ctx, is, x, level, today); err != nil {
			return err
		}
	}
	return nil
}

func (h Room) tellBudget(ctx context.Context, is Budget, x store.Budget, level fee.Level, today day.Date) error {
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		a.SetUp = true
		if _, err := a.Tx.SaveBudget(a, x); err != nil {
			return err
		}
		cur := a.Setup.Currency(x.DeskID)
		text := fmt.Sprintf("%s has spent or promised %s of its budget of %s%s.", english.UpperFirst(SayScope(a.Setup, x)), cur.Say(is.Use.Spent()), cur.Say(x.Amount), saySpan(is))
		if level == fee.Over {
			text = fmt.Sprintf("%s is %s over its budget of %s%s.", english.UpperFirst(SayScope(a.Setup, x)), cur.Say(-is.Left()), cur.Say(x.Amount), saySpan(is))
		}
		a.Happens(rule.Event{Kind: rule.Spent, Desk: x.DeskID, Say: SayScope(a.Setup, x), N: int(is.Use.Spent() * 100 / x.Amount), At: a.Now})
		for _, id := range a.Setup.Leads(x.DeskID) {
			if err := a.Notify(store.Item{PersonID: id, Kind: "fee", Text: text, Link: "/fees?on=" + today.String(), At: a.Now, Private: true}, level == fee.Over); err != nil {
				return err
			}
		}
		return nil
	})
}
