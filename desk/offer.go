package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
)

// Offer is to whom a leg is opened, and for which fee.
type Offer struct {
	Piece   int64
	Leg     string
	Version int
	To      []int64 // none: whoever runs its role
	Fee     int     // in hundredths of the desk's money
}

// OfferLeg opens a leg to people, or to whoever runs its role. They are told.
func (h *House) OfferLeg(ctx context.Context, by int64, o Offer) error {
	return h.act(ctx, by, func(a *act) error {
		return a.move(order{relay.ActOffer, o.Piece, o.Leg, o.Version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			for _, id := range o.To {
				if !a.b.available(id, p.DeskID) || !a.b.Person(id).Access.May(relay.RunLegs) {
					return relay.Move{}, bad("to", "%s cannot take a leg on this desk. Choose somebody else.", a.b.Person(id).Name)
				}
			}
			return relay.Offer(p, o.Leg, o.To, o.Fee, s)
		})
	})
}

// GiveBack opens a leg again for the one who took it.
func (h *House) GiveBack(ctx context.Context, by, piece int64, leg, why string, version int) error {
	return h.act(ctx, by, func(a *act) error {
		return a.move(order{relay.ActGiveBack, piece, leg, version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.GiveBack(p, leg, strings.TrimSpace(why), s)
		})
	})
}

// mayHoldMore refuses a freelancer who holds as many legs as the desk allows.
func (a *act) mayHoldMore(d int64, l *relay.Leg) error {
	most := a.b.Desk(d).HoldMost
	if most == 0 || !a.b.Person(a.by).Access.May(relay.TakeForFee) || l != nil && l.Holder != 0 {
		return nil
	}
	board, err := a.h.board(a, a.b, a.now)
	if err != nil {
		return err
	}
	return relay.TooMany(holds(board.Pieces, a.by, d), most)
}

// holds counts the unfinished legs that somebody has on a desk.
func holds(pieces []*relay.Piece, who, d int64) int {
	n := 0
	for _, p := range pieces {
		for i := range p.Legs {
			if l := &p.Legs[i]; p.DeskID == d && p.Stage == relay.UnderWay && l.Holder == who && !l.Done() {
				n++
			}
		}
	}
	return n
}

// loseIdle opens legs of a piece again that freelancers took and let lie.
func (a *act) loseIdle(p relay.Piece) error {
	after := a.b.Desk(p.DeskID).LoseAfter
	house := a.b.Houses[p.DeskID]
	for i := range p.Legs {
		l := &p.Legs[i]
		if after == 0 || l.TakenAt == 0 || !a.b.Person(l.Holder).Access.May(relay.TakeForFee) ||
			l.Idle(house.Days(l.Holder), l.TouchedAt.Date(house.Zone), a.now.Date(house.Zone)) < after {
			continue
		}
		err := a.move(order{relay.ActGive, p.ID, l.Key, 0}, func(p relay.Piece, s relay.Scene) (relay.Move, error) { return relay.Lose(p, l.Key, s) })
		if err != nil {
			return err
		}
	}
	return nil
}

// whomFor gives the people an open leg is for: those it is offered to by name, otherwise
// the freelancers of the desk who run its role, who would not hear of it in the house.
func (b *Books) whomFor(p *relay.Piece, l *relay.Leg) []int64 {
	if to := l.OfferedTo(); len(to) > 0 {
		return to
	}
	var out []int64
	for _, x := range b.OnDesk(p.DeskID) {
		if x.Access.May(relay.TakeForFee) && slices.Contains(x.Roles, l.Role) {
			out = append(out, x.ID)
		}
	}
	return out
}

// offered says who is told that a leg is open, or open again.
func (a *act) offered(p *relay.Piece, l *relay.Leg, e relay.Event) []note {
	var out []note
	from := a.b.Name(e.From)
	switch e.Kind {
	case relay.GaveBack:
		out = append(out, noteTo(p.Owner, string(e.Kind), fmt.Sprintf("%s gave %s back; nobody has it now.", from, l.Name), e.Why, true))
	case relay.Lost:
		out = append(out, noteTo(p.Owner, string(e.Kind), fmt.Sprintf("%s is open again: nothing was recorded by %s for %s.", l.Name, from, Plural(a.b.Desk(p.DeskID).LoseAfter, "working day")), "", true),
			noteTo(e.From, string(e.Kind), fmt.Sprintf("%s went back to the desk, because nothing was recorded in it for %s. Thank you for having taken it; it can be taken again.", l.Name, Plural(a.b.Desk(p.DeskID).LoseAfter, "working day")), "", true))
	}
	for _, id := range a.b.whomFor(p, l) {
		if id != e.From {
			out = append(out, noteTo(id, "offer", fmt.Sprintf("%s is open to you%s.%s", l.Name, a.b.forFee(p.DeskID, l), a.b.due(p, l)), "", true))
		}
	}
	return out
}

// offeredTo says to whom a leg is open.
func (b *Books) offeredTo(l *relay.Leg) string {
	var names []string
	for _, id := range l.OfferedTo() {
		names = append(names, b.Name(id))
	}
	if len(names) == 0 {
		return "whoever runs " + l.Role
	}
	return Names(names)
}

func (b *Books) forFee(d int64, l *relay.Leg) string {
	if l.Fee == 0 {
		return ""
	}
	return ", for " + b.SayFee(d, l.Fee)
}

// SayOffer says to whom an open leg is open, and for what: "Adaeze and Petra, for £180".
func (b *Books) SayOffer(d int64, l *relay.Leg) string { return b.offeredTo(l) + b.forFee(d, l) }

// SayFee writes a fee as the desk does: "£180", "£12.50".
func (b *Books) SayFee(d int64, fee int) string {
	s := Number(fee / 100)
	if fee%100 != 0 {
		s += fmt.Sprintf(".%02d", fee%100)
	}
	return b.Desk(d).Money + s
}

// Opening is a leg that nobody has, as it is shown to somebody who could take it, or to
// who looks after the desk.
type Opening struct {
	Piece  *relay.Piece
	Leg    *relay.Leg
	To     string          // to whom it is open
	Runs   bool            // its turn has come
	Mine   bool            // the one who looks could take it
	Would  *load.Candidate // what taking it would do to them
	Edit   bool            // they may offer it to others
	Plan   plan.Projection // of its piece
	Loses  int             // working days without a record after which it goes back; 0 never
	Begins string          // about when, while it waits
}

// Openings is the legs of a desk that nobody has.
type Openings struct {
	Legs  []Opening
	Holds int // by the one who looks
	Most  int // that they may hold; 0 any number
	Staff bool
	Taken []Opening // that they took and have not passed
}

// Open gives the legs of a desk that nobody has: to leads and staff all of them, to
// freelancers those they could take, the most urgent first.
func (h *House) Open(ctx context.Context, who, d int64) (Openings, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return Openings{}, err
	}
	w := b.Who(who, d)
	out := Openings{Staff: w.Access.May(relay.SeeAll)}
	if !relay.MayHouse(relay.Contribute, w) {
		return out, &relay.Refusal{Reason: relay.ErrNotYours, Text: "Open legs are for those who work on the desk."}
	}
	if w.Access.May(relay.TakeForFee) {
		out.Most = b.Desk(d).HoldMost
	}
	out.Holds = holds(board.Pieces, who, d)
	house, today := b.Houses[d], board.Today(d)
	for _, p := range board.Pieces {
		if p.DeskID != d || p.Stage != relay.UnderWay {
			continue
		}
		for i := range p.Legs {
			l := &p.Legs[i]
			took := l.Holder == who && l.TakenAt != 0
			if l.Done() || l.Holder != 0 && !took {
				continue
			}
			x := Opening{Piece: p, Leg: l, To: b.offeredTo(l), Runs: l.State == relay.Running, Mine: relay.May(relay.ActTake, w, p, l, "") == nil,
				Edit: relay.May(relay.ActOffer, w, p, l, "") == nil, Loses: b.Desk(d).LoseAfter, Plan: house.Forward(p, today)}
			if !x.Runs {
				x.Begins = Short(house.Calendar.Day(x.Plan.Start[i]))
			}
			switch {
			case took:
				out.Taken = append(out.Taken, x)
			case x.Mine || out.Staff:
				if x.Mine {
					if x.Would, err = h.would(ctx, board, p, i, who); err != nil {
						return out, err
					}
				}
				out.Legs = append(out.Legs, x)
			}
		}
	}
	slices.SortStableFunc(out.Legs, func(x, y Opening) int {
		if x.Runs != y.Runs {
			return count(y.Runs) - count(x.Runs)
		}
		if (x.Leg.Due == 0) != (y.Leg.Due == 0) {
			return count(x.Leg.Due == 0) - count(y.Leg.Due == 0)
		}
		return int(x.Leg.Due - y.Leg.Due)
	})
	return out, nil
}

// would gives what taking a leg would do to somebody; nil when that cannot be said.
func (h *House) would(ctx context.Context, board *plan.Board, p *relay.Piece, leg int, who int64) (*load.Candidate, error) {
	o, err := h.opening(ctx, board, p, leg)
	if err != nil {
		return nil, err
	}
	fits := load.Suggest(o, board.People, board.Load(), board.Today(p.DeskID))
	if k := slices.IndexFunc(fits, func(c load.Candidate) bool { return c.Person == who }); k >= 0 {
		return &fits[k], nil
	}
	return nil, nil
}
