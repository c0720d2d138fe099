package relay

import (
	"fmt"
	"iter"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/route"
)

// Every gives all legs of a piece, those after release last.
func (p *Piece) Every() iter.Seq[*Leg] {
	return func(yield func(*Leg) bool) {
		for i := range p.Legs {
			if !yield(&p.Legs[i]) {
				return
			}
		}
		for i := range p.After {
			if !yield(&p.After[i]) {
				return
			}
		}
	}
}

// has reports whether some leg of a piece, before release or after it, is so.
func (p *Piece) has(so func(*Leg) bool) bool {
	for l := range p.Every() {
		if so(l) {
			return true
		}
	}
	return false
}

// At gives the leg at a position, those after release behind the others.
func (p *Piece) At(position int) *Leg {
	if position >= len(p.Legs) {
		return &p.After[position-len(p.Legs)]
	}
	return &p.Legs[position]
}

// Closed reports whether nothing is left to do at a piece that is out.
func (p *Piece) Closed() bool { return p.Stage == Out && !p.afterOpen() }

// AfterOpen reports whether legs after release are left to do at a piece that is out.
func (p *Piece) AfterOpen() bool { return p.Stage == Out && p.afterOpen() }

func (p *Piece) afterOpen() bool {
	for i := range p.After {
		if !p.After[i].Done() {
			return true
		}
	}
	return false
}

// Live reports whether a piece has legs that can still be run: it is under way, or out with
// something left to do.
func (p *Piece) Live() bool { return p.Stage == UnderWay || p.AfterOpen() }

// live reports whether a leg of a piece can still be run: those of its way while it is under
// way, those after release until it is withdrawn.
func (p *Piece) live(l *Leg) bool {
	return p.Stage == UnderWay || l.Later && p.Stage == Out
}

// DueAfter gives the day by which a leg after release is done, of a piece that went out, or is
// to go out, on a date; none where it has no day.
func DueAfter(l *Leg, out day.Date, c *day.Calendar) day.Date {
	switch {
	case l.Pin != 0:
		return l.Pin
	case out == 0:
		return 0
	}
	return c.Due(c.Start(out) + day.Boundary(l.Allowance) + 1)
}

// NewAfter makes the legs after release of a piece from a route, all of them waiting.
func NewAfter(r route.Route) []Leg {
	var out []Leg
	for i, l := range r.After {
		out = append(out, Leg{
			Position: len(r.Legs) + i, Key: l.Key, Name: l.Name, Role: l.Role, Holder: max(0, l.Usual), Allowance: l.Allowance, Effort: l.Effort,
			After: strings.Join(l.After, ","), State: Waiting, Later: true, Makes: l.Makes,
		})
	}
	return out
}

// goOut begins the legs after release that wait for nothing, and sets the days by which all of
// them are done from the day on which the piece went out.
func (m *Move) goOut(s Scene) {
	for i := range m.Piece.After {
		if l := &m.Piece.After[i]; !l.Done() {
			l.Due = DueAfter(l, s.Today, s.Calendar)
		}
	}
	m.beginAfter(s)
}

// beginAfter sets running what nothing holds any more of the legs after release.
func (m *Move) beginAfter(s Scene) {
	for i := range m.Piece.After {
		l := &m.Piece.After[i]
		if l.State != Waiting || !m.Piece.free(l) {
			continue
		}
		first := s.Calendar.NextWorking(s.Today)
		l.State, l.StartDay, l.HeldDay, l.EndDay, l.StartedAt, l.TouchedAt = Running, first, 0, 0, s.Now, s.Now
		l.Run++
		m.tell(Began, l.Key, 0, l.Holder, "")
	}
	if m.Piece.Closed() && len(m.Piece.After) > 0 {
		m.tell(Closed, "", 0, m.Piece.Owner, "")
	}
}

// recall lets the legs after release wait again of a piece that is withdrawn.
func (m *Move) recall(s Scene) {
	for i := range m.Piece.After {
		l := &m.Piece.After[i]
		if l.State != Running {
			continue
		}
		m.end(l, s, "reset")
		l.State, l.StartDay, l.HeldDay, l.StartedAt, l.Due = Waiting, 0, 0, 0, 0
		m.tell(Recalled, l.Key, l.Holder, 0, "")
	}
}

// LeaveAfter leaves legs after release out, the one named or all that are left, for a reason.
func LeaveAfter(p Piece, key, why string, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	if why = strings.TrimSpace(why); why == "" {
		return m, &Refusal{Reason: ErrInput, Field: "why", Text: "Say why it is left out, so that nobody asks later."}
	}
	n := 0
	for i := range m.Piece.After {
		l := &m.Piece.After[i]
		if key != "" && l.Key != key || l.Done() || !p.live(l) {
			continue
		}
		if n++; l.State == Running {
			m.end(l, s, "skipped")
		}
		l.State, l.EndDay, l.TouchedAt = Skipped, s.Today, s.Now
		m.tell(LeftOut, l.Key, l.Holder, 0, why)
	}
	if n == 0 {
		return m, notNow("Nothing of this is left to do. Look at the piece again.")
	}
	if p.Stage == Out {
		m.beginAfter(s)
	}
	return m, nil
}

// AddAfter adds a leg of its own to what is done after a piece is out, due so many working days
// after that; it begins at once where the piece is out already.
func AddAfter(p Piece, name, role string, holder ref.Person, days int, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	leg := route.Leg{Key: freeKey(&p), Name: strings.TrimSpace(name), Role: role, Allowance: days}
	if err := leg.Check(); err != nil {
		return m, &Refusal{Reason: ErrInput, Field: "name", Text: err.Error()}
	}
	switch {
	case p.Stage == Withdrawn:
		return m, notNow("The piece is withdrawn; nothing follows from it.")
	case len(p.After) >= route.MaxLegs:
		return m, notNow("A piece has forty such legs at most. Leave one out first.")
	}
	added := NewAfter(route.Route{After: []route.Leg{leg}})[0]
	added.PieceID, added.Position, added.Holder = p.ID, len(p.Legs)+len(p.After), holder
	m.Piece.After = append(m.Piece.After, added)
	m.tell(Added, added.Key, 0, holder, "")
	if p.Stage == Out {
		m.Piece.After[len(p.After)].Due = DueAfter(&added, s.Today, s.Calendar)
		m.beginAfter(s)
	}
	return m, nil
}

// ownKey begins the keys of legs that are added by hand.
const ownKey = "own-"

// freeKey gives a key that no leg of a piece has.
func freeKey(p *Piece) string {
	for n := 1; ; n++ {
		if key := fmt.Sprintf("%s%d", ownKey, n); p.Leg(key) == nil {
			return key
		}
	}
}
