package fees

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"greenbaton/core/english"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// nearly is at how many per cent of a budget leads are told of it.
const nearly = 90

// watch is on which desks something changed since budgets were looked at.
type watch struct {
	mu    sync.Mutex
	desks map[ref.Desk]bool
}

func (w *watch) touch(d ref.Desk) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.desks == nil {
		w.desks = map[ref.Desk]bool{}
	}
	w.desks[d] = true
}

func (w *watch) taken() []ref.Desk {
	w.mu.Lock()
	defer w.mu.Unlock()
	var out []ref.Desk
	for d := range w.desks {
		out = append(out, d)
	}
	w.desks = nil
	slices.Sort(out)
	return out
}

// watchBudgets tells leads once of each budget, and each span of it, when nine tenths of it are spent
// or promised, and when it is over.
func (h Room) watchBudgets(ctx context.Context) error {
	for _, d := range newsroom.PartOf[watch](h.Newsroom).taken() {
		if err := h.watchDesk(ctx, d); err != nil {
			newsroom.PartOf[watch](h.Newsroom).touch(d) // the next round looks again
			return err
		}
	}
	return nil
}

func (h Room) watchDesk(ctx context.Context, desk ref.Desk) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	all := b.BudgetsOf(desk)
	if len(all) == 0 {
		return nil
	}
	today := h.Now().Date(b.Zones[desk])
	from, to := today, today
	for _, x := range all {
		f, t := spanOf(b, x, today)
		from, to = min(from, f), max(to, t)
	}
	money, err := h.moneys(ctx, b, desk, from, to)
	if err != nil {
		return err
	}
	for _, x := range all {
		is := used(b, x, today, money)
		told, level := is.From.String(), ""
		switch spent := is.Use.Spent(); {
		case spent > x.Amount:
			level = "over"
		case spent*100 >= x.Amount*nearly:
			level = "nearly"
		}
		if level == "" || x.Told == told+" "+level || level == "nearly" && strings.HasPrefix(x.Told, told) {
			continue
		}
		x.Told = told + " " + level
		if err := h.tellBudget(ctx, is, x, level); err != nil {
			return err
		}
	}
	return nil
}

func (h Room) tellBudget(ctx context.Context, is Budget, x store.Budget, level string) error {
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		a.SetUp = true
		if _, err := a.Tx.SaveBudget(a, x); err != nil {
			return err
		}
		cur := a.Setup.Currency(x.DeskID)
		text := fmt.Sprintf("%s has spent or promised %s of its budget of %s%s.", english.UpperFirst(SayScope(a.Setup, x)), cur.Say(is.Use.Spent()), cur.Say(x.Amount), saySpan(is))
		if level == "over" {
			text = fmt.Sprintf("%s is %s over its budget of %s%s.", english.UpperFirst(SayScope(a.Setup, x)), cur.Say(-is.Left()), cur.Say(x.Amount), saySpan(is))
		}
		a.Happened = append(a.Happened, rule.Event{Kind: rule.Spent, Desk: x.DeskID, Say: SayScope(a.Setup, x), N: int(is.Use.Spent() * 100 / x.Amount), At: a.Now})
		for _, id := range a.Setup.Leads(x.DeskID) {
			if err := a.Notify(store.Item{PersonID: id, Kind: "fee", Text: text, Link: "/fees?on=" + is.From.String(), At: a.Now, Private: true}, level == "over"); err != nil {
				return err
			}
		}
		return nil
	})
}

// touched notes that what a desk spends may be another.
func touched(a *newsroom.Command, f store.Fee, was fee.State) {
	if was != f.State || f.State == fee.Agreed {
		newsroom.PartOf[watch](a.Newsroom).touch(f.DeskID)
	}
}
