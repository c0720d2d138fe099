package planning

import (
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// WaysOut finds the ways out of a short piece, for its owner and leads.
func (h Moves) WaysOut(ctx context.Context, who ref.Person, piece ref.Piece) (store.Row, []plan.Way, error) {
	row, err := h.See(ctx, who, piece, relay.ActPlan)
	if err != nil {
		return row, nil, err
	}
	_, board, err := h.Board(ctx)
	if err != nil {
		return row, nil, err
	}
	return row, board.Ways(piece), nil
}

// Choice is somebody who could run a leg, and what giving it to them comes to.
type Choice struct {
	load.Candidate
	Result plan.Consequence
	Holds  bool // they have it now
}

// mostChoices is how many people are weighed for one leg.
const mostChoices = 12

// Choices gives those who could run a leg of a piece, the best first, and the one
// who has it wherever they come; by a sketch, if there is one.
func (h Moves) Choices(ctx context.Context, who ref.Person, piece ref.Piece, leg string, sketch ref.Sketch) (store.Row, []Choice, error) {
	row, err := h.See(ctx, who, piece, relay.ActSee)
	if err != nil {
		return row, nil, err
	}
	b, board, err := boardIn(h.Newsroom, ctx, who, sketch)
	if err != nil {
		return row, nil, err
	}
	if p := board.Piece(piece); p != nil {
		row.Piece = *p
	}
	l := row.Leg(leg)
	if l == nil || l.Done() || !row.Live() {
		return row, nil, newsroom.ErrNotFound
	}
	if err := relay.May(relay.ActGive, b.Who(who, row.DeskID), &row.Piece, l, b.Desk(row.DeskID).PassBy); err != nil {
		return row, nil, err
	}
	o, err := h.Opening(ctx, board, &row.Piece, l.Position)
	if err != nil {
		return row, nil, err
	}
	var out []Choice
	for i, c := range load.Suggest(o, board.People, board.Load(), board.Today(row.DeskID)) {
		if c.Person == l.Holder {
			out = append(out, Choice{Candidate: c, Holds: true})
			continue
		}
		if i >= mostChoices {
			continue
		}
		result, err := board.Preview([]plan.Change{{Do: plan.DoGive, Piece: piece, Leg: leg, Person: c.Person}})
		if err != nil {
			return row, nil, err
		}
		out = append(out, Choice{Candidate: c, Result: result})
	}
	return row, out, nil
}

// Proposed is a proposal for one open leg.
type Proposed struct {
	Piece  *relay.Piece
	Leg    *relay.Leg
	Person ref.Person   // 0 where nobody is eligible
	Shifts []load.Shift // what it alone does to people
}

// mostProposed is for how many open legs people are proposed at once.
const mostProposed = 40

// Propose finds people for all open legs of a desk, the most urgent first, for its
// leads.
func (h Moves) Propose(ctx context.Context, who ref.Person, desk ref.Desk) (Proposal, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return Proposal{}, err
	}
	if err := b.MayLead(who, desk); err != nil {
		return Proposal{}, err
	}
	open, err := h.openings(ctx, board, desk)
	if err != nil {
		return Proposal{}, err
	}
	var out []Proposed
	var come []load.Work
	p := load.Propose(legsOf(open), board.People, board.Load(), board.Today(desk))
	for i, who := range p.People {
		x := Proposed{Piece: open[i].piece, Leg: open[i].leg, Person: who}
		if who != 0 {
			c, err := board.Preview([]plan.Change{{Do: plan.DoGive, Piece: x.Piece.ID, Leg: x.Leg.Key, Person: who}})
			if err != nil {
				return Proposal{}, err
			}
			x.Shifts = c.People
			w := open[i].Work
			w.Person = who
			come = append(come, w)
		}
		out = append(out, x)
	}
	return Proposal{out, totals(board, board.Today(desk), come), p.Cost, p.Least}, nil
}

// Proposal is people for all open legs of a desk.
type Proposal struct {
	Lines  []Proposed
	Totals []Total
	Cost   load.Cost
	Least  load.Cost // no other way to give them out costs less
}

// Total is what a person has over the coming weeks, before and after a proposal.
type Total struct{ Before, After load.Span }

// totalDays is over how many days the load of people is added up.
const totalDays = 28

// totals adds up what works would add to those who are to run them.
func totals(board *plan.Board, today day.Date, come []load.Work) []Total {
	var people []load.Person
	for _, p := range board.People {
		if slices.ContainsFunc(come, func(w load.Work) bool { return w.Person == p.ID }) {
			people = append(people, p)
		}
	}
	before := board.Load()
	after := before.With(people, nil, come)
	var out []Total
	for i := range people {
		out = append(out, Total{before.Span(&people[i], today, today+totalDays-1), after.Span(&people[i], today, today+totalDays-1)})
	}
	return out
}
