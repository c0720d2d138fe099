package desk

import (
	"context"
	"errors"
	"slices"
	"strings"

	"greenbaton/core/check"
	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Pass is the order to pass a leg on.
type Pass struct {
	Piece   int64
	Leg     string
	Version int
	To      map[string]int64 // holders of legs that begin by it, where they change
	Why     string           // why it is passed although something is still to do; owner and leads only
}

// PassLeg passes a leg on; the next ones begin.
func (h *House) PassLeg(ctx context.Context, by int64, o Pass) error {
	return h.act(ctx, by, func(a *act) error {
		owed, err := a.owes(o.Piece, o.Leg, relay.SignedIt, o.Why)
		if err != nil {
			return err
		}
		return a.move(order{relay.ActPass, o.Piece, o.Leg, o.Version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			if len(o.To) > 0 && !relay.MayHouse(relay.RunLegs, a.who(p.DeskID)) {
				return relay.Move{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: "Who comes next is decided in the house. Pass it on as it is."}
			}
			for _, person := range o.To {
				if err := a.onDesk(person, p.DeskID); err != nil {
					return relay.Move{}, err
				}
			}
			unmet, err := a.unmet(p, o.Leg)
			if err != nil {
				return relay.Move{}, err
			}
			unmet = append(unmet, owed...)
			why := strings.TrimSpace(o.Why)
			if len(unmet) > 0 && why != "" && relay.May(relay.ActPlan, a.who(p.DeskID), &p, nil, "") != nil {
				why = "" // only the owner and leads may pass regardless
			}
			return relay.Pass(p, o.Leg, o.To, unmet, why, s)
		})
	})
}

// unmet says what the conditions of a leg still ask for before it is passed.
func (a *act) unmet(p relay.Piece, leg string) ([]string, error) {
	l := p.Leg(leg)
	if l == nil {
		return nil, nil
	}
	asked, err := a.b.asked(a, a.tx, &p)
	if err != nil {
		return nil, err
	}
	return asked.unmet(&p, l), nil
}

// stepsOf gives the steps of one leg as package check reads them.
func stepsOf(leg string, steps []store.Step) []check.Step {
	var out []check.Step
	for _, s := range steps {
		if s.Leg == leg {
			out = append(out, check.Step{Text: s.Text, Must: s.Must, Done: s.DoneBy != 0})
		}
	}
	return out
}

func (a *act) onDesk(person, desk int64) error {
	if person == 0 || a.b.available(person, desk) {
		return nil
	}
	return &relay.Refusal{Reason: relay.ErrInput, Field: "to", Text: "This person does not belong to the desk. Choose somebody else."}
}

// Back is the order to send a piece back.
type Back struct {
	Piece    int64
	From, To string // legs; From is empty for a piece whose legs are all passed
	Version  int
	Reasons  string
	Queries  []int64 // open ones that are the reasons, or belong to them
	Days     int     // for rework; 0 is half of the first allowance
}

// SendBack returns a piece to an earlier leg with reasons.
func (h *House) SendBack(ctx context.Context, by int64, o Back) error {
	return h.act(ctx, by, func(a *act) error {
		kind := relay.ActSendBack
		if o.From == "" {
			kind = relay.ActRelease
		}
		if _, err := a.owes(o.Piece, o.From, relay.NotYet, o.Reasons); err != nil {
			return err
		}
		return a.sendBack(o, kind)
	})
}

func (a *act) sendBack(o Back, kind relay.Act) error {
	var run int
	reasons := strings.TrimSpace(o.Reasons)
	if reasons == "" && len(o.Queries) > 0 {
		reasons = "See " + map[bool]string{true: "the query", false: "the queries"}[len(o.Queries) == 1] + " on the copy."
	}
	err := a.move(order{kind, o.Piece, o.From, o.Version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
		m, err := relay.SendBack(p, o.From, o.To, reasons, o.Days, s)
		if err == nil {
			run = m.Piece.Leg(o.To).Run
		}
		return m, err
	})
	if err != nil {
		return err
	}
	return a.carryQueries(o, run)
}

// carryQueries makes queries the reasons for which a piece came back to a leg.
func (a *act) carryQueries(o Back, run int) error {
	for _, id := range o.Queries {
		q, err := store.QueryAt(a, a.tx, id)
		if errors.Is(err, store.ErrNone) || err == nil && (q.PieceID != o.Piece || q.Settled()) {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: "One of these queries has been settled meanwhile. Look again, and send it back with what is left."}
		} else if err != nil {
			return err
		}
		q.Leg, q.Reason = o.To, run
		if err := a.tx.SaveQuery(a, q); err != nil {
			return err
		}
	}
	return nil
}

// SkipLeg leaves out a leg that the route allows to leave out.
func (h *House) SkipLeg(ctx context.Context, by, piece int64, leg string, version int, why string) error {
	return h.act(ctx, by, func(a *act) error {
		return a.move(order{relay.ActSkip, piece, leg, version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.SkipLeg(p, leg, strings.TrimSpace(why), s)
		})
	})
}

// NeedLeg brings a skipped leg back.
func (h *House) NeedLeg(ctx context.Context, by, piece int64, leg string, version int) error {
	return h.act(ctx, by, func(a *act) error {
		return a.move(order{relay.ActNeed, piece, leg, version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.NeedLeg(p, leg, s)
		})
	})
}

// GiveLeg hands an unfinished leg to somebody else, or to nobody, which opens it;
// the due dates of the legs before it follow.
func (h *House) GiveLeg(ctx context.Context, by, piece int64, leg string, to int64, version int) error {
	_, err := h.ChangePlan(ctx, by, Change{Changes: []plan.Change{{Do: plan.DoGive, Piece: piece, Leg: leg, Person: to}}, Version: version})
	return err
}

// TakeLeg takes an open leg. Of two who take it at once, one has it.
func (h *House) TakeLeg(ctx context.Context, by, piece int64, leg string) error {
	return h.act(ctx, by, func(a *act) error {
		return a.move(order{relay.ActTake, piece, leg, 0}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			if err := a.mayHoldMore(p.DeskID, p.Leg(leg)); err != nil {
				return relay.Move{}, err
			}
			return relay.Take(p, leg, by, s)
		})
	})
}

// Tick marks a step of a checklist done, or open again.
func (h *House) Tick(ctx context.Context, by, piece, step int64, done bool) error {
	return h.act(ctx, by, func(a *act) error {
		steps, err := store.Steps(a, a.tx, piece)
		if err != nil {
			return err
		}
		for _, s := range steps {
			if s.ID != step {
				continue
			}
			kind := relay.ActTick
			if RunsStep(a.b.Person(by), s) {
				kind = relay.ActSee
			}
			p, err := a.load(order{act: kind, piece: piece, leg: s.Leg})
			if err != nil {
				return err
			}
			return a.tick(p, s, done)
		}
		return ErrNotFound
	})
}

// RunsStep reports whether a step names somebody, or a role of theirs: it is theirs to
// tick wherever they see it.
func RunsStep(p store.Person, s store.Step) bool {
	return s.Role != "" && p.Access.May(relay.RunLegs) && (slices.Contains(p.Roles, s.Role) || strings.EqualFold(p.Name, s.Role))
}

func (a *act) tick(p store.Row, s store.Step, done bool) error {
	if done == (s.DoneBy != 0) {
		return nil
	}
	by, at, what := int64(0), day.Moment(0), "unticked “"
	if done {
		by, at, what = a.by, a.now, "ticked “"
	}
	if err := a.tx.TickStep(a, s.ID, by, at); err != nil {
		return err
	}
	if err := a.log(store.Entry{DeskID: p.DeskID, PieceID: p.ID, Act: "ticked", What: what + s.Text + "”", Version: p.Version}); err != nil {
		return err
	}
	return a.touch(p, s.Leg)
}

// touch notes that something was recorded on a running leg, so that it is not quiet.
func (a *act) touch(was store.Row, leg string) error {
	l := was.Leg(leg)
	if l == nil || l.State != relay.Running || l.TouchedAt == a.now {
		return nil
	}
	is := was.Piece
	is.Legs = append([]relay.Leg(nil), was.Legs...)
	is.Leg(leg).TouchedAt = a.now
	if err := a.save(was.Piece, is); err != nil {
		return err
	}
	return a.stand(is)
}
