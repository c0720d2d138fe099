package relay

import (
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/core/route"
)

// Reroute moves a piece under way over to another version of its route. Legs are
// matched by their keys. What is done stays done, also where the new route has
// no such leg; a leg that runs goes on under its new figures, and one that the new
// route has not is over. A leg that is new, and that something which has already
// begun would have waited for, is skipped: the piece is past it.
func Reroute(p Piece, r route.Route, id ref.Route, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	switch {
	case p.Stage != UnderWay:
		return m, notNow("The piece is " + string(p.Stage) + "; its route does not change any more.")
	case p.RouteID == id:
		return m, notNow("The piece is on this route already.")
	}
	m.tell(Rerouted, "", 0, p.Owner, "")
	fresh := NewLegs(r)
	var kept []Leg
	for i := range p.Legs {
		l := p.Legs[i]
		if slices.ContainsFunc(fresh, func(x Leg) bool { return x.Key == l.Key }) {
			continue
		}
		switch {
		case l.State == Running:
			m.end(&l, s, "removed")
			m.tell(Removed, l.Key, l.Holder, 0, "")
			fallthrough
		case l.State == Passed:
			l.State, l.After = Passed, ""
			if l.EndDay == 0 {
				l.EndDay = s.Today
			}
			kept = append(kept, l)
		}
	}
	m.Piece.RouteID, m.Piece.Legs = id, append(kept, fresh...)
	for i := range m.Piece.Legs {
		l := &m.Piece.Legs[i]
		l.Position, l.PieceID = i, p.ID
		if i < len(kept) {
			continue
		}
		if was := p.Leg(l.Key); was != nil {
			if l.carry(was); l.State == Running && l.Holder != was.Holder {
				l.came(s)
				m.tell(Given, l.Key, was.Holder, l.Holder, "")
			}
		}
	}
	for i := range m.Piece.Legs {
		l := &m.Piece.Legs[i]
		if p.Leg(l.Key) != nil {
			continue
		}
		l.State = Waiting
		if l.Skip == route.SkipUnless || m.Piece.past(l.Key) {
			l.State = Skipped
		}
	}
	m.Piece.After = NewAfter(r)
	for i := range m.Piece.After {
		l := &m.Piece.After[i]
		l.PieceID, l.Position = p.ID, len(m.Piece.Legs)+i
		if was := p.Leg(l.Key); was != nil && was.Later {
			l.carry(was)
			l.Later = true
		}
	}
	for _, l := range p.After { // those that were added by hand are the piece's own
		if strings.HasPrefix(l.Key, ownKey) {
			l.Position = len(m.Piece.Legs) + len(m.Piece.After)
			m.Piece.After = append(m.Piece.After, l)
		}
	}
	m.goOn(&p, s, s.Calendar.Day(s.Calendar.End(s.Today)))
	return m, nil
}

// carry takes over into a leg of a new route what happened on the old one.
func (l *Leg) carry(was *Leg) {
	after, usual := l.After, l.Holder
	if was.Done() { // its record stays as it was
		position := l.Position
		*l = *was
		l.Position, l.After = position, after
		return
	}
	if was.Role == l.Role {
		l.Holder, l.Offered, l.Fee, l.TakenAt = was.Holder, was.Offered, was.Fee, was.TakenAt
	} else {
		l.Holder = usual
	}
	l.Worked = min(was.Worked, l.Effort)
	l.State, l.Run, l.Rework, l.Reasons = was.State, was.Run, min(was.Rework, route.MaxDays), was.Reasons
	l.Due, l.Pin, l.NotBefore = was.Due, was.Pin, was.NotBefore
	l.StartDay, l.HeldDay, l.EndDay, l.StartedAt, l.TouchedAt = was.StartDay, was.HeldDay, was.EndDay, was.StartedAt, was.TouchedAt
}

// past reports whether something behind a leg has begun or is passed.
func (p *Piece) past(key string) bool {
	for k := range p.Behind(key) {
		if b := p.Leg(k); b.State == Running || b.State == Passed {
			return true
		}
	}
	return false
}
