package desk

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

func registerRules(h *House) {
	h.Hooks.Ends = append(h.Hooks.Ends, (*act).followRules)
	h.Hooks.Day = append(h.Hooks.Day, func(a *act, p relay.Piece) error { return a.timely(&p) })
}

// followRules lets the rules of each desk follow what happened in this act, in the same
// transaction.
func (a *act) followRules() error {
	for len(a.happened) > 0 {
		e := a.happened[0]
		a.happened = a.happened[1:]
		if err := a.follow(e, 0); err != nil {
			return err
		}
	}
	// What was changed may have brought a moment of time nearer.
	for _, id := range a.put.ids() {
		if p, ok := a.put.pieces[id]; ok && !a.timed[id] {
			a.timed[id] = true
			if err := a.timely(&p); err != nil {
				return err
			}
		}
	}
	return nil
}

// eventDesk gives the desk of the piece of an event.
func (a *act) eventDesk(e rule.Event) int64 {
	if p, ok := a.put.pieces[e.Piece]; ok {
		return p.DeskID
	}
	return a.deskOf[e.Piece]
}

// follow lets rules follow an event, or only one of them, and reports what was cut. What
// comes of it is for all rules.
func (a *act) follow(origin rule.Event, only int64) error {
	if !slices.ContainsFunc(a.b.followed[a.eventDesk(origin)], func(r rule.Rule) bool { return r.When == origin.Kind }) {
		return nil
	}
	rest := a.happened
	cuts, err := rule.Follow(origin, ruleWorld{a, origin.Kind, only})
	a.happened = rest
	if err != nil {
		return err
	}
	for _, c := range cuts {
		if err := a.reportCut(c); err != nil {
			return err
		}
	}
	return nil
}

// reportCut writes into the logbook that a chain of rules was stopped, and tells the leads.
func (a *act) reportCut(c rule.Cut) error {
	r := a.b.HouseRule(c.Rule)
	p, err := a.stateOf(c.Event.Piece)
	if err != nil {
		return err
	}
	what := "stopped house rules that go in a circle: " + c.Why
	by := a.by
	a.by = 0
	defer func() { a.by = by }()
	if err := a.log(store.Entry{DeskID: r.DeskID, PieceID: c.Event.Piece, Act: "cut", What: what, Why: r.Sentence, Version: p.Piece.Version}); err != nil {
		return err
	}
	for _, id := range a.b.Leads(r.DeskID) {
		n := note{to: id, kind: "rules", text: "House rules that bring each other about were stopped here: " + c.Why + ".", why: r.Sentence}
		if err := a.send(&p.Piece, n); err != nil {
			return err
		}
	}
	return nil
}

// ruleWorld is an act as the rules see it and act on it. Of events that come with time
// only the rule hears whose turn it is.
type ruleWorld struct {
	a    *act
	time rule.Kind
	only int64
}

// Rules gives the rules of the desk on which the piece of an event is.
func (w ruleWorld) Rules(e rule.Event) []rule.Rule {
	all := w.a.b.followed[w.a.eventDesk(e)]
	if w.only == 0 || e.Kind != w.time {
		return all
	}
	i := slices.IndexFunc(all, func(r rule.Rule) bool { return r.ID == w.only })
	return all[i : i+1]
}

// Look gives an event with its piece as it is now.
func (w ruleWorld) Look(e rule.Event) (*rule.Happening, error) {
	s, err := w.a.stateOf(e.Piece)
	if errors.Is(err, store.ErrNone) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	return w.a.b.happening(e, &s), nil
}

func (b *Books) happening(e rule.Event, s *rule.State) *rule.Happening {
	return &rule.Happening{Event: e, State: s, House: b.Houses[s.Piece.DeskID], Staff: func(id int64) relay.Access { return b.Person(id).Access }}
}

// Carry carries out what a rule does. What cannot be done now is noted and left.
func (w ruleWorld) Carry(r *rule.Rule, h *rule.Happening) ([]rule.Event, error) {
	a := w.a
	before := *a
	a.by, a.rule, a.happened = 0, r, nil
	defer func() { a.by, a.rule, a.did = before.by, before.rule, before.did }()
	run := store.RuleRun{RuleID: r.ID, At: a.now, PieceID: max(0, h.Piece), About: h.State.Piece.Title, Event: h.Event.Line()}
	var did []string
	for i := range r.Then {
		said, err := a.carry(r, &r.Then[i], h)
		var refusal *relay.Refusal
		switch {
		case errors.As(err, &refusal):
			run.Failed = true
			did = append(did, "could not "+r.SayAction(i, known{a.b, r.DeskID})+": "+refusal.Text)
		case errors.Is(err, ErrNotFound):
			run.Failed = true
			did = append(did, "could not "+r.SayAction(i, known{a.b, r.DeskID})+": it is no longer there.")
		case err != nil:
			return nil, fmt.Errorf("house rule %d: %w", r.ID, err)
		case said != "":
			did = append(did, said)
		}
	}
	run.Did = strings.Join(did, "\n")
	then := a.happened
	a.happened = before.happened
	return then, a.tx.AddRuleRun(a, run)
}
