package piece

import (
	"errors"

	"github.com/labstack/echo/v5"

	"net/url"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/release"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// afterLeg is something that is done when a piece is out.
type afterLeg struct {
	planning.LegSheet
	Who, Due, Says                           string
	Late                                     bool
	Steps                                    []pieceStep
	People                                   []store.Person
	MayPass, MayGive, MayTake, MayLeave, May bool // May: any of the three behind Change
}

// afterView is what is done when a piece is out, on its page.
type afterView struct {
	Piece   ref.Piece
	Version int
	Out     bool
	Legs    []afterLeg
	Left    int            // that are not over
	MayAdd  bool           // whoever looks may add to it and leave all of it out
	People  []store.Person // who could do what is added
	From    *relay.Piece   // the piece from which this one was begun
	Begun   []begunView    // pieces that were begun from it
	Where   []whereView    // where it is, once it is out
	Typed   url.Values     // what a form came back with
	Opened  string
	Field   string
}

// begunView is a piece that was begun from another, and how it stands.
type begunView struct {
	ID                ref.Piece
	Title, Says, Tone string
}

// whereView is a place where a piece is that is out, or is to be.
type whereView struct {
	Channel, Says, Address string
	Wrong                  bool // it does not get there
}

// where adds where a piece is that is out, for who may prepare it.
func (s *Section) where(c *echo.Context, b *newsroom.Setup, v *pieceView) error {
	if !v.After.Out || !v.Sheet.Inside {
		return nil
	}
	places, err := s.Sheets.Places(c.Request().Context(), kit.Me(c).ID, v.Row.ID)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) || errors.Is(err, newsroom.ErrNotFound) {
		return nil
	}
	for _, p := range places {
		x := whereView{Channel: b.Channel(p.ChannelID).Name, Says: release.SayWhen(b, &v.Row, &p.Delivery)}
		if p.Has != 0 {
			x.Address = p.Address
		}
		if p.Wants != p.Has && p.Tries > 0 {
			x.Says, x.Wrong = "does not get there", true
		}
		if p.Part != store.FormerPlace {
			v.After.Where = append(v.After.Where, x)
		}
	}
	return err
}

// derived adds what was begun from a piece, and from what it was.
func (s *Section) derived(c *echo.Context, v *pieceView) error {
	from, begun, err := s.Planning.Derived(c.Request().Context(), kit.Me(c).ID, &v.Row.Piece)
	v.After.From = from
	for _, row := range begun {
		v.After.Begun = append(v.After.Begun, begunView{row.ID, row.Title, newsroom.SayPace(row.Standing), kit.Tone(row.Standing)})
	}
	return err
}

func newAfterView(b *newsroom.Setup, s planning.Sheet, who store.Person) afterView {
	r := &s.Row
	v := afterView{Piece: r.ID, Version: r.Version, Out: r.Stage == relay.Out, MayAdd: s.May[relay.ActPlan] && r.Stage != relay.Withdrawn}
	if v.MayAdd {
		v.People = kit.Suited(b, r.DeskID, "", 0)
	}
	for _, l := range s.After {
		x := afterLeg{LegSheet: l, Who: b.Name(l.Holder)}
		if l.Due != 0 {
			x.Due = english.Date(l.Due)
		}
		live := !l.Done() && r.Stage != relay.Withdrawn
		switch l.State {
		case relay.Passed:
			x.Says = "done " + english.Date(l.EndDay)
		case relay.Skipped:
			x.Says = "left out"
		case relay.Running:
			x.Late = l.Due != 0 && l.Due < s.Today
		case relay.Waiting:
			if x.Says = "when it is out"; v.Out {
				x.Says = "waits"
			}
		}
		v.Left += kit.Bit(live)
		x.MayPass = live && l.State == relay.Running && l.May[relay.ActPass]
		x.MayGive = live && l.May[relay.ActGive]
		x.MayTake = live && l.Holder == 0 && l.May[relay.ActTake]
		x.MayLeave = live && l.May[relay.ActSkip] || live && s.May[relay.ActPlan]
		if x.May = x.MayGive || x.MayTake || x.MayLeave; x.MayGive {
			x.People = kit.Suited(b, r.DeskID, l.Role, l.Holder)
		}
		for _, step := range s.Steps {
			if step.Leg == l.Key {
				x.Steps = append(x.Steps, pieceStep{step, b.Name(step.DoneBy), "", l.May[relay.ActTick] || planning.RunsStep(who, step)})
			}
		}
		if s.Whole || l.Holder == who.ID || x.MayTake {
			v.Legs = append(v.Legs, x)
		}
	}
	return v
}

// after adds something to what is done when a piece is out.
func (s *Section) after(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		days, err := kit.Whole(form, "days", "days", "the working days after release", 0)
		if err != nil {
			return "", err
		}
		f := planning.Following{Name: form.Get("name"), Holder: kit.Int[ref.Person](form, "holder"), Days: days}
		return "Added.", s.Planning.AddAfter(c.Request().Context(), kit.Me(c).ID, id, kit.Version(form), f)
	})
}

// leaveAfter leaves something that is done after release out, or all of it.
func (s *Section) leaveAfter(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		return "Left out.", s.Planning.LeaveAfter(c.Request().Context(), kit.Me(c).ID, id, form.Get("leg"), form.Get("why"), kit.Version(form))
	})
}
