package newsroom

import (
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// ruleKinds are the events of a piece's way that rules are about.
var ruleKinds = map[relay.Kind]rule.Kind{
	relay.Created: rule.Created, relay.Began: rule.Begins, relay.PassedOn: rule.Passed, relay.SentBack: rule.SentBack,
	relay.Placed: rule.DayMoved, relay.WentOut: rule.Published,
}

// EventsOf gives what a move means to rules.
func EventsOf(m relay.Move) []rule.Event {
	var out []rule.Event
	for _, e := range m.Events {
		if k, ok := ruleKinds[e.Kind]; ok {
			out = append(out, rule.Event{Kind: k, Leg: e.Leg, To: e.To, Why: e.Why})
		}
	}
	return out
}

// ChangesOf gives the fields of a piece that are another than they were.
func ChangesOf(was, is *relay.Piece) []rule.Event {
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

// ForRules reports whether house rules hear of an event of a piece's way.
func ForRules(k relay.Kind) bool { return ruleKinds[k] != "" }

// Happens lets house rules and programs elsewhere hear of something.
func (a *Command) Happens(e rule.Event) {
	a.Happened, a.Heard = append(a.Happened, e), append(a.Heard, e)
}

// LogEvents writes an entry on a piece into the logbook, together with what happened
// and how the piece is after it, and lets rules hear of it.
func (a *Command) LogEvents(p *relay.Piece, e store.Entry, events []rule.Event) error {
	values, err := a.values(p.ID)
	if err != nil {
		return err
	}
	state := rule.State{Piece: *p, Values: values}
	e.Events, e.State = rule.Lines(events), state.Record()
	a.DeskOf[p.ID] = p.DeskID
	for _, x := range events {
		x.Piece, x.At, x.By = p.ID, a.Now, a.Actor
		a.Happens(x)
	}
	return a.Log(e)
}

// values gives what is filled in on a piece.
func (a *Command) values(piece ref.Piece) (map[ref.Field]string, error) {
	if v, ok := a.Put.values[piece]; ok {
		return v, nil
	}
	return store.Values(a, a.Tx, piece)
}

// About gives what an event is about as rules see it now: its piece, or its request or budget in the
// shape of a piece that is not made yet.
func (a *Command) About(e rule.Event) (rule.State, error) {
	if e.Kind == rule.Spent {
		return rule.State{Piece: relay.Piece{DeskID: e.Desk, Title: e.Say}}, nil
	}
	if e.Request == 0 {
		return a.StateOf(e.Piece)
	}
	x, err := a.RequestByID(e.Request)
	return rule.State{Piece: relay.Piece{DeskID: x.DeskID, FormatID: x.Format, Title: x.Title}}, err
}

// StateOf gives a piece as rules see it now.
func (a *Command) StateOf(piece ref.Piece) (rule.State, error) {
	p, ok := a.Put.Pieces[piece]
	if !ok {
		row, err := store.Piece(a, a.Tx, piece)
		if err != nil {
			return rule.State{}, err
		}
		p = row.Piece
	}
	values, err := a.values(piece)
	return rule.State{Piece: p, Values: values}, err
}
