package planning

import (
	"context"
	"fmt"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Handover is what becomes of somebody's legs while they are away.
type Handover struct {
	Person  ref.Person
	From    day.Date
	To      day.Date
	Entered bool // the days off are entered already
	Lines   []HandoverLine
	Hidden  int // legs of pieces that who asks may not see: on other desks
}

// HandoverLine is a leg of somebody who is away.
type HandoverLine struct {
	Piece    *relay.Piece
	Leg      *relay.Leg
	From     day.Date // when it is to be worked on
	Due      day.Date
	Before   plan.Projection // how the piece stands,
	Kept     plan.Projection // and how it does if the leg waits for them
	Waits    bool            // it may wait: the piece, or a leg after release, makes its day all the same
	May      bool            // who asks may give it away
	Takers   []Taker
	Proposed ref.Person // who it goes to as proposed; themselves where it waits
}

// Taker is somebody who could take a leg of somebody who is away.
type Taker struct {
	load.Candidate
	Then plan.Projection // how the piece stands if they do
}

// Key is by what a form names the leg.
func (x *HandoverLine) Key() string { return fmt.Sprintf("%d %s", x.Piece.ID, x.Leg.Key) }

// sooner reports whether a piece stands better with a taker than if the leg waits; one after
// release that cannot wait is better with whoever could take it.
func (x *HandoverLine) sooner(who ref.Person) bool {
	return slices.ContainsFunc(x.Takers, func(t Taker) bool {
		return t.Person == who && (t.Then.InHand > x.Kept.InHand || x.Leg.Later && !x.Waits)
	})
}

// mostTakers is how many people are weighed for a leg of somebody who is away.
const mostTakers = 6

// Handover gives what somebody has to do on some days, and who could do it instead: for leads
// of a desk of theirs, and for themselves.
func (h Moves) Handover(ctx context.Context, by, person ref.Person, from, to day.Date) (Handover, error) {
	out := Handover{Person: person, From: from, To: to}
	b, board, err := h.Board(ctx)
	if err != nil {
		return out, err
	}
	if err := MayTakeOff(b, by, person); err != nil {
		return out, err
	}
	after := board
	out.Entered = slices.ContainsFunc(b.Absences, func(a store.Absence) bool { return a.PersonID == person && a.FromDay <= from && a.ToDay >= to })
	if !out.Entered {
		if after, err = board.Away(plan.Change{Do: plan.DoAway, Person: person, Date: from, To: to}); err != nil {
			return out, err
		}
	}
	for _, p := range board.Pieces {
		if !p.Live() {
			continue
		}
		lines, err := h.handoverOf(ctx, b, board, after, p, out)
		if err != nil {
			return out, err
		}
		if len(lines) == 0 {
			continue
		}
		who := b.Who(by, p.DeskID)
		if relay.May(relay.ActSee, who, p, nil, "") != nil {
			out.Hidden += len(lines)
			continue
		}
		for i := range lines {
			lines[i].May = relay.May(relay.ActGive, who, p, lines[i].Leg, b.Desk(p.DeskID).PassBy) == nil
		}
		out.Lines = append(out.Lines, lines...)
	}
	slices.SortStableFunc(out.Lines, func(x, y HandoverLine) int { return int(x.From - y.From) })
	h.propose(after, &out)
	return out, nil
}

// handoverOf gives the legs of somebody on one piece that fall on the days on which they are away.
func (h Moves) handoverOf(ctx context.Context, b *newsroom.Setup, board, after *plan.Board, p *relay.Piece, o Handover) ([]HandoverLine, error) {
	var out []HandoverLine
	today := board.Today(p.DeskID)
	desk := after.Desk(p)
	before, kept := board.Desk(p).Forward(p, today), desk.Forward(p, today)
	for l := range p.Every() {
		if l.Holder != o.Person || l.Done() || p.Stage == relay.Out && !l.Later || l.Later && l.Due == 0 {
			continue // it is not theirs, or done, or follows a release that has no day
		}
		open, err := h.Opening(ctx, after, p, l.Position)
		if err != nil {
			return nil, err
		}
		x := HandoverLine{Piece: p, Leg: l, From: max(open.From, today), Due: open.Due, Before: before, Kept: kept, Proposed: o.Person}
		if x.From > o.To || max(x.Due, x.From) < o.From {
			continue
		}
		x.Waits = kept.Pace != plan.Short && (kept.Pace == before.Pace || kept.Pace != plan.NoRoom)
		if l.Later {
			x.Waits = desk.WorksBy(l.Holder, x.From, x.Due)
		}
		for _, c := range load.Suggest(open, others(after.People, o.Person), after.Load(), today) {
			if len(x.Takers) == mostTakers || b.MayHold(c.Person, p.DeskID, l.Role) != "" {
				continue
			}
			m, err := desk.Apply(*p, plan.Change{Do: plan.DoGive, Piece: p.ID, Leg: l.Key, Person: c.Person}, board.Scene(p))
			if err != nil {
				return nil, err
			}
			x.Takers = append(x.Takers, Taker{c, desk.Forward(&m.Piece, today)})
		}
		out = append(out, x)
	}
	return out, nil
}

// propose finds people for the legs that cannot wait, all together. Where a piece would stand
// no better with whoever is found, another who makes it better takes it, or it waits after all.
func (h Moves) propose(after *plan.Board, o *Handover) {
	var legs []load.Open
	var at []int
	for i := range o.Lines {
		x := &o.Lines[i]
		if x.Waits || !x.May || len(legs) == mostProposed {
			continue
		}
		open := after.Opening(x.Piece, x.Leg.Position, nil)
		open.Person = 0
		legs, at = append(legs, open), append(at, i)
	}
	if len(legs) == 0 {
		return
	}
	p := load.Propose(legs, others(after.People, o.Person), after.Load(), after.Today(o.Lines[at[0]].Piece.DeskID))
	for k, who := range p.People {
		x := &o.Lines[at[k]]
		if x.sooner(who) {
			x.Proposed = who
			continue
		}
		for _, t := range x.Takers {
			if x.sooner(t.Person) {
				x.Proposed = t.Person
				break
			}
		}
	}
}

// others gives people without one of them.
func others(people []load.Person, but ref.Person) []load.Person {
	return slices.DeleteFunc(slices.Clone(people), func(p load.Person) bool { return p.ID == but })
}

// tellAway tells the leads of somebody who entered days off of their own, and where what they
// have can be handed over.
func tellAway(a *newsroom.Command, person ref.Person, from, to day.Date, says string) error {
	p := a.Setup.Person(person)
	told := map[ref.Person]bool{a.Actor: true}
	for _, d := range p.Desks {
		for _, lead := range a.Setup.Leads(d) {
			if told[lead] {
				continue
			}
			told[lead] = true
			text := fmt.Sprintf("%s %s %s.", p.Name, says, sayDays(from, to))
			link := fmt.Sprintf("/people/%d/handover?from=%s&to=%s", person, from, to)
			if err := a.Notify(store.Item{PersonID: lead, Kind: "away", Text: text, At: a.Now, Link: link}, true); err != nil {
				return err
			}
		}
	}
	return nil
}

// tellOfDays tells somebody that days off of theirs were entered for them.
func tellOfDays(a *newsroom.Command, person ref.Person, from, to day.Date) error {
	text := fmt.Sprintf("%s entered days off for you, %s.", newsroom.First(a.Setup.Actor(a.Actor)), sayDays(from, to))
	return a.Notify(store.Item{PersonID: person, Kind: "away", Text: text, At: a.Now, Link: "/me"}, false)
}

func sayDays(from, to day.Date) string {
	if from == to {
		return english.Date(from)
	}
	return english.Date(from) + " to " + english.Date(to)
}

// AskDaysOff asks the leads for days off, where a desk of somebody's says that they are asked
// for; see AsksDaysOff.
func (h Moves) AskDaysOff(ctx context.Context, by ref.Person, from, to day.Date) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		board, err := h.BoardAt(a, a.Setup, a.Now)
		if err != nil {
			return err
		}
		if !a.Setup.Person(by).Access.May(relay.SayDaysOff) {
			return MayTakeOff(a.Setup, by, by)
		}
		if _, err := board.Away(plan.Change{Do: plan.DoAway, Person: by, Date: from, To: to}); err != nil {
			return err
		}
		return tellAway(a, by, from, to, "asks for days off,")
	})
}
