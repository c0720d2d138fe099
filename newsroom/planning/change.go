package planning

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Preview works out what changes of the plan would come to, for somebody who may
// make them. Nothing is stored.
func (h Moves) Preview(ctx context.Context, by ref.Person, changes []plan.Change) (plan.Consequence, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return plan.Consequence{}, err
	}
	if err := MayChange(b, by, board, changes); err != nil {
		return plan.Consequence{}, err
	}
	return board.Preview(changes)
}

// mostChanges is how many changes are made at once.
const mostChanges = 200

// MayChange asks for each change whether somebody may make it, and whether it names
// people of the desk.
func MayChange(b *newsroom.Setup, by ref.Person, board *plan.Board, changes []plan.Change) error {
	if len(changes) == 0 || len(changes) > mostChanges {
		return newsroom.Invalid("", "Choose between one and %d changes.", mostChanges)
	}
	for _, c := range changes {
		if c.Do == plan.DoAway {
			if err := MayTakeOff(b, by, c.Person); err != nil {
				return err
			}
			continue
		}
		p := board.Piece(c.Piece)
		if p == nil {
			return newsroom.ErrNotFound
		}
		who, passBy := b.Who(by, p.DeskID), b.Desk(p.DeskID).PassBy
		if by == 0 {
			who = relay.Who{System: true}
		}
		if relay.May(relay.ActSee, who, p, nil, passBy) != nil {
			return newsroom.ErrNotFound
		}
		act, leg := relay.ActPlan, (*relay.Leg)(nil)
		if c.Do == plan.DoGive {
			act, leg = relay.ActGive, p.Leg(c.Leg)
			if leg != nil {
				if why := b.MayHold(c.Person, p.DeskID, leg.Role); why != "" {
					return newsroom.Invalid("to", "%s", why)
				}
			}
		}
		if err := relay.May(act, who, p, leg, passBy); err != nil {
			return err
		}
		if c.Do != plan.DoGive && !relay.MayHouse(relay.LeadDesk, who) && b.Desk(p.DeskID).DatesLocked {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "The dates of this desk are locked, so that only leads change them. Ask one of them."}
		}
	}
	return nil
}

// MayTakeOff lets leads of one of somebody's desks, and staff for themselves, enter
// days off.
func MayTakeOff(b *newsroom.Setup, by, person ref.Person) error {
	who, p := b.Person(by), b.Person(person)
	if by == person && who.Access.May(relay.SayDaysOff) {
		if AsksDaysOff(b, person) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "On your desk days off are asked for. Ask for them, and a lead enters them."}
		}
		return nil
	}
	if who.Access.May(relay.LeadDesk) && slices.ContainsFunc(p.Desks, func(d ref.Desk) bool { return slices.Contains(who.Desks, d) }) {
		return nil
	}
	return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Days off are entered by leads of the desk, and by everybody who works on it for themselves."}
}

// AsksDaysOff reports whether somebody asks for days off and does not enter them.
func AsksDaysOff(b *newsroom.Setup, person ref.Person) bool {
	p := b.Person(person)
	return !p.Access.May(relay.LeadDesk) && slices.ContainsFunc(p.Desks, func(d ref.Desk) bool { return b.Desk(d).DaysAsked })
}

// Change is the order to change the plan as it was previewed.
type Change struct {
	Changes []plan.Change
	Seal    string // of the consequence that was shown; empty where none was
	Version int    // of the only piece, 0 where that does not matter
}

// PlanChanged is a change of the plan that was carried out.
type PlanChanged struct {
	Undo ref.Undo // under which it can be taken back
	What string   // in a few words, as who takes it back reads it
}

// ChangePlan carries out changes of the plan. With a seal, what is stored is what
// was previewed: if anything changed in between, it is refused.
func (h Moves) ChangePlan(ctx context.Context, by ref.Person, o Change) (PlanChanged, error) {
	var done *newsroom.Command
	what := ""
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		done = a
		board, err := h.BoardAt(a, a.Setup, a.Now)
		if err != nil {
			return err
		}
		if err := MayChange(a.Setup, by, board, o.Changes); err != nil {
			return err
		}
		for _, ch := range o.Changes {
			if p := board.Piece(ch.Piece); p != nil && o.Version != 0 && o.Version != p.Version {
				return a.Changed(store.Row{Piece: *p}, o.Version)
			}
		}
		c, err := board.Preview(o.Changes)
		if err != nil {
			return err
		}
		if o.Seal != "" && o.Seal != c.Seal() {
			return &relay.Refusal{Reason: relay.ErrChanged, Text: "Something changed since this was worked out, so nothing was done." + meanwhile(a, o.Changes) + " Below is what it would come to now."}
		}
		what = SayChanges(a.Setup, c)
		return CarryOut(a, c)
	})
	if err != nil {
		return PlanChanged{}, err
	}
	if takesOff(o.Changes) {
		h.Refresh(ctx)
	}
	return PlanChanged{done.UndoID, what}, nil
}

// takesOff reports whether somebody takes days off by changes, which the set-up has to learn.
func takesOff(changes []plan.Change) bool {
	return slices.ContainsFunc(changes, func(c plan.Change) bool { return c.Do == plan.DoAway })
}

// lately is how far back, in seconds, it is looked for what others changed while somebody
// looked at what a change would come to.
const lately = 15 * 60

// meanwhile says what others did to the pieces of some changes a short while ago: " Meanwhile:
// 09:41 Yusuf passed Draft to Maren, Edit."
func meanwhile(a *newsroom.Command, changes []plan.Change) string {
	var says []string
	seen := map[ref.Piece]bool{}
	for _, c := range changes {
		if c.Piece == 0 || seen[c.Piece] {
			continue
		}
		seen[c.Piece] = true
		entries, err := store.LogOf(a, a.Tx, store.LogSieve{Piece: c.Piece, From: a.Now - lately, Limit: 3})
		if err != nil {
			return ""
		}
		for _, e := range slices.Backward(entries) {
			if e.Actor != a.Actor {
				says = append(says, e.At.In(a.Setup.Zones[e.DeskID]).Format("15:04")+" "+a.Setup.Actor(e.Actor)+" "+e.What)
			}
		}
	}
	if len(says) == 0 {
		return ""
	}
	return " Meanwhile: " + strings.Join(says, "; ") + "."
}

// TakeUp says whether somebody may take a piece, or a leg of it, to another place: before
// they let it go, not after.
func (h Moves) TakeUp(ctx context.Context, by ref.Person, c plan.Change) error {
	b, board, err := h.Board(ctx)
	if err != nil {
		return err
	}
	if board.Piece(c.Piece) == nil {
		return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This piece is not under way any more; it stays where it is."}
	}
	return MayChange(b, by, board, []plan.Change{c})
}

// CarryOut stores a consequence and what it replaced.
func CarryOut(a *newsroom.Command, c plan.Consequence) error {
	for _, ch := range c.Changes {
		if ch.Do != plan.DoAway {
			continue
		}
		id, err := takeOff(a, ch)
		if err != nil {
			return err
		}
		a.Undo.Absence = append(a.Undo.Absence, id)
		if ch.Person == a.Actor {
			err = tellAway(a, ch.Person, ch.Date, ch.To, "is away")
		} else {
			err = tellOfDays(a, ch.Person, ch.Date, ch.To)
		}
		if err != nil {
			return err
		}
	}
	for _, e := range c.Effects {
		if e.Untouched {
			continue
		}
		row, err := store.Piece(a, a.Tx, e.Was.ID)
		if err != nil {
			return err
		}
		if row.Version != e.Was.Version {
			return fmt.Errorf("piece %d is version %d on the board and %d in the data", row.ID, e.Was.Version, row.Version)
		}
		if err := a.Keep(row.Piece, e.Move); err != nil {
			return err
		}
		if err := tellDates(a, e); err != nil {
			return err
		}
		a.Remember("", newsroom.UndoPiece{Version: row.Version + 1, Was: row.Piece})
	}
	for _, ch := range c.Changes {
		if ch.Do == plan.DoAway { // the set-up knows it only after this command
			if err := a.Tx.StaleOf(a, ch.Person); err != nil {
				return err
			}
		}
	}
	a.Did = append(a.Did, SayChanges(a.Setup, c))
	return nil
}

func takeOff(a *newsroom.Command, c plan.Change) (ref.Absence, error) {
	p := a.Setup.Person(c.Person)
	note := strings.TrimSpace(c.Note)
	if len([]rune(note)) > 100 {
		return 0, newsroom.Invalid("note", "Keep the note under 100 characters.")
	}
	id, err := a.Tx.AddAbsence(a, store.Absence{PersonID: p.ID, FromDay: c.Date, ToDay: c.To, Note: note})
	if err != nil {
		return 0, err
	}
	a.SetUp = true
	return id, a.Log(store.Entry{
		DeskID: p.Desks[0], Act: "set up", What: fmt.Sprintf("entered days off of %s, %s to %s", p.Name, english.Date(c.Date), english.Date(c.To)), Why: note,
	})
}

// tellDates tells holders of running legs that they are due on another day.
func tellDates(a *newsroom.Command, e plan.Effect) error {
	for _, d := range e.Dates {
		l := e.Move.Piece.Leg(d.Leg)
		if l.State != relay.Running || l.Holder == 0 || l.Holder == a.Actor || d.From == 0 || d.To == 0 || e.Was.Leg(d.Leg).Holder != l.Holder {
			continue
		}
		n := newsroom.Note{To: l.Holder, Kind: "due", Text: fmt.Sprintf("%s is now due %s, no longer %s.", l.Name, english.Date(d.To), english.Date(d.From))}
		if err := a.Send(&e.Move.Piece, n); err != nil {
			return err
		}
	}
	return nil
}

// Report notes how many minutes of work are left in a leg, as its holder says.
func (h Moves) Report(ctx context.Context, by ref.Person, piece ref.Piece, leg string, left, version int) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActReport, Piece: piece, Leg: leg, Version: version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.Report(p, leg, left, s)
		})
	})
}
