package rules

import (
	"context"
	"fmt"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// TrialDays are the spans over which a rule is tried.
var TrialDays = []int{7, 30, 90}

// Trial is what a rule would have done.
type Trial struct {
	Rule  newsroom.HouseRule
	Days  int
	From  day.Moment
	To    day.Moment
	Would []rule.Would
	Read  int // entries of the logbook
}

// TryRule says what a rule would have done over the last days of the logbook, for leads
// of its desk. It is tried as it is given, stored or not. Progress hears how many entries
// are read, and of how many; it may be nil.
func (h Room) TryRule(ctx context.Context, by ref.Person, r rule.Rule, days int, progress func(read, of int)) (Trial, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Trial{}, err
	}
	if err := b.MayLead(by, r.DeskID); err != nil {
		return Trial{}, err
	}
	to := h.Now()
	return h.tryRule(ctx, b, r, to-day.Moment(days)*86400, to, days, progress)
}

func (h Room) tryRule(ctx context.Context, b *newsroom.Setup, r rule.Rule, from, to day.Moment, days int, progress func(read, of int)) (Trial, error) {
	out := Trial{Rule: b.ReadRule(r), Days: days, From: from, To: to}
	if len(out.Rule.Gaps) > 0 {
		return out, newsroom.Invalid("rule", "It cannot be tried yet: %s.", out.Rule.Gaps[0].Text)
	}
	if r.When == rule.Requested {
		return out, newsroom.Invalid("rule", "Requests are not kept in a form in which rules can be tried on them. Switch it on and look at its history.")
	}
	if r.When == rule.Accepted || r.When == rule.Spent {
		return out, newsroom.Invalid("rule", "The logbook has no amounts, so rules about money cannot be tried on it. Switch it on and look at its history.")
	}
	t := rule.NewTrial(r, past(b, r.DeskID, from, to))
	view := h.DB.View()
	before, err := store.TracesBefore(ctx, view, r.DeskID, from)
	if err != nil {
		return out, err
	}
	if r.When.Timed() {
		if err := h.unlogged(ctx, t, r.DeskID, before); err != nil {
			return out, err
		}
	}
	of, err := store.CountTraces(ctx, view, r.DeskID, from, to)
	if err != nil {
		return out, err
	}
	of += len(before)
	add := func(es []store.Traced) error {
		for _, e := range es {
			if err := t.Add(rule.Entry{At: e.At, Piece: e.PieceID, By: e.Actor, Events: e.Events, State: e.State}); err != nil {
				return fmt.Errorf("entry %d: %w", e.Seq, err)
			}
		}
		if out.Read += len(es); progress != nil {
			progress(out.Read, of)
		}
		return nil
	}
	if r.When.Timed() { // other rules need nothing of what was before
		if err := add(before); err != nil {
			return out, err
		}
	}
	var last int64
	for {
		part, err := store.TracesBetween(ctx, view, r.DeskID, last, from, to, 5_000)
		if err != nil || len(part) == 0 {
			out.Would = t.End()
			return out, err
		}
		if err := add(part); err != nil {
			return out, err
		}
		last = part[len(part)-1].Seq
	}
}

// past is what rules of a desk are tried on.
func past(b *newsroom.Setup, desk ref.Desk, from, to day.Moment) rule.Past {
	return rule.Past{
		From: from, To: to, Desk: b.Planned[desk],
		Way: func(id ref.Route) *route.Route {
			if r, ok := b.Routes[id]; ok {
				return &r.Way
			}
			return nil
		},
		Staff: func(id ref.Person) relay.Access { return b.Person(id).Access },
		Usual: func(route ref.Route, leg string) ref.Person {
			r, ok := b.Routes[route]
			if !ok {
				return 0
			}
			if l := r.Way.Leg(leg); l != nil && l.Usual > 0 {
				return l.Usual
			}
			return -1
		},
	}
}

// unlogged adds to a trial what was recorded on pieces without an entry, and which
// queries waited for an answer.
func (h Room) unlogged(ctx context.Context, t *rule.Trial, desk ref.Desk, before []store.Traced) error {
	view, from := h.DB.View(), t.Past.From
	for _, e := range before {
		from = min(from, e.At)
	}
	if t.Rule.When == rule.Quiet {
		all, err := store.TouchesBetween(ctx, view, desk, from, t.Past.To)
		if err != nil {
			return err
		}
		for _, x := range all {
			t.Touches[x.PieceID] = append(t.Touches[x.PieceID], rule.Touch{At: x.At, Piece: x.PieceID, By: x.By})
		}
	}
	if t.Rule.When != rule.Unanswered {
		return nil
	}
	qs, err := store.QueriesOfDesk(ctx, view, desk, from, t.Past.To)
	if err != nil {
		return err
	}
	answers, err := copyroom.AnswersTo(ctx, h.DB.View(), qs)
	if err != nil {
		return err
	}
	for _, q := range qs {
		t.Waits[q.PieceID] = append(t.Waits[q.PieceID], rule.Wait{Piece: q.PieceID, For: q.ForID, From: q.At, To: answeredAt(q, answers[q.ID])})
	}
	return nil
}

// answeredAt gives when a query no longer waited for an answer; 0 if it does.
func answeredAt(q query.Query, answers []query.Answer) day.Moment {
	for _, x := range answers {
		if x.By != q.By && (q.SettledAt == 0 || x.At < q.SettledAt) {
			return x.At
		}
	}
	return q.SettledAt
}

// SayWould says what a rule would have done at an event: its actions, a line each.
func SayWould(b *newsroom.Setup, r *newsroom.HouseRule) []string {
	out := make([]string, len(r.Then))
	for i := range r.Then {
		out[i] = english.UpperFirst(r.SayAction(i, newsroom.Known{B: b, Desk: r.DeskID}))
	}
	return out
}
