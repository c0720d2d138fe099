package planning

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// Offer is to whom a leg is opened, and for which fee.
type Offer struct {
	Piece   ref.Piece
	Leg     string
	Version int
	To      []ref.Person // none: whoever runs its role
	Fee     int          // in smallest units of the desk's currency
}

// OfferLeg opens a leg to people, or to whoever runs its role. They are told.
func (h Moves) OfferLeg(ctx context.Context, by ref.Person, o Offer) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActOffer, Piece: o.Piece, Leg: o.Leg, Version: o.Version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			for _, id := range o.To {
				if !a.Setup.Available(id, p.DeskID) || !a.Setup.Person(id).Access.May(relay.RunLegs) {
					return relay.Move{}, newsroom.Invalid("to", "%s cannot take a leg on this desk. Choose somebody else.", a.Setup.Person(id).Name)
				}
			}
			return relay.Offer(p, o.Leg, o.To, o.Fee, s)
		})
	})
}

// GiveBack opens a leg again for the one who took it.
func (h Moves) GiveBack(ctx context.Context, by ref.Person, piece ref.Piece, leg, why string, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActGiveBack, Piece: piece, Leg: leg, Version: version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.GiveBack(p, leg, strings.TrimSpace(why), s)
		})
	})
}

// mayHoldMore refuses a freelancer who holds as many legs as the desk allows.
func mayHoldMore(a *newsroom.Command, d ref.Desk, l *relay.Leg) error {
	most := a.Setup.Desk(d).HoldMost
	if most == 0 || !a.Setup.Person(a.Actor).Access.May(relay.TakeForFee) || l != nil && l.Holder != 0 {
		return nil
	}
	board, err := a.Newsroom.BoardAt(a, a.Setup, a.Now)
	if err != nil {
		return err
	}
	return relay.TooMany(holds(board.Pieces, a.Actor, d), most)
}

// holds counts the unfinished legs that somebody has on a desk; of what is done after release,
// what has begun.
func holds(pieces []*relay.Piece, who ref.Person, d ref.Desk) int {
	n := 0
	for _, p := range pieces {
		for l := range p.Every() {
			if p.DeskID == d && l.Holder == who && !l.Done() && (p.Stage == relay.UnderWay && !l.Later || l.State == relay.Running) {
				n++
			}
		}
	}
	return n
}

// loseIdle opens legs of a piece again that freelancers took and let lie.
func loseIdle(a *newsroom.Command, p relay.Piece) error {
	after := a.Setup.Desk(p.DeskID).LoseAfter
	house := a.Setup.Planned[p.DeskID]
	for l := range p.Every() {
		if after == 0 || l.TakenAt == 0 || !a.Setup.Person(l.Holder).Access.May(relay.TakeForFee) ||
			l.Idle(house.Days(l.Holder), l.TouchedAt.Date(house.Zone), a.Now.Date(house.Zone)) < after {
			continue
		}
		err := a.Move(newsroom.Order{Act: relay.ActGive, Piece: p.ID, Leg: l.Key, Version: 0}, func(p relay.Piece, s relay.Scene) (relay.Move, error) { return relay.Lose(p, l.Key, s) })
		if err != nil {
			return err
		}
	}
	return nil
}

// whomFor gives the people an open leg is for: those it is offered to by name, otherwise
// the freelancers of the desk who run its role, who would not hear of it in the house.
func whomFor(b *newsroom.Setup, p *relay.Piece, l *relay.Leg) []ref.Person {
	if to := l.OfferedTo(); len(to) > 0 {
		return to
	}
	var out []ref.Person
	for _, x := range b.OnDesk(p.DeskID) {
		if x.Access.May(relay.TakeForFee) && slices.Contains(x.Roles, l.Role) {
			out = append(out, x.ID)
		}
	}
	return out
}

// offered says who is told that a leg is open, or open again.
func offered(a *newsroom.Command, p *relay.Piece, l *relay.Leg, e relay.Event) []newsroom.Note {
	var out []newsroom.Note
	from := a.Setup.Name(e.From)
	switch e.Kind {
	case relay.GaveBack:
		out = append(out, newsroom.NoteTo(p.Owner, string(e.Kind), fmt.Sprintf("%s gave %s back; nobody has it now.", from, l.Name), e.Why, true))
	case relay.Lost:
		out = append(out, newsroom.NoteTo(p.Owner, string(e.Kind), fmt.Sprintf("%s is open again: nothing was recorded by %s for %s.", l.Name, from, english.Plural(a.Setup.Desk(p.DeskID).LoseAfter, "working day")), "", true),
			newsroom.NoteTo(e.From, string(e.Kind), fmt.Sprintf("%s went back to the desk, because nothing was recorded in it for %s. Thank you for having taken it; it can be taken again.", l.Name, english.Plural(a.Setup.Desk(p.DeskID).LoseAfter, "working day")), "", true))
	}
	for _, id := range whomFor(a.Setup, p, l) {
		if id != e.From {
			paid := a.Setup.ForFee(p.DeskID, l, id)
			n := newsroom.NoteTo(id, "offer", fmt.Sprintf("%s is open to you%s.%s", l.Name, paid, Due(a.Setup, p, l)), "", true)
			n.Private = paid != ""
			out = append(out, n)
		}
	}
	return out
}

// SayOffer says to whom an open leg is open, and for what: "Adaeze and Petra, for £180".
func SayOffer(b *newsroom.Setup, d ref.Desk, l *relay.Leg, who ref.Person) string {
	return b.OfferedTo(l) + b.ForFee(d, l, who)
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
func (h Moves) Open(ctx context.Context, who ref.Person, d ref.Desk) (Openings, error) {
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
	house, today := b.Planned[d], board.Today(d)
	for _, p := range board.Pieces {
		if p.DeskID != d || !p.Live() {
			continue
		}
		for l := range p.Every() {
			took := l.Holder == who && l.TakenAt != 0
			if l.Done() || l.Holder != 0 && !took {
				continue
			}
			x := Opening{Piece: p, Leg: l, To: b.OfferedTo(l), Runs: l.State == relay.Running, Mine: relay.May(relay.ActTake, w, p, l, "") == nil,
				Edit: relay.May(relay.ActOffer, w, p, l, "") == nil, Loses: b.Desk(d).LoseAfter, Plan: house.Forward(p, today)}
			switch {
			case x.Runs:
			case l.Later && p.GoesOut != 0:
				x.Begins = english.Date(p.GoesOut.Date(house.Zone))
			case !l.Later:
				begins, _ := house.Window(x.Plan.Start[l.Position], x.Plan.End[l.Position])
				x.Begins = english.Date(begins)
			}
			switch {
			case took:
				out.Taken = append(out.Taken, x)
			case x.Mine || out.Staff:
				if x.Mine {
					if x.Would, err = h.would(ctx, board, p, l.Position, who); err != nil {
						return out, err
					}
				}
				out.Legs = append(out.Legs, x)
			}
		}
	}
	slices.SortStableFunc(out.Legs, func(x, y Opening) int {
		if x.Runs != y.Runs {
			return newsroom.Count(y.Runs) - newsroom.Count(x.Runs)
		}
		if (x.Leg.Due == 0) != (y.Leg.Due == 0) {
			return newsroom.Count(x.Leg.Due == 0) - newsroom.Count(y.Leg.Due == 0)
		}
		return int(x.Leg.Due - y.Leg.Due)
	})
	return out, nil
}

// would gives what taking a leg would do to somebody; nil when that cannot be said.
func (h Moves) would(ctx context.Context, board *plan.Board, p *relay.Piece, leg int, who ref.Person) (*load.Candidate, error) {
	o, err := h.Opening(ctx, board, p, leg)
	if err != nil {
		return nil, err
	}
	fits := load.Suggest(o, board.People, board.Load(), board.Today(p.DeskID))
	if k := slices.IndexFunc(fits, func(c load.Candidate) bool { return c.Person == who }); k >= 0 {
		return &fits[k], nil
	}
	return nil, nil
}
