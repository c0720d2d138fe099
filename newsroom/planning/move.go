package planning

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Pass is the order to pass a leg on.
type Pass struct {
	Piece   ref.Piece
	Leg     string
	Version int
	To      map[string]ref.Person // holders of legs that begin by it, where they change
	Why     string                // why it is passed although something is still to do; owner and leads only
}

// PassLeg passes a leg on; the next ones begin.
func (h Moves) PassLeg(ctx context.Context, by ref.Person, o Pass) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		owed, err := a.Owes(o.Piece, o.Leg, relay.SignedIt, o.Why)
		if err != nil {
			return err
		}
		var lacks []check.Lack
		err = a.Move(newsroom.Order{Act: relay.ActPass, Piece: o.Piece, Leg: o.Leg, Version: o.Version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			if len(o.To) > 0 && !relay.MayHouse(relay.RunLegs, a.Who(p.DeskID)) {
				return relay.Move{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "Who comes next is decided in the house. Pass it on as it is."}
			}
			for key, person := range o.To {
				if l := p.Leg(key); l != nil {
					if why := a.Setup.MayHold(person, p.DeskID, l.Role); why != "" {
						return relay.Move{}, newsroom.Invalid("to", "%s", why)
					}
				}
			}
			unmet, err := Unmet(a, p, o.Leg)
			if err != nil {
				return relay.Move{}, err
			}
			lacks = unmet
			owed = append(check.Texts(unmet), owed...)
			why := strings.TrimSpace(o.Why)
			if len(owed) > 0 && why != "" && relay.May(relay.ActPlan, a.Who(p.DeskID), &p, nil, "") != nil {
				why = "" // only the owner and leads may pass regardless
			}
			return relay.Pass(p, o.Leg, o.To, owed, why, s)
		})
		if err != nil {
			return err
		}
		p := a.Put.Pieces[o.Piece]
		for _, x := range lacks { // it was passed all the same: once is enough
			if err := a.Tx.AddLack(a, store.Lack{PieceID: o.Piece, Leg: o.Leg, Run: p.Leg(o.Leg).Run, What: x.Key, By: by, At: a.Now}); err != nil {
				return err
			}
		}
		return nil
	})
}

// AskForLack asks whoever has to see to it for what a running leg still wants, by its key: they
// are told, and it stands on their Today until it is there or the leg is over.
func (h Moves) AskForLack(ctx context.Context, by ref.Person, piece ref.Piece, leg, what string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		row, err := a.Load(newsroom.Order{Act: relay.ActPass, Piece: piece, Leg: leg})
		if err != nil {
			return err
		}
		l := row.Leg(leg)
		if l == nil || l.State != relay.Running {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This leg is not running now. Look at the piece again."}
		}
		asked, err := copyroom.AskedOf(a.Setup, a, a.Tx, &row.Piece)
		if err != nil {
			return err
		}
		for _, x := range asked.Unmet(&row.Piece, l) {
			switch {
			case x.Key != what:
				continue
			case x.Of == 0 || x.Of == by:
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: "Nobody else has to see to it; it is for you to do."}
			case asked.AskedFor(&row.Piece, l, x) != 0:
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("%s was asked already, %s. It stands on their Today.", a.Setup.Name(x.Of), english.Ago(asked.AskedFor(&row.Piece, l, x), a.Now))}
			}
			if err := a.Tx.AddLack(a, store.Lack{PieceID: piece, Leg: leg, Run: l.Run, What: x.Key, OfPerson: x.Of, By: by, At: a.Now}); err != nil {
				return err
			}
			a.Did = append(a.Did, fmt.Sprintf("asked %s", a.Setup.Name(x.Of)))
			if err := a.Log(store.Entry{DeskID: row.DeskID, PieceID: piece, Act: "asked", What: fmt.Sprintf("asked %s to see to it, for %s: %s", a.Setup.Name(x.Of), l.Name, x.Text)}); err != nil {
				return err
			}
			return a.Send(&row.Piece, newsroom.NoteTo(x.Of, "lack", fmt.Sprintf("%s waits for you, says %s: %s.", l.Name, newsroom.First(a.Setup.Actor(by)), x.Text), "", true))
		}
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is there now; nobody needs to be asked. Look at the piece again."}
	})
}

// Wanted is something that somebody was asked to see to, so that a leg can be passed.
type Wanted struct {
	Piece *relay.Piece
	Leg   string // its name
	Text  string
	By    ref.Person // who asked
	At    day.Moment
}

// WantedOf gives what somebody was asked to see to and that is not there yet, the oldest first.
func (h Overview) WantedOf(ctx context.Context, who ref.Person) ([]Wanted, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	r := h.DB.View()
	lacks, err := store.LacksAskedOf(ctx, r, who)
	if err != nil || len(lacks) == 0 {
		return nil, err
	}
	rows, err := store.PiecesByID(ctx, r, newsroom.IdsOf(lacks, func(l store.Lack) ref.Piece { return l.PieceID }))
	if err != nil {
		return nil, err
	}
	pieces, by := []*relay.Piece{}, map[ref.Piece]*relay.Piece{}
	for id, row := range rows {
		by[id] = &row.Piece
		pieces = append(pieces, by[id])
	}
	asked, err := copyroom.AskedOf(b, ctx, r, pieces...)
	if err != nil {
		return nil, err
	}
	var out []Wanted
	for _, x := range lacks {
		p := by[x.PieceID]
		if p == nil || p.Stage != relay.UnderWay {
			continue
		}
		l := p.Leg(x.Leg)
		for _, y := range asked.Unmet(p, l) {
			if y.Key == x.What && y.Of == who {
				out = append(out, Wanted{p, l.Name, y.Text, x.By, x.At})
			}
		}
	}
	return out, nil
}

// Unmet says what the conditions of a leg still ask for before it is passed.
func Unmet(a *newsroom.Command, p relay.Piece, leg string) ([]check.Lack, error) {
	l := p.Leg(leg)
	if l == nil {
		return nil, nil
	}
	asked, err := copyroom.AskedOf(a.Setup, a, a.Tx, &p)
	if err != nil {
		return nil, err
	}
	return asked.Unmet(&p, l), nil
}

// Back is the order to send a piece back.
type Back struct {
	Piece    ref.Piece
	From, To string // legs; From is empty for a piece whose legs are all passed
	Version  int
	Reasons  string
	Queries  []ref.Query // open ones that are the reasons, or belong to them
	Days     int         // for rework; 0 is half of the first allowance
}

// SendBack returns a piece to an earlier leg with reasons.
func (h Moves) SendBack(ctx context.Context, by ref.Person, o Back) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		kind := relay.ActSendBack
		if o.From == "" {
			kind = relay.ActRelease
		}
		if _, err := a.Owes(o.Piece, o.From, relay.NotYet, o.Reasons); err != nil {
			return err
		}
		return SendBack(a, o, kind)
	})
}

// SendBack sends a piece back by an order, under a right; queries of the order become its
// reasons.
func SendBack(a *newsroom.Command, o Back, kind relay.Act) error {
	var run int
	reasons := strings.TrimSpace(o.Reasons)
	if reasons == "" && len(o.Queries) > 0 {
		reasons = "See " + map[bool]string{true: "the query", false: "the queries"}[len(o.Queries) == 1] + " on the copy."
	}
	err := a.Move(newsroom.Order{Act: kind, Piece: o.Piece, Leg: o.From, Version: o.Version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
		m, err := relay.SendBack(p, o.From, o.To, reasons, o.Days, s)
		if err == nil {
			run = m.Piece.Leg(o.To).Run
		}
		return m, err
	})
	if err != nil {
		return err
	}
	return carryQueries(a, o, run)
}

// carryQueries makes queries the reasons for which a piece came back to a leg.
func carryQueries(a *newsroom.Command, o Back, run int) error {
	for _, id := range o.Queries {
		q, err := store.QueryAt(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) || err == nil && (q.PieceID != o.Piece || q.Settled()) {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "One of these queries has been settled meanwhile. Look again, and send it back with what is left."}
		} else if err != nil {
			return err
		}
		q.Leg, q.Reason = o.To, run
		if err := a.Tx.SaveQuery(a, q); err != nil {
			return err
		}
	}
	return nil
}

// Begin lets a piece begin that was kept without.
func (h Moves) Begin(ctx context.Context, by ref.Person, piece ref.Piece, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActPlan, Piece: piece, Version: version}, relay.Begin)
	})
}

// SkipLeg leaves out a leg that the route allows to leave out.
func (h Moves) SkipLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string, version int, why string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActSkip, Piece: piece, Leg: leg, Version: version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.SkipLeg(p, leg, strings.TrimSpace(why), s)
		})
	})
}

// NeedLeg brings a skipped leg back.
func (h Moves) NeedLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActNeed, Piece: piece, Leg: leg, Version: version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.NeedLeg(p, leg, s)
		})
	})
}

// GiveLeg hands an unfinished leg to somebody else, or to nobody, which opens it;
// the due dates of the legs before it follow.
func (h Moves) GiveLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string, to ref.Person, version int) error {
	_, err := h.ChangePlan(ctx, by, Change{Changes: []plan.Change{{Do: plan.DoGive, Piece: piece, Leg: leg, Person: to}}, Version: version})
	return err
}

// TakeLeg takes an open leg. Of two who take it at once, one has it.
func (h Moves) TakeLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActTake, Piece: piece, Leg: leg, Version: 0}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			if err := mayHoldMore(a, p.DeskID, p.Leg(leg)); err != nil {
				return relay.Move{}, err
			}
			return relay.Take(p, leg, by, s)
		})
	})
}

// TickStep marks a step of a checklist done, or open again.
func (h Moves) TickStep(ctx context.Context, by ref.Person, piece ref.Piece, step ref.Step, done bool) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		steps, err := store.Steps(a, a.Tx, piece)
		if err != nil {
			return err
		}
		for _, s := range steps {
			if s.ID != step {
				continue
			}
			kind := relay.ActTick
			if RunsStep(a.Setup.Person(by), s) {
				kind = relay.ActSee
			}
			p, err := a.Load(newsroom.Order{Act: kind, Piece: piece, Leg: s.Leg})
			if err != nil {
				return err
			}
			return tick(a, p, s, done)
		}
		return newsroom.ErrNotFound
	})
}

// RunsStep reports whether a step names somebody, or a role of theirs: it is theirs to
// tick wherever they see it.
func RunsStep(p store.Person, s store.Step) bool {
	return s.Role != "" && p.Access.May(relay.RunLegs) && (slices.Contains(p.Roles, s.Role) || strings.EqualFold(p.Name, s.Role))
}

func tick(a *newsroom.Command, p store.Row, s store.Step, done bool) error {
	if done == (s.DoneBy != 0) {
		return nil
	}
	by, at, what := ref.Person(0), day.Moment(0), "unticked “"
	if done {
		by, at, what = a.Actor, a.Now, "ticked “"
	}
	if err := a.Tx.TickStep(a, s.ID, by, at); err != nil {
		return err
	}
	if err := a.Log(store.Entry{DeskID: p.DeskID, PieceID: p.ID, Act: "ticked", What: what + s.Text + "”", Version: p.Version}); err != nil {
		return err
	}
	return touch(a, p, s.Leg)
}

// touch notes that something was recorded on a running leg, so that it is not quiet.
func touch(a *newsroom.Command, was store.Row, leg string) error {
	l := was.Leg(leg)
	if l == nil || l.State != relay.Running || l.TouchedAt == a.Now {
		return nil
	}
	is := was.Piece
	is.Legs = append([]relay.Leg(nil), was.Legs...)
	is.Leg(leg).TouchedAt = a.Now
	if err := a.Save(was.Piece, is); err != nil {
		return err
	}
	return a.Stand(is)
}
