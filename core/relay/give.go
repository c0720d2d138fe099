package relay

import (
	"fmt"
	"greenbaton/core/ref"
)

// Give hands an unfinished leg to somebody else, or to nobody (0), which opens it.
func Give(p Piece, key string, to ref.Person, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	l := m.Piece.Leg(key)
	switch {
	case l == nil || l.Done() || !p.live(l):
		return m, notNow("This leg is over; it cannot be given to anybody now.")
	case l.Holder == to && to != 0:
		return m, notNow("They have it already.")
	}
	from := l.Holder
	l.Holder, l.TakenAt, l.Offered = to, 0, ""
	if l.State == Running {
		l.came(s)
	}
	m.tell(Given, key, from, to, "")
	return m, nil
}

// came notes that a running leg came to whoever has it now, if anybody has.
func (l *Leg) came(s Scene) { l.HeldDay, l.TouchedAt = s.Today, s.Now }

// Take gives an open leg to the one who takes it. When two take it at once, the
// second is told that it is gone.
func Take(p Piece, key string, who ref.Person, s Scene) (Move, error) {
	l := p.Leg(key)
	if l == nil || l.Done() || !p.live(l) {
		return Move{Piece: p}, notNow("This leg is over; there is nothing left to take.")
	}
	if l.Holder != 0 {
		return Move{Piece: p}, notNow(fmt.Sprintf("%s was taken a moment ago. Thank you for offering.", l.Name))
	}
	m, err := Give(p, key, who, s)
	if err == nil {
		taken := m.Piece.Leg(key)
		m.Events[0].Kind, taken.TakenAt, taken.Offered = Taken, s.Now, l.Offered // to whom it is open when it is given back
	}
	return m, err
}
