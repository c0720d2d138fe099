package relay

import (
	"fmt"
	"greenbaton/core/ref"
	"strings"
)

// SendBack returns a piece from a running leg to an earlier one with reasons.
// That leg reopens with its holder and a rework allowance: days, or where days
// is 0 half of the first allowance, rounded up and at least 1. Every leg behind
// it that had begun waits again; its record is kept. Due dates set by hand were
// for the runs that are over: those of the leg it goes to and of all that wait
// again are lifted. From may be empty for a piece whose legs are all passed and
// for one that was withdrawn.
func SendBack(p Piece, from, to, reasons string, days int, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	target := m.Piece.Leg(to)
	if strings.TrimSpace(reasons) == "" {
		return m, &Refusal{Reason: ErrInput, Field: "reasons", Text: "Say why it goes back, so that its holder can start at once."}
	}
	if days < 0 || days > 250 {
		return m, &Refusal{Reason: ErrInput, Field: "days", Text: "The days for rework lie between 1 and 250."}
	}
	if err := canReturn(&m.Piece, from, target); err != nil {
		return m, err
	}
	var had ref.Person
	if l := m.Piece.Leg(from); l != nil {
		had = l.Holder
	}
	m.Piece.Stage = UnderWay
	behind := m.Piece.Behind(to)
	m.tell(SentBack, to, had, target.Holder, reasons)
	for i := range m.Piece.Legs {
		if l := &m.Piece.Legs[i]; behind[l.Key] && (l.State == Running || l.State == Passed) {
			m.reset(l, l.Key == from, s)
		}
	}
	if days == 0 {
		days = max(1, (target.Allowance+1)/2)
	}
	target.State, target.Rework, target.Worked, target.Reasons, target.Pin = Running, days, 0, reasons, 0
	target.StartDay, target.HeldDay, target.EndDay = s.Calendar.Day(s.Calendar.End(s.Today)), 0, 0
	target.StartedAt, target.TouchedAt = s.Now, s.Now
	target.Run++
	return m, nil
}

// reset makes a leg that had begun wait again. A run that had ended is on record already.
func (m *Move) reset(l *Leg, sender bool, s Scene) {
	if l.State == Running {
		outcome := "reset"
		if sender {
			outcome = "sent back"
		} else {
			m.tell(Reset, l.Key, l.Holder, l.Holder, "")
		}
		m.end(l, s, outcome)
	}
	l.State, l.StartDay, l.HeldDay, l.EndDay, l.StartedAt, l.Rework, l.Worked, l.Reasons, l.Pin = Waiting, 0, 0, 0, 0, 0, 0, "", 0
}

// MayLift gives the legs whose due date was set by hand and falls away if the piece
// goes back to them or to one before them.
func MayLift(p *Piece) []Leg {
	var out []Leg
	for _, l := range p.Legs {
		if l.Pin != 0 && (l.State == Running || l.State == Passed) {
			out = append(out, l)
		}
	}
	return out
}

// Lifted gives the legs whose due date was set by hand before a move and is not
// after it, as they were.
func Lifted(was, is *Piece) []Leg {
	var out []Leg
	for _, l := range was.Legs {
		if now := is.Leg(l.Key); l.Pin != 0 && now != nil && now.Pin == 0 {
			out = append(out, l)
		}
	}
	return out
}

func canReturn(p *Piece, from string, target *Leg) error {
	if target == nil || target.State != Passed {
		return notNow("A piece goes back to a leg that was passed. Choose another.")
	}
	if from == "" {
		if p.Stage == Out {
			return notNow("The piece is out. Withdraw it first, then send it back.")
		}
		if !p.Ready() {
			return notNow("Say from which leg the piece goes back.")
		}
		return nil
	}
	l := p.Leg(from)
	if err := mustRun(p, l); err != nil {
		return err
	}
	if !p.Before(from)[target.Key] {
		return notNow(fmt.Sprintf("%s does not lead to %s, so the piece cannot go back there from it.", target.Name, l.Name))
	}
	return nil
}
