package planning

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// LeaveAfter leaves legs after release out, the one named or all that are left, for a reason.
func (h Moves) LeaveAfter(ctx context.Context, by ref.Person, piece ref.Piece, leg, why string, version int) error {
	act := relay.ActSkip
	if leg == "" {
		act = relay.ActPlan
	}
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: act, Piece: piece, Leg: leg, Version: version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			return relay.LeaveAfter(p, leg, why, s)
		})
	})
}

// Following is something that is to be done when a piece is out, beside what its route says.
type Following struct {
	Name   string
	Role   string // of who runs it; none is that of whoever holds it, or the owner's
	Holder ref.Person
	Days   int // working days after the piece is out by which it is done
}

// AddAfter adds something to what is done when a piece is out.
func (h Moves) AddAfter(ctx context.Context, by ref.Person, piece ref.Piece, version int, f Following) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		return a.Move(newsroom.Order{Act: relay.ActPlan, Piece: piece, Version: version}, func(p relay.Piece, s relay.Scene) (relay.Move, error) {
			if f.Role = strings.ToLower(strings.TrimSpace(f.Role)); f.Role == "" {
				who := f.Holder
				if who == 0 {
					who = p.Owner
				}
				f.Role = newsroom.FirstOf(a.Setup.Person(who).Roles)
			}
			if why := a.Setup.MayHold(f.Holder, p.DeskID, f.Role); why != "" {
				return relay.Move{}, newsroom.Invalid("holder", "%s", why)
			}
			m, err := relay.AddAfter(p, f.Name, f.Role, f.Holder, f.Days, s)
			if err == nil && p.Stage == relay.UnderWay {
				a.Setup.Planned[p.DeskID].Dates(&m.Piece)
			}
			return m, err
		})
	})
}

// LeftToDo is a piece that is out, with the legs after release that are not over.
type LeftToDo struct {
	Row  store.Row
	Legs []relay.Leg
}

// AfterRelease gives what is left to do at the pieces of a desk that are out, as far as somebody
// sees them: those with what is due first before the others, then those that went out first.
func (h Overview) AfterRelease(ctx context.Context, who ref.Person, desk ref.Desk) ([]LeftToDo, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	w := b.Who(who, desk)
	var out []LeftToDo
	for _, e := range entries {
		if e.DeskID != desk || !e.AfterOpen() || relay.May(relay.ActSee, w, &e.Piece, nil, "") != nil {
			continue
		}
		x := LeftToDo{Row: e.Row}
		for _, l := range e.After {
			if !l.Done() && (w.Access.May(relay.SeeAll) || l.Holder == who) {
				x.Legs = append(x.Legs, l)
			}
		}
		if len(x.Legs) > 0 {
			out = append(out, x)
		}
	}
	slices.SortStableFunc(out, func(x, y LeftToDo) int {
		return cmp.Or(cmp.Compare(firstDue(x.Legs), firstDue(y.Legs)), cmp.Compare(x.Row.OutAt, y.Row.OutAt))
	})
	return out, nil
}

// SayAfter says how much is left to do at pieces that are out, and whether nothing of it is
// overdue.
func SayAfter(list []LeftToDo, today day.Date) (says string, good bool) {
	left, late, open := 0, 0, 0
	for _, x := range list {
		for _, l := range x.Legs {
			left, late, open = left+1, late+newsroom.Count(l.Due != 0 && l.Due < today), open+newsroom.Count(l.Holder == 0)
		}
	}
	if left == 0 {
		return "Nothing is left to do at any piece that is out.", true
	}
	says = fmt.Sprintf("%s to do at %s, ", english.Count(left, "thing"), english.Plural(len(list), "piece"))
	if late == 0 {
		says += "none overdue."
	} else {
		says += fmt.Sprintf("%d of them overdue.", late)
	}
	if open > 0 {
		says += fmt.Sprintf(" Nobody has %d of them.", open)
	}
	return says, late == 0
}

// firstDue gives the first day by which one of some legs is done.
func firstDue(legs []relay.Leg) (first int64) {
	for _, l := range legs {
		if d := int64(l.Due); first == 0 || d != 0 && d < first {
			first = d
		}
	}
	return first
}
