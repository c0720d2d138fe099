package rules

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Register registers what follows here from what others do.
func Register(h *newsroom.Newsroom) {
	h.Hooks.Ends = append(h.Hooks.Ends, followRules)
	h.Hooks.Day = append(h.Hooks.Day, func(a *newsroom.Command, p relay.Piece) error { return timely(a, &p) })
	h.Hooks.Keeps = append(h.Hooks.Keeps, newsroom.Keep{Key: "traces", Name: "Notes of what house rules did", Says: "What they did itself stands in the logbook, which stays.", Days: 365, Least: 30, Drop: (*store.Tx).DropRuleRuns})
}

// followRules lets the rules of each desk follow what happened in this command, in the same
// transaction.
func followRules(a *newsroom.Command) error {
	for len(a.Happened) > 0 {
		e := a.Happened[0]
		a.Happened = a.Happened[1:]
		if err := follow(a, e, 0); err != nil {
			return err
		}
	}
	// What was changed may have brought a moment of time nearer.
	for _, id := range a.Put.Ids() {
		if p, ok := a.Put.Pieces[id]; ok && !a.Timed[id] {
			a.Timed[id] = true
			if err := timely(a, &p); err != nil {
				return err
			}
		}
	}
	return nil
}

// eventDesk gives the desk of the piece or request of an event.
func eventDesk(a *newsroom.Command, e rule.Event) ref.Desk {
	if p, ok := a.Put.Pieces[e.Piece]; ok {
		return p.DeskID
	}
	return cmp.Or(e.Desk, a.DeskOf[e.Piece])
}

// follow lets rules follow an event, or only one of them, and reports what was cut. What
// comes of it is for all rules.
func follow(a *newsroom.Command, origin rule.Event, only ref.Rule) error {
	if !slices.ContainsFunc(a.Setup.Followed[eventDesk(a, origin)], func(r rule.Rule) bool { return r.When == origin.Kind }) {
		return nil
	}
	rest := a.Happened
	cuts, err := rule.Follow(origin, ruleWorld{a, origin.Kind, only})
	a.Happened = rest
	if err != nil {
		return err
	}
	for _, c := range cuts {
		if err := reportCut(a, c); err != nil {
			return err
		}
	}
	return nil
}

// reportCut writes into the logbook that a chain of rules was stopped, and tells the leads.
func reportCut(a *newsroom.Command, c rule.Cut) error {
	r := a.Setup.HouseRule(c.Rule)
	p, err := a.About(c.Event)
	if err != nil {
		return err
	}
	what := "stopped house rules that go in a circle: " + c.Why
	by := a.Actor
	a.Actor = 0
	defer func() { a.Actor = by }()
	if err := a.Log(store.Entry{DeskID: r.DeskID, PieceID: c.Event.Piece, Act: "cut", What: what, Why: r.Sentence, Version: p.Piece.Version}); err != nil {
		return err
	}
	for _, id := range a.Setup.Leads(r.DeskID) {
		n := newsroom.Note{To: id, Kind: "rules", Text: "House rules that bring each other about were stopped here: " + c.Why + ".", Why: r.Sentence}
		if c.Event.Request != 0 {
			n.Link = fmt.Sprintf("/requests/%d", c.Event.Request)
		}
		if err := a.Send(&p.Piece, n); err != nil {
			return err
		}
	}
	return nil
}

// ruleWorld is a command as the rules see it and act on it. Of events that come with time
// only the rule hears whose turn it is.
type ruleWorld struct {
	a    *newsroom.Command
	time rule.Kind
	only ref.Rule
}

// Rules gives the rules of the desk on which the piece of an event is.
func (w ruleWorld) Rules(e rule.Event) []rule.Rule {
	all := w.a.Setup.Followed[eventDesk(w.a, e)]
	if w.only == 0 || e.Kind != w.time {
		return all
	}
	i := slices.IndexFunc(all, func(r rule.Rule) bool { return r.ID == w.only })
	return all[i : i+1]
}

// Look gives an event with its piece as it is now.
func (w ruleWorld) Look(e rule.Event) (*rule.Happening, error) {
	s, err := w.a.About(e)
	if errors.Is(err, store.ErrNone) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	return happening(w.a.Setup, e, &s), nil
}

func happening(b *newsroom.Setup, e rule.Event, s *rule.State) *rule.Happening {
	return &rule.Happening{Event: e, State: s, Desk: b.Planned[s.Piece.DeskID], Staff: func(id ref.Person) relay.Access { return b.Person(id).Access }}
}

// Carry carries out what a rule does. What cannot be done now is noted and left.
func (w ruleWorld) Carry(r *rule.Rule, h *rule.Happening) ([]rule.Event, error) {
	a := w.a
	before := *a
	a.Actor, a.Rule, a.Happened = 0, r, nil
	defer func() { a.Actor, a.Rule, a.Did = before.Actor, before.Rule, before.Did }()
	event := h.Event
	if event.Kind == rule.Accepted { // more people read what rules did than may see money
		event.Say, event.N = "", 0
	}
	run := store.RuleRun{RuleID: r.ID, At: a.Now, PieceID: h.Piece, About: h.State.Piece.Title, Event: event.Line()}
	var did []string
	for i := range r.Then {
		said, err := applyAction(a, r, &r.Then[i], h)
		var refusal *relay.Refusal
		switch {
		case errors.As(err, &refusal):
			run.Failed = true
			did = append(did, "could not "+r.SayAction(i, newsroom.Known{B: a.Setup, Desk: r.DeskID})+": "+refusal.Text)
		case errors.Is(err, newsroom.ErrNotFound):
			run.Failed = true
			did = append(did, "could not "+r.SayAction(i, newsroom.Known{B: a.Setup, Desk: r.DeskID})+": it is no longer there.")
		case err != nil:
			return nil, fmt.Errorf("house rule %d: %w", r.ID, err)
		case said != "":
			did = append(did, said)
		}
	}
	run.Did = strings.Join(did, "\n")
	then := a.Happened
	a.Happened = before.Happened
	return then, a.Tx.AddRuleRun(a, run)
}
