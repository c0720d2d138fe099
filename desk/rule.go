package desk

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// HouseRule is a rule of a desk, with its sentence and what is missing in it.
type HouseRule struct {
	rule.Rule
	Sentence string
	Gaps     []rule.Gap
	Since    day.Moment // when it was switched on
}

// Runs reports whether the rule is followed: it is switched on and nothing is missing.
func (r *HouseRule) Runs() bool { return r.On && len(r.Gaps) == 0 }

// addRules reads the rules of all desks, after everything they speak of.
func (b *Books) addRules() error {
	b.houseRules, b.followed = map[int64][]HouseRule{}, map[int64][]rule.Rule{}
	for _, x := range b.Reference.Rules {
		r, err := rule.Read(x.Data)
		if err != nil {
			return err
		}
		r.ID, r.DeskID, r.Position, r.On = x.ID, x.DeskID, x.Position, x.IsOn
		h := b.houseRule(r)
		h.Since = x.Since
		b.houseRules[x.DeskID] = append(b.houseRules[x.DeskID], h)
		if h.Runs() {
			b.followed[x.DeskID] = append(b.followed[x.DeskID], h.Rule)
		}
	}
	return nil
}

func (b *Books) houseRule(r rule.Rule) HouseRule {
	k := known{b, r.DeskID}
	return HouseRule{Rule: r, Sentence: r.Say(k), Gaps: r.Gaps(k)}
}

// ReadAs gives a rule with its sentence and what is missing in it, as it would be stored.
func (b *Books) ReadAs(r rule.Rule) HouseRule { return b.houseRule(r) }

// HouseRules gives the rules of a desk in their order.
func (b *Books) HouseRules(desk int64) []HouseRule { return b.houseRules[desk] }

// HouseRule gives a rule by its id; without one if there is none.
func (b *Books) HouseRule(id int64) HouseRule {
	for _, all := range b.houseRules {
		for _, r := range all {
			if r.ID == id {
				return r
			}
		}
	}
	return HouseRule{}
}

// known tells rules what there is on a desk.
type known struct {
	b    *Books
	desk int64
}

// Name gives what something is called, and whether it is still there.
func (k known) Name(kind, key string) (string, bool) {
	if kind == "leg" || kind == "role" {
		all := k.b.LegNames(k.desk)
		if kind == "role" {
			all = k.b.RolesOf(k.desk)
		}
		return key, slices.ContainsFunc(all, func(s string) bool { return strings.EqualFold(s, key) })
	}
	id, err := strconv.ParseInt(key, 10, 64)
	if err != nil {
		return "", false
	}
	switch kind {
	case "person":
		p := k.b.Person(id)
		twice := slices.ContainsFunc(k.b.People, func(x store.Person) bool { return x.ID != id && x.Name == p.Name })
		return apart(k.b.Name(id), twice, ", "+p.Mail), k.b.available(id, k.desk)
	case "format":
		f := k.b.Format(id)
		twice := slices.ContainsFunc(k.b.Formats, func(x store.Format) bool { return x.ID != id && strings.EqualFold(x.Name, f.Name) })
		return apart(f.Name, twice && f.DeskID != k.desk, " of "+k.b.Desk(f.DeskID).Name), f.ID != 0 && !f.Retired
	case "channel":
		c := k.b.Channel(id)
		return c.Name, c.DeskID == k.desk && !c.Retired
	case "topic":
		t := k.b.Topic(id)
		return t.Name, t.DeskID == k.desk && !t.Retired
	case "campaign":
		c := k.b.Campaign(id)
		return c.Name, c.DeskID == k.desk && !c.Retired
	case "field":
		f := k.b.Field(id)
		of := k.b.Format(f.FormatID)
		twice := slices.ContainsFunc(k.b.Fields, func(x store.Field) bool {
			return x.ID != id && strings.EqualFold(x.Name, f.Name) && k.b.Format(x.FormatID).DeskID == k.desk
		})
		return apart(f.Name, twice, " of "+of.Name), of.DeskID == k.desk && !f.Retired
	}
	return "", false
}

// apart is a name, with what tells it from others where several have it.
func apart(name string, twice bool, by string) string {
	if twice {
		return name + by
	}
	return name
}

// Known tells what the rules of a desk may speak of.
func (b *Books) Known(desk int64) rule.Known { return known{b, desk} }

// SaveRule stores a rule of a desk, a new one where it has no id. What is half filled
// in is stored as well; it does not run.
func (h *House) SaveRule(ctx context.Context, by int64, r rule.Rule) (int64, error) {
	id := r.ID
	err := h.setUpAct(ctx, by, r.DeskID, func(a *act) (err error) {
		if len(r.If) > rule.MaxConds || len(r.Then) > rule.MaxActions {
			return bad("rule", "A rule has at most %d conditions and does at most %d things. Make two of it.", rule.MaxConds, rule.MaxActions)
		}
		was, what := a.b.HouseRule(r.ID), "made a house rule"
		row := store.Rule{DeskID: r.DeskID, Position: len(a.b.HouseRules(r.DeskID)) + 1, Data: r.Data()}
		if r.ID != 0 {
			if was.DeskID != r.DeskID {
				return ErrNotFound
			}
			row.ID, row.Position, row.IsOn, row.Since, what = r.ID, was.Position, was.On, was.Since, "changed a house rule"
			if was.Data() == row.Data {
				return nil
			}
			if was.On && was.Rule.When != r.When || was.N != r.N {
				row.Since = a.now // it begins anew with what comes with time
			}
		}
		if id, err = a.saveRule(row); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: r.DeskID, Act: "set up", What: what, Before: was.Sentence, After: a.b.houseRule(r).Sentence})
	})
	return id, err
}

// usualRules gives a new desk the usual rules, switched off.
func (a *act) usualRules(desk int64) error {
	for i, r := range rule.Usual() {
		if _, err := a.saveRule(store.Rule{DeskID: desk, Position: i + 1, Data: r.Data()}); err != nil {
			return err
		}
	}
	return nil
}

func (a *act) saveRule(r store.Rule) (int64, error) {
	id, err := a.tx.SaveRule(a, r)
	if r.ID != 0 {
		id = r.ID
	}
	return id, err
}

// onRule carries out an act of a lead on a rule.
func (h *House) onRule(ctx context.Context, by, desk, id int64, f func(*act, HouseRule) (what string, err error)) error {
	return h.setUpAct(ctx, by, desk, func(a *act) error {
		r := a.b.HouseRule(id)
		if r.ID == 0 || r.DeskID != desk {
			return ErrNotFound
		}
		what, err := f(a, r)
		if err != nil || what == "" {
			return err
		}
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: what, Why: r.Sentence})
	})
}

func (r *HouseRule) row() store.Rule {
	return store.Rule{ID: r.ID, DeskID: r.DeskID, Position: r.Position, IsOn: r.On, Since: r.Since, Data: r.Data()}
}

// SwitchRule switches a rule on or off. One in which something is missing stays off.
func (h *House) SwitchRule(ctx context.Context, by, desk, id int64, on bool) error {
	return h.onRule(ctx, by, desk, id, func(a *act, r HouseRule) (string, error) {
		if on && len(r.Gaps) > 0 {
			return "", bad("on", "It cannot run yet: %s.", r.Gaps[0].Text)
		}
		if r.On == on {
			return "", nil
		}
		row := r.row()
		if row.IsOn = on; on {
			row.Since = a.now
		}
		_, err := a.saveRule(row)
		return map[bool]string{true: "switched a house rule on", false: "switched a house rule off"}[on], err
	})
}

// CopyRule makes a copy of a rule, switched off, behind it.
func (h *House) CopyRule(ctx context.Context, by, desk, id int64) error {
	return h.onRule(ctx, by, desk, id, func(a *act, r HouseRule) (string, error) {
		if err := a.renumber(desk, func(all []HouseRule) []HouseRule {
			i := slices.IndexFunc(all, func(x HouseRule) bool { return x.ID == id })
			return slices.Insert(all, i+1, HouseRule{})
		}); err != nil {
			return "", err
		}
		_, err := a.saveRule(store.Rule{DeskID: desk, Position: r.Position + 1, Data: r.Data()})
		return "copied a house rule", err
	})
}

// MoveRule puts a rule one place up or down in the order in which they are followed.
func (h *House) MoveRule(ctx context.Context, by, desk, id int64, up bool) error {
	return h.onRule(ctx, by, desk, id, func(a *act, r HouseRule) (string, error) {
		return "put house rules into another order", a.renumber(desk, func(all []HouseRule) []HouseRule {
			i := slices.IndexFunc(all, func(x HouseRule) bool { return x.ID == id })
			if k := i + map[bool]int{true: -1, false: 1}[up]; k >= 0 && k < len(all) {
				all[i], all[k] = all[k], all[i]
			}
			return all
		})
	})
}

// renumber stores the rules of a desk in another order.
func (a *act) renumber(desk int64, order func([]HouseRule) []HouseRule) error {
	for i, x := range order(slices.Clone(a.b.HouseRules(desk))) {
		if x.ID == 0 || x.Position == i+1 {
			continue
		}
		row := x.row()
		row.Position = i + 1
		if _, err := a.saveRule(row); err != nil {
			return err
		}
	}
	return nil
}

// DropRule takes a rule away. What it did stays in the logbook.
func (h *House) DropRule(ctx context.Context, by, desk, id int64) error {
	return h.onRule(ctx, by, desk, id, func(a *act, r HouseRule) (string, error) {
		row := r.row()
		row.IsOn, row.Retired = false, true
		_, err := a.saveRule(row)
		return "took a house rule away", err
	})
}

// RuleSheet is the rules of a desk with what they did lately.
type RuleSheet struct {
	Rules  []HouseRule
	Counts map[int64]store.RuleCount // of the last thirty days, by rule
}

// ruleCountDays is over how many days it is counted what rules did.
const ruleCountDays = 30

// Rules gives the rules of a desk, for its staff and leads.
func (h *House) Rules(ctx context.Context, who, desk int64) (RuleSheet, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return RuleSheet{}, err
	}
	if !relay.MayHouse(relay.SeeAll, b.Who(who, desk)) {
		return RuleSheet{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "The house rules are for leads and staff of the desk."}
	}
	counts, err := store.RuleCounts(ctx, h.DB.View(), desk, h.Now()-ruleCountDays*86400)
	return RuleSheet{b.HouseRules(desk), counts}, err
}

// RuleHistory gives what a rule did, the newest first, below an id (0: the newest of all).
func (h *House) RuleHistory(ctx context.Context, who, desk, id, below int64, limit int) (HouseRule, []store.RuleRun, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return HouseRule{}, nil, err
	}
	if _, err := h.Rules(ctx, who, desk); err != nil {
		return HouseRule{}, nil, err
	}
	r := b.HouseRule(id)
	if r.ID == 0 || r.DeskID != desk {
		return r, nil, ErrNotFound
	}
	runs, err := store.RuleRuns(ctx, h.DB.View(), id, below, limit)
	return r, runs, err
}
