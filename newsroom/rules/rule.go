package rules

import (
	"context"
	"slices"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// HouseRules gives the rules of a desk in their order.
func HouseRules(b *newsroom.Setup, desk ref.Desk) []newsroom.HouseRule { return b.HouseRules[desk] }

// Known tells what the rules of a desk may speak of.
func Known(b *newsroom.Setup, desk ref.Desk) rule.Known { return newsroom.Known{B: b, Desk: desk} }

// SaveRule stores a rule of a desk, a new one where it has no id. What is half filled
// in is stored as well; it does not run.
func (h Room) SaveRule(ctx context.Context, by ref.Person, r rule.Rule) (ref.Rule, error) {
	id := r.ID
	err := h.SetUpAct(ctx, by, r.DeskID, func(a *newsroom.Command) (err error) {
		if len(r.If) > rule.MaxConds || len(r.Then) > rule.MaxActions {
			return newsroom.Invalid("rule", "A rule has at most %d conditions and does at most %d things. Make two of it.", rule.MaxConds, rule.MaxActions)
		}
		was, what := a.Setup.HouseRule(r.ID), "made a house rule"
		row := store.Rule{DeskID: r.DeskID, Position: len(HouseRules(a.Setup, r.DeskID)) + 1, Data: r.Data()}
		if r.ID != 0 {
			if was.DeskID != r.DeskID {
				return newsroom.ErrNotFound
			}
			row.ID, row.Position, row.IsOn, row.Since, what = r.ID, was.Position, was.On, was.Since, "changed a house rule"
			if was.Data() == row.Data {
				return nil
			}
			if was.On && was.Rule.When != r.When || was.N != r.N {
				row.Since = a.Now // it begins anew with what comes with time
			}
		}
		if id, err = saveRule(a, row); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: r.DeskID, Act: "set up", What: what, Before: was.Sentence, After: a.Setup.ReadRule(r).Sentence})
	})
	return id, err
}

// UsualRules gives a new desk the usual rules, switched off.
func UsualRules(a *newsroom.Command, desk ref.Desk) error {
	for i, r := range rule.Usual() {
		if _, err := saveRule(a, store.Rule{DeskID: desk, Position: i + 1, Data: r.Data()}); err != nil {
			return err
		}
	}
	return nil
}

func saveRule(a *newsroom.Command, r store.Rule) (ref.Rule, error) {
	id, err := a.Tx.SaveRule(a, r)
	if r.ID != 0 {
		id = r.ID
	}
	return id, err
}

// onRule carries out a command of a lead on a rule.
func (h Room) onRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule, f func(*newsroom.Command, newsroom.HouseRule) (what string, err error)) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		r := a.Setup.HouseRule(id)
		if r.ID == 0 || r.DeskID != desk {
			return newsroom.ErrNotFound
		}
		what, err := f(a, r)
		if err != nil || what == "" {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: what, Why: r.Sentence})
	})
}

func row(r *newsroom.HouseRule) store.Rule {
	return store.Rule{ID: r.ID, DeskID: r.DeskID, Position: r.Position, IsOn: r.On, Since: r.Since, Data: r.Data()}
}

// SwitchRule switches a rule on or off. One in which something is missing stays off.
func (h Room) SwitchRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule, on bool) error {
	return h.onRule(ctx, by, desk, id, func(a *newsroom.Command, r newsroom.HouseRule) (string, error) {
		if on && len(r.Gaps) > 0 {
			return "", newsroom.Invalid("on", "It cannot run yet: %s.", r.Gaps[0].Text)
		}
		if r.On == on {
			return "", nil
		}
		row := row(&r)
		if row.IsOn = on; on {
			row.Since = a.Now
		}
		_, err := saveRule(a, row)
		return map[bool]string{true: "switched a house rule on", false: "switched a house rule off"}[on], err
	})
}

// CopyRule makes a copy of a rule, switched off, behind it.
func (h Room) CopyRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule) error {
	return h.onRule(ctx, by, desk, id, func(a *newsroom.Command, r newsroom.HouseRule) (string, error) {
		if err := renumber(a, desk, func(all []newsroom.HouseRule) []newsroom.HouseRule {
			i := slices.IndexFunc(all, func(x newsroom.HouseRule) bool { return x.ID == id })
			return slices.Insert(all, i+1, newsroom.HouseRule{})
		}); err != nil {
			return "", err
		}
		_, err := saveRule(a, store.Rule{DeskID: desk, Position: r.Position + 1, Data: r.Data()})
		return "copied a house rule", err
	})
}

// MoveRule puts a rule one place up or down in the order in which they are followed.
func (h Room) MoveRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule, up bool) error {
	return h.onRule(ctx, by, desk, id, func(a *newsroom.Command, r newsroom.HouseRule) (string, error) {
		return "put house rules into another order", renumber(a, desk, func(all []newsroom.HouseRule) []newsroom.HouseRule {
			i := slices.IndexFunc(all, func(x newsroom.HouseRule) bool { return x.ID == id })
			if k := i + map[bool]int{true: -1, false: 1}[up]; k >= 0 && k < len(all) {
				all[i], all[k] = all[k], all[i]
			}
			return all
		})
	})
}

// renumber stores the rules of a desk in another order.
func renumber(a *newsroom.Command, desk ref.Desk, order func([]newsroom.HouseRule) []newsroom.HouseRule) error {
	for i, x := range order(slices.Clone(HouseRules(a.Setup, desk))) {
		if x.ID == 0 || x.Position == i+1 {
			continue
		}
		row := row(&x)
		row.Position = i + 1
		if _, err := saveRule(a, row); err != nil {
			return err
		}
	}
	return nil
}

// DropRule takes a rule away. What it did stays in the logbook.
func (h Room) DropRule(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Rule) error {
	return h.onRule(ctx, by, desk, id, func(a *newsroom.Command, r newsroom.HouseRule) (string, error) {
		row := row(&r)
		row.IsOn, row.Retired = false, true
		_, err := saveRule(a, row)
		return "took a house rule away", err
	})
}

// RuleSheet is the rules of a desk with what they did lately.
type RuleSheet struct {
	Rules  []newsroom.HouseRule
	Counts map[ref.Rule]store.RuleCount // of the last thirty days, by rule
}

// ruleCountDays is over how many days it is counted what rules did.
const ruleCountDays = 30

// Rules gives the rules of a desk, for its staff and leads.
func (h Room) Rules(ctx context.Context, who ref.Person, desk ref.Desk) (RuleSheet, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return RuleSheet{}, err
	}
	if !relay.MayHouse(relay.SeeAll, b.Who(who, desk)) {
		return RuleSheet{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "The house rules are for leads and staff of the desk."}
	}
	counts, err := store.RuleCounts(ctx, h.DB.View(), desk, h.Now()-ruleCountDays*86400)
	return RuleSheet{HouseRules(b, desk), counts}, err
}

// RuleHistory gives what a rule did, the newest first, below an id (0: the newest of all).
func (h Room) RuleHistory(ctx context.Context, who ref.Person, desk ref.Desk, id ref.Rule, below int64, limit int) (newsroom.HouseRule, []store.RuleRun, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return newsroom.HouseRule{}, nil, err
	}
	if _, err := h.Rules(ctx, who, desk); err != nil {
		return newsroom.HouseRule{}, nil, err
	}
	r := b.HouseRule(id)
	if r.ID == 0 || r.DeskID != desk {
		return r, nil, newsroom.ErrNotFound
	}
	runs, err := store.RuleRuns(ctx, h.DB.View(), id, below, limit)
	return r, runs, err
}
