package newsroom

import (
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/rule"
	"greenbaton/store"
	"slices"
	"strconv"
	"strings"
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
func (b *Setup) addRules() error {
	b.HouseRules, b.Followed = map[ref.Desk][]HouseRule{}, map[ref.Desk][]rule.Rule{}
	for _, x := range b.Reference.Rules {
		r, err := rule.Read(x.Data)
		if err != nil {
			return err
		}
		r.ID, r.DeskID, r.Position, r.On = x.ID, x.DeskID, x.Position, x.IsOn
		h := b.ReadRule(r)
		h.Since = x.Since
		b.HouseRules[x.DeskID] = append(b.HouseRules[x.DeskID], h)
		if h.Runs() {
			b.Followed[x.DeskID] = append(b.Followed[x.DeskID], h.Rule)
		}
	}
	return nil
}

// ReadRule gives a rule with its sentence and what is missing in it, as it would be stored.
func (b *Setup) ReadRule(r rule.Rule) HouseRule {
	k := Known{b, r.DeskID}
	return HouseRule{Rule: r, Sentence: r.Say(k), Gaps: r.Gaps(k)}
}

// HouseRule gives a rule by its id; without one if there is none.
func (b *Setup) HouseRule(id ref.Rule) HouseRule {
	for _, all := range b.HouseRules {
		for _, r := range all {
			if r.ID == id {
				return r
			}
		}
	}
	return HouseRule{}
}

// Known tells rules what there is on a desk.
type Known struct {
	B    *Setup
	Desk ref.Desk
}

// Name gives what something is called, and whether it is still there.
func (k Known) Name(kind, key string) (string, bool) {
	if kind == "leg" || kind == "role" {
		all := k.B.LegNames(k.Desk)
		if kind == "role" {
			all = k.B.RolesOf(k.Desk)
		}
		return key, slices.ContainsFunc(all, func(s string) bool { return strings.EqualFold(s, key) })
	}
	id, err := strconv.ParseInt(key, 10, 64)
	if err != nil {
		return "", false
	}
	switch kind {
	case "person":
		p := k.B.Person(ref.Person(id))
		twice := slices.ContainsFunc(k.B.People, func(x store.Person) bool { return x.ID != p.ID && x.Name == p.Name })
		return apart(k.B.Name(p.ID), twice, ", "+p.Mail), k.B.Available(ref.Person(id), k.Desk)
	case "format":
		f := k.B.Format(ref.Format(id))
		twice := slices.ContainsFunc(k.B.Formats, func(x store.Format) bool { return x.ID != f.ID && strings.EqualFold(x.Name, f.Name) })
		return apart(f.Name, twice && f.DeskID != k.Desk, " of "+k.B.Desk(f.DeskID).Name), f.ID != 0 && !f.Retired
	case "channel":
		c := k.B.Channel(ref.Channel(id))
		return c.Name, c.DeskID == k.Desk && !c.Retired
	case "topic":
		t := k.B.Topic(ref.Topic(id))
		return t.Name, t.DeskID == k.Desk && !t.Retired
	case "campaign":
		c := k.B.Campaign(ref.Campaign(id))
		return c.Name, c.DeskID == k.Desk && !c.Retired
	case "field":
		f := k.B.Field(ref.Field(id))
		of := k.B.Format(f.FormatID)
		twice := slices.ContainsFunc(k.B.Fields, func(x store.Field) bool {
			return x.ID != f.ID && strings.EqualFold(x.Name, f.Name) && k.B.Format(x.FormatID).DeskID == k.Desk
		})
		return apart(f.Name, twice, " of "+of.Name), of.DeskID == k.Desk && !f.Retired
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
