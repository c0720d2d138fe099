package relay

import (
	"fmt"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/route"
)

// Start makes the first legs of a new piece run and skips those that are not
// needed. Its legs are all waiting.
func Start(p Piece, needed map[string]bool, s Scene) Move {
	m := Park(p, needed)
	m.begin(s, s.Calendar.NextWorking(s.Today))
	return m
}

// Park makes a piece of which nothing runs yet.
func Park(p Piece, needed map[string]bool) Move {
	m := Move{Piece: p.copy()}
	m.tell(Created, "", 0, p.Owner, "")
	for i := range m.Piece.Legs {
		if l := &m.Piece.Legs[i]; l.Skip == route.SkipUnless && !needed[l.Key] {
			l.State = Skipped
		}
	}
	return m
}

// Begin lets a parked piece begin with its first legs.
func Begin(p Piece, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	if !p.Parked() {
		return m, notNow("The piece has begun already. Look at it again.")
	}
	m.tell(Begun, "", 0, p.Owner, "")
	m.begin(s, s.Calendar.NextWorking(s.Today))
	return m, nil
}

// NewLegs makes the legs of a piece from a route, all of them waiting.
func NewLegs(r route.Route) []Leg {
	out := make([]Leg, len(r.Legs))
	for i, l := range r.Legs {
		after := strings.Join(l.After, ",")
		out[i] = Leg{
			Position: i, Key: l.Key, Name: l.Name, Role: l.Role, Holder: max(0, l.Usual), Allowance: l.Allowance,
			Least: l.Least, Effort: l.Effort, After: after, Beside: l.Beside, Skip: l.Skip, Words: l.Words, Proposes: l.Proposes, SignOff: l.SignOff, State: Waiting,
		}
	}
	return out
}

// goOn begins what nothing holds any more after a change of a piece, unless the piece is parked.
func (m *Move) goOn(was *Piece, s Scene, first day.Date) {
	if !was.Parked() {
		m.begin(s, first)
	} else if m.Piece.Ready() {
		m.tell(AllPassed, "", 0, m.Piece.Owner, "")
	}
}

// begin sets running every waiting leg whose legs before are all done, with
// first as the first day counted for it.
func (m *Move) begin(s Scene, first day.Date) {
	began := false
	for i := range m.Piece.Legs {
		l := &m.Piece.Legs[i]
		if l.State != Waiting || !m.Piece.free(l) {
			continue
		}
		l.State, l.StartDay, l.HeldDay, l.EndDay, l.StartedAt, l.TouchedAt = Running, first, 0, 0, s.Now, s.Now
		if l.NotBefore > first {
			l.StartDay = s.Calendar.NextWorking(l.NotBefore)
		}
		l.Run++
		began = true
		m.tell(Began, l.Key, 0, l.Holder, "")
	}
	if !began && m.Piece.Ready() {
		m.tell(AllPassed, "", 0, m.Piece.Owner, "")
	}
}

// Pass ends a running leg and begins what waited for it. To names new holders
// of legs that begin by it, by their keys. Unmet is what its conditions still
// ask for: with it the pass is refused, unless the owner or a lead gives a reason.
func Pass(p Piece, key string, to map[string]ref.Person, unmet []string, why string, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	l := m.Piece.Leg(key)
	if err := mustRun(&p, l); err != nil {
		return m, err
	}
	if len(unmet) > 0 && why == "" {
		return m, &Refusal{Reason: ErrUnmet, Unmet: unmet, Text: fmt.Sprintf("%s is not finished yet: %s.", l.Name, english.And(unmet))}
	}
	for k, person := range to {
		next := m.Piece.Leg(k)
		if next == nil || next.State != Waiting {
			return m, notNow("The leg you chose a person for does not come next. Look at the piece again.")
		}
		next.Holder = person
	}
	m.end(l, s, "passed")
	l.State, l.EndDay, l.TouchedAt = Passed, s.Today, s.Now
	m.tell(PassedOn, key, l.Holder, 0, why)
	if l.Later {
		m.beginAfter(s)
	} else {
		m.begin(s, s.Calendar.Day(s.Calendar.End(s.Today)))
	}
	return m, nil
}

func mustRun(p *Piece, l *Leg) error {
	switch {
	case l == nil:
		return notNow("This piece has no such leg. Look at the piece again.")
	case !p.live(l):
		return notNow("The piece is " + string(p.Stage) + "; its legs are over.")
	case l.State != Running:
		return notNow(fmt.Sprintf("%s is not running now. Look at the piece again.", l.Name))
	}
	return nil
}

// SkipLeg leaves out a leg that the route allows to leave out.
func SkipLeg(p Piece, key, why string, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	l := m.Piece.Leg(key)
	switch {
	case l == nil || !p.live(l) || l.Done():
		return m, notNow("This leg is already over.")
	case l.Later:
		return LeaveAfter(p, key, why, s)
	case l.Skip == route.SkipNever:
		return m, notNow(fmt.Sprintf("The route does not allow %s to be skipped. Pass it instead.", l.Name))
	}
	if l.State == Running {
		m.end(l, s, "skipped")
	}
	l.State, l.EndDay, l.TouchedAt = Skipped, s.Today, s.Now
	m.tell(LeftOut, key, l.Holder, 0, why)
	m.goOn(&p, s, s.Calendar.Day(s.Calendar.End(s.Today)))
	return m, nil
}

// NeedLeg brings a skipped leg back, as long as nothing behind it has begun.
func NeedLeg(p Piece, key string, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	l := m.Piece.Leg(key)
	if l == nil || l.State != Skipped || p.Stage != UnderWay {
		return m, notNow("This leg is not skipped.")
	}
	for k := range p.Behind(key) {
		if b := p.Leg(k); b.State != Waiting && b.State != Skipped {
			return m, notNow(fmt.Sprintf("%s has begun, so %s can no longer come before it. Send the piece back instead.", b.Name, l.Name))
		}
	}
	l.State, l.EndDay, l.Run = Waiting, 0, 0
	m.tell(Needed, key, 0, l.Holder, "")
	m.goOn(&p, s, s.Calendar.NextWorking(s.Today))
	return m, nil
}
