package desk

import (
	"slices"
	"strconv"

	"greenbaton/core/day"
	"greenbaton/core/query"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// ruleKinds are the events of a piece's way that rules are about.
var ruleKinds = map[relay.Kind]rule.Kind{
	relay.Created: rule.Created, relay.Began: rule.Begins, relay.PassedOn: rule.Passed, relay.SentBack: rule.SentBack,
	relay.Placed: rule.DayMoved, relay.WentOut: rule.Published,
}

// eventsOf gives what a move means to rules.
func eventsOf(m relay.Move) []rule.Event {
	var out []rule.Event
	for _, e := range m.Events {
		if k, ok := ruleKinds[e.Kind]; ok {
			out = append(out, rule.Event{Kind: k, Leg: e.Leg, To: e.To, Why: e.Why})
		}
	}
	return out
}

// changesOf gives the fields of a piece that are another than they were.
func changesOf(was, is *relay.Piece) []rule.Event {
	var out []rule.Event
	for _, x := range []struct {
		field   string
		changed bool
	}{
		{"title", was.Title != is.Title}, {"owner", was.Owner != is.Owner}, {"priority", was.Priority != is.Priority},
		{"topic", was.TopicID != is.TopicID}, {"campaign", was.CampaignID != is.CampaignID}, {"tag", was.Tags != is.Tags},
	} {
		if x.changed {
			out = append(out, rule.Event{Kind: rule.Changed, Field: x.field})
		}
	}
	return out
}

// logEvents writes an entry on a piece into the logbook, together with what happened
// and how the piece is after it, and lets rules hear of it.
func (a *act) logEvents(p *relay.Piece, e store.Entry, events []rule.Event) error {
	values, err := a.values(p.ID)
	if err != nil {
		return err
	}
	state := rule.State{Piece: *p, Values: values}
	e.Events, e.State = rule.Lines(events), state.Record()
	a.deskOf[p.ID] = p.DeskID
	for _, x := range events {
		x.Piece, x.At, x.By = p.ID, a.now, a.by
		a.happened = append(a.happened, x)
	}
	return a.log(e)
}

// values gives what is filled in on a piece.
func (a *act) values(piece int64) (map[int64]string, error) {
	if v, ok := a.put.values[piece]; ok {
		return v, nil
	}
	return store.Values(a, a.tx, piece)
}

// stateOf gives a piece as rules see it now.
func (a *act) stateOf(piece int64) (rule.State, error) {
	if piece < 0 { // a request, by its number
		x, err := a.requestOfRule(piece)
		return rule.State{Piece: relay.Piece{ID: piece, DeskID: x.DeskID, FormatID: x.Format, Title: x.Title}}, err
	}
	p, ok := a.put.pieces[piece]
	if !ok {
		row, err := store.Piece(a, a.tx, piece)
		if err != nil {
			return rule.State{}, err
		}
		p = row.Piece
	}
	values, err := a.values(piece)
	return rule.State{Piece: p, Values: values}, err
}

// timely lets rules about time have their turn at a piece: each once for a run of a leg,
// or for a query, and only at what came after the rule was switched on. What came while
// the program was down is caught up with.
func (a *act) timely(p *relay.Piece) error {
	rules := a.b.followed[p.DeskID]
	if p.Stage != relay.UnderWay || !slices.ContainsFunc(rules, func(r rule.Rule) bool { return r.When.Timed() }) {
		return nil
	}
	house := a.b.Houses[p.DeskID]
	a.deskOf[p.ID] = p.DeskID
	for i := range rules {
		r := &rules[i]
		since := a.b.HouseRule(r.ID).Since
		if r.When == rule.Unanswered {
			if err := a.owed(p, r, since); err != nil {
				return err
			}
			continue
		}
		for k := range p.Legs {
			l := &p.Legs[k]
			at, ok := rule.HappensAt(r.When, r.N, l, house)
			if !ok || at > a.now || at <= since {
				continue
			}
			if err := a.takeTurn(r, p.ID, l.Key+" "+strconv.Itoa(l.Run), rule.Event{Kind: r.When, Leg: l.Key, To: l.Holder, N: r.N}); err != nil {
				return err
			}
		}
	}
	return nil
}

// owed lets a rule have its turn at queries that nobody has answered.
func (a *act) owed(p *relay.Piece, r *rule.Rule, since day.Moment) error {
	qs, err := store.QueriesOf(a, a.tx, p.ID)
	if err != nil {
		return err
	}
	qs = slices.DeleteFunc(qs, func(q query.Query) bool {
		at := rule.AnswerOwed(r.N, q.At, a.b.Houses[p.DeskID])
		return q.Settled() || at > a.now || at <= since
	})
	answers, err := answersTo(a, a.tx, qs)
	if err != nil {
		return err
	}
	for _, q := range qs {
		if q.Answered(answers[q.ID]) {
			continue
		}
		if err := a.takeTurn(r, p.ID, "query "+strconv.FormatInt(q.ID, 10), rule.Event{Kind: rule.Unanswered, To: q.ForID, N: r.N, Why: q.Text}); err != nil {
			return err
		}
	}
	return nil
}

// takeTurn lets a rule hear of something that came with time, once.
func (a *act) takeTurn(r *rule.Rule, piece int64, about string, e rule.Event) error {
	first, err := a.tx.TakeTurn(a, r.ID, piece, about, r.N, a.now)
	if err != nil || !first {
		return err
	}
	e.Piece, e.At = piece, a.now
	return a.follow(e, r.ID)
}
