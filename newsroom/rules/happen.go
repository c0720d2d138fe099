package rules

import (
	"slices"
	"strconv"

	"greenbaton/core/day"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// timely lets rules about time have their turn at a piece: each once for a run of a leg,
// or for a query, and only at what came after the rule was switched on. What came while
// the program was down is caught up with.
func timely(a *newsroom.Command, p *relay.Piece) error {
	rules := a.Setup.Followed[p.DeskID]
	if p.Stage != relay.UnderWay && !p.AfterOpen() || !slices.ContainsFunc(rules, func(r rule.Rule) bool { return r.When.Timed() }) {
		return nil
	}
	house := a.Setup.Planned[p.DeskID]
	a.DeskOf[p.ID] = p.DeskID
	for i := range rules {
		r := &rules[i]
		since := a.Setup.HouseRule(r.ID).Since
		if r.When == rule.Unanswered {
			if err := owed(a, p, r, since); err != nil {
				return err
			}
			continue
		}
		for l := range p.Every() {
			at, ok := rule.HappensAt(r.When, r.N, l, house)
			if !ok || at > a.Now || at <= since {
				continue
			}
			if err := takeTurn(a, r, p.ID, l.Key+" "+strconv.Itoa(l.Run), rule.Event{Kind: r.When, Leg: l.Key, To: l.Holder, N: r.N}); err != nil {
				return err
			}
		}
	}
	return nil
}

// owed lets a rule have its turn at queries that nobody has answered.
func owed(a *newsroom.Command, p *relay.Piece, r *rule.Rule, since day.Moment) error {
	qs, err := store.QueriesOf(a, a.Tx, p.ID)
	if err != nil {
		return err
	}
	qs = slices.DeleteFunc(qs, func(q query.Query) bool {
		at := rule.AnswerOwed(r.N, q.At, a.Setup.Planned[p.DeskID])
		return q.Settled() || at > a.Now || at <= since
	})
	answers, err := copyroom.AnswersTo(a, a.Tx, qs)
	if err != nil {
		return err
	}
	for _, q := range qs {
		if q.Answered(answers[q.ID]) {
			continue
		}
		if err := takeTurn(a, r, p.ID, "query "+strconv.FormatInt(int64(q.ID), 10), rule.Event{Kind: rule.Unanswered, To: q.ForID, N: r.N, Why: q.Text}); err != nil {
			return err
		}
	}
	return nil
}

// takeTurn lets a rule hear of something that came with time, once.
func takeTurn(a *newsroom.Command, r *rule.Rule, piece ref.Piece, about string, e rule.Event) error {
	first, err := a.Tx.TakeTurn(a, r.ID, piece, about, r.N, a.Now)
	if err != nil || !first {
		return err
	}
	e.Piece, e.At = piece, a.Now
	return follow(a, e, r.ID)
}
