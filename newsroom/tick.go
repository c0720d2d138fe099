package newsroom

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"time"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Tick does what is due by the house's own time: pieces whose time has come go out or
// are found late, standings of a new day are worked out, and rooms do what they registered
// for before and after that. It is run every second and after the clock moved. Mail goes its
// own way (DeliverMail), so that a slow server holds nothing up. What fails with one piece
// holds back neither the others nor what comes after; see Alone.
func (h *Newsroom) Tick(ctx context.Context) error {
	h.ticking.Lock()
	defer h.ticking.Unlock()
	var failed error
	for _, due := range slices.Concat(h.Hooks.Before, []func(context.Context) error{h.SendDue, h.WorkOut}, h.Hooks.After) {
		failed = errors.Join(failed, due(ctx))
	}
	return failed
}

// Errand is something that the newsroom's tick does for one piece or one person.
type Errand struct {
	What   string // as it goes on after "it failed to"
	Piece  ref.Piece
	Person ref.Person
	Link   string // where it can be looked at, if it is about neither piece nor person
}

// setback is an errand that failed, and waits to be tried again.
type setback struct {
	tries int
	again time.Time // by the clock of the machine
}

// setbacks are the errands that failed when they were last tried.
type setbacks struct {
	mu sync.Mutex
	at map[Errand]setback
}

// The pauses after which an errand that failed is tried again: they double.
const firstPause, longestPause = time.Minute, time.Hour

// waits reports whether an errand failed and is not to be tried again yet.
func (s *setbacks) waits(e Errand) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.at[e].again.After(time.Now())
}

// pieces gives the pieces with which something failed and is not to be tried again yet.
func (s *setbacks) pieces(what string) []ref.Piece {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := []ref.Piece{}
	for e, x := range s.at {
		if e.What == what && x.again.After(time.Now()) {
			out = append(out, e.Piece)
		}
	}
	return out
}

// note keeps whether an errand failed, and reports whether it did so for the first time.
func (s *setbacks) note(e Errand, failed bool) (first bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	was := s.at[e]
	if delete(s.at, e); !failed {
		return false
	}
	if s.at == nil {
		s.at = map[Errand]setback{}
	}
	s.at[e] = setback{was.tries + 1, time.Now().Add(min(firstPause<<min(was.tries, 10), longestPause))}
	return was.tries == 0
}

// Alone does an errand by itself. When it fails, or panics, over what is wrong with its
// piece, that is logged, the leads are told the first time, and it is tried again after a
// while. What is wrong with the machine is given back: it concerns all errands alike.
func (h *Newsroom) Alone(ctx context.Context, e Errand, do func() error) error {
	if h.setbacks.waits(e) {
		return nil
	}
	err := Guarded(do)
	if ctx.Err() != nil || errors.Is(err, relay.ErrMachine) || store.TroubleOf(err) != "" {
		return err
	}
	if errors.Is(err, ErrNotFound) { // what it was about is gone
		err = nil
	}
	first := h.setbacks.note(e, err != nil)
	if err == nil {
		return nil
	}
	h.Log.Error("failed to "+e.What, "piece", e.Piece, "person", e.Person, "problem", err)
	if !first {
		return nil
	}
	return h.tellOfSetback(ctx, e, err)
}

// Guarded does something and gives a panic in it as an error.
func Guarded(do func() error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("panic: %v\n%s", p, debug.Stack())
		}
	}()
	return do()
}

// tellOfSetback tells the leads of the desk of a piece, or of all desks where it is of
// none, that something could not be done.
func (h *Newsroom) tellOfSetback(ctx context.Context, e Errand, problem error) error {
	return h.Do(ctx, 0, func(a *Command) error {
		about, link := "", e.Link
		leads := a.Setup.everyLead()
		if e.Person != 0 {
			about, link = "for "+a.Setup.Person(e.Person).Name, fmt.Sprintf("/people/%d", e.Person)
		}
		if e.Piece != 0 {
			about, link = fmt.Sprintf("with piece %d", e.Piece), fmt.Sprintf("/pieces/%d", e.Piece)
			if row, err := store.Piece(a, a.Tx, e.Piece); err == nil {
				about = "with “" + row.Title + "”"
				if of := a.Setup.Leads(row.DeskID); len(of) > 0 {
					leads = of
				}
			}
		}
		why := problem.Error()
		var refusal *relay.Refusal
		if !errors.As(problem, &refusal) {
			why = "Whoever runs Green Baton finds the reason in its log."
		}
		for _, id := range leads {
			if err := a.Notify(store.Item{PersonID: id, Kind: "setback", Text: fmt.Sprintf("It failed to %s. It is tried again by itself, and holds nothing else back.", strings.TrimSpace(e.What+" "+about)), Why: why, Link: link, At: a.Now}, true); err != nil {
				return err
			}
		}
		return nil
	})
}

// everyLead gives the leads of all desks.
func (b *Setup) everyLead() []ref.Person {
	var out []ref.Person
	for _, p := range b.People {
		if p.Access.May(relay.LeadDesk) && !p.Retired && p.BarredAt == 0 {
			out = append(out, p.ID)
		}
	}
	return out
}

// SendDue does what is due with the pieces whose time has come: those that are ready go
// out, the others are found late, once.
func (h *Newsroom) SendDue(ctx context.Context) error {
	ids, err := store.DueToGoOut(ctx, h.DB.View(), h.Now())
	if err != nil {
		return fmt.Errorf("find what goes out: %w", err)
	}
	var failed error
	for _, id := range ids {
		failed = errors.Join(failed, h.Alone(ctx, Errand{What: "do what is due at its time", Piece: id}, func() error { return h.sendDue(ctx, id) }))
	}
	return failed
}

func (h *Newsroom) sendDue(ctx context.Context, id ref.Piece) error {
	return h.Do(ctx, 0, func(a *Command) error {
		return a.Move(Order{relay.ActRelease, id, "", 0}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			if !p.Ready() {
				return relay.Due(p, s)
			}
			for _, held := range h.Hooks.Held {
				switch why, err := held(a, id); {
				case err != nil:
					return relay.Move{}, err
				case why != "":
					return relay.Miss(p, why)
				}
			}
			return relay.Due(p, s)
		})
	})
}

// workingOut is what is done at each piece when a day begins.
const workingOut = "work out how it stands today"

// WorkOut brings the standings of all pieces under way up to the present day.
func (h *Newsroom) WorkOut(ctx context.Context) error {
	for {
		more, err := h.workOut(ctx)
		if err != nil || !more {
			return err
		}
	}
}

// Refresh brings standings up to date after the set-up changed. Of a large desk it does
// what can be done without making anybody wait; the newsroom's tick does the rest, and what
// fails here: what was changed before is stored all the same.
func (h *Newsroom) Refresh(ctx context.Context) {
	if _, err := h.workOut(ctx); err != nil {
		h.Log.Error("bring the day up to date", "problem", err)
	}
}

// workOut works out up to 250 standings of each desk that are not of the day, and reports
// whether there were any. Where that fails with one of them, each is done by itself.
func (h *Newsroom) workOut(ctx context.Context) (some bool, err error) {
	var ids []ref.Piece
	err = Guarded(func() error {
		return h.Do(ctx, 0, func(a *Command) error {
			for _, d := range a.Setup.Desks {
				rows, err := store.NotWorkedOut(a, a.Tx, d.ID, a.Now.Date(a.Setup.Zones[d.ID]), 250, h.setbacks.pieces(workingOut))
				if err != nil {
					return err
				}
				ids = append(ids, IdsOf(rows, func(r store.Row) ref.Piece { return r.ID })...)
				for _, r := range rows {
					if err := a.workOut(r.Piece); err != nil {
						return err
					}
				}
			}
			return nil
		})
	})
	if err == nil || ctx.Err() != nil || errors.Is(err, relay.ErrMachine) || len(ids) == 0 {
		return len(ids) > 0, err
	}
	var failed error
	for _, id := range ids {
		failed = errors.Join(failed, h.Alone(ctx, Errand{What: workingOut, Piece: id}, func() error {
			return h.Do(ctx, 0, func(a *Command) error {
				row, err := store.Piece(a, a.Tx, id)
				if err != nil {
					return err
				}
				return a.workOut(row.Piece)
			})
		}))
	}
	return false, failed // the rest has its turn in the next tick
}

// workOut does what is to be done at a piece when a day begins.
func (a *Command) workOut(p relay.Piece) error {
	if err := a.Stand(p); err != nil {
		return err
	}
	for _, f := range a.Newsroom.Hooks.Day {
		if err := f(a, p); err != nil {
			return err
		}
	}
	return nil
}

// lately notes what is in the log, so that what goes on for hours does not fill it.
type lately struct {
	mu sync.Mutex
	at map[string]time.Time
}

// due reports whether something was not said in the last minute, and notes that it is.
func (l *lately) due(text string, now time.Time) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if was, ok := l.at[text]; ok && now.Sub(was) < time.Minute {
		return false
	}
	if l.at == nil {
		l.at = map[string]time.Time{}
	}
	l.at[text] = now
	return true
}
