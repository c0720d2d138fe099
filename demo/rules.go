package demo

import (
	"context"
	"fmt"

	"greenbaton/core/day"
	telling "greenbaton/core/notification"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// houseRules are the rules in use at Millrace.
func (p *player) houseRules() []rule.Rule {
	format := func(name string) rule.Cond {
		return rule.Cond{Field: "format", Op: rule.Is, Values: []string{fmt.Sprint(p.kinds[name].ID)}}
	}
	is := func(field, value string) rule.Cond {
		return rule.Cond{Field: field, Op: rule.Is, Values: []string{value}}
	}
	somebody := rule.Cond{Field: "holder", Op: rule.IsNot, Values: []string{"0"}}
	tell := func(words string, to ...string) rule.Action { return rule.Action{Do: rule.Tell, To: to, Words: words} }
	return []rule.Rule{
		{When: rule.Begins, If: []rule.Cond{format("Feature"), is("leg", "Pictures"), is("holder", "0")},
			Then: []rule.Action{{Do: rule.Give, To: []string{rule.ToRoom}}, tell("{leg} had nobody and went to {holder}, who has most room.", rule.TellOwner)}},
		{When: rule.DueIn, N: 1, If: []rule.Cond{somebody}, Then: []rule.Action{tell("{leg} is due {due}.", rule.TellHolder)}},
		{When: rule.Overdue, N: 1, If: []rule.Cond{somebody}, Then: []rule.Action{tell("{leg} was due {due}. What does it wait for?", rule.TellHolder, rule.TellOwner)}},
		{When: rule.Overdue, N: 3, Then: []rule.Action{tell("{leg} is three working days over, with {holder}. The piece is {pace}.", rule.TellLeads)}},
		{When: rule.Quiet, N: 3, If: []rule.Cond{somebody}, Then: []rule.Action{tell("Nothing was recorded on {leg} for {days} working days. How far is it?", rule.TellHolder)}},
		{When: rule.Unanswered, N: 2, Then: []rule.Action{tell("A query has waited {days} working days: {why}", rule.TellAsked, rule.TellOwner)}},
		{When: rule.Begins, If: []rule.Cond{format("Recipe"), is("leg", "Release")}, Then: []rule.Action{{Do: rule.AddSteps, Words: "Weights read once more, aloud"}}},
		{When: rule.SentBack, If: []rule.Cond{{Field: "run", Op: rule.AtLeast, Values: []string{"3"}}}, Then: []rule.Action{tell("It came back to {leg} for the third time. Talk about it before the next round.", rule.TellHolder, rule.TellOwner)}},
	}
}

// partners plans that the houses that Millrace makes pieces with are noted as its partners.
func (p *player) partners() {
	maren := byInitials("MH")
	p.add(day.MomentOf(Start)-600, func(ctx context.Context) error {
		b, err := p.h.Setup(ctx)
		if err != nil {
			return err
		}
		d := b.Desks[0].ID
		if _, err := p.h.Review.SavePartner(ctx, maren, store.Partner{DeskID: d, Name: "Old Weir Co-op"}, []ref.Person{byInitials("BT")}, []ref.Channel{p.chans["old-weir"]}); err != nil {
			return err
		}
		var theirs []ref.Person
		for _, x := range b.People {
			if x.Guest && x.Name == "Nesta Pryce" {
				theirs = append(theirs, x.ID)
			}
		}
		_, err = p.h.Review.SavePartner(ctx, maren, store.Partner{DeskID: d, Name: "Tern Bakery School"}, theirs, []ref.Channel{p.chans["tern-school"]})
		return err
	})
}

// telling plans that Millrace has a chat, and that some of its people chose how they are told.
func (p *player) telling() {
	p.add(day.MomentOf(Start)-7*86400, func(ctx context.Context) error {
		kinds := string(relay.Missed) + "," + string(relay.WentOut)
		return p.h.Notify.SaveHook(ctx, byInitials("MH"), store.Hook{DeskID: p.b.Desks[0].ID, Name: "Newsroom", URL: "https://chat.millrace.example/newsroom", IsOn: true, Kinds: kinds})
	})
	for who, how := range map[string]telling.How{"DF": telling.Daily, "YL": telling.Chat} {
		p.add(day.MomentOf(Start)-6*86400, func(ctx context.Context) error {
			t, err := p.h.Notify.TellingOf(ctx, byInitials(who))
			if err != nil {
				return err
			}
			t.How = map[telling.Topic]telling.How{telling.Nudge: how}
			return p.h.Notify.SaveTelling(ctx, byInitials(who), t)
		})
	}
}

// rulesFor is for how many days before Start the rules have been in use.
const rulesFor = 80

// rules plans that the house rules come into use, and that each morning since then finds
// what is due by them.
func (p *player) rules() {
	first := day.MomentOf(Start).Date(p.zone) - rulesFor
	p.add(day.Wall(first, 9*60, p.zone), func(ctx context.Context) error {
		for _, r := range p.houseRules() {
			r.DeskID = p.b.Desks[0].ID
			id, err := p.h.Rules.SaveRule(ctx, byInitials("MH"), r)
			if err != nil {
				return err
			}
			if err := p.h.Rules.SwitchRule(ctx, byInitials("MH"), r.DeskID, id, true); err != nil {
				return err
			}
		}
		return nil
	})
	for d := first + 1; d < day.MomentOf(Start).Date(p.zone); d++ {
		if p.cal.Working(d) {
			p.add(day.Wall(d, 7*60, p.zone), p.h.WorkOut)
		}
	}
}
