package relay

import "greenbaton/core/ref"

// Schedule gives a piece whose legs are all passed to its channel for the time at which it goes
// out; by nobody is by the program.
func Schedule(p Piece, by ref.Person, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	if err := CanGoOut(&p); err != nil {
		return m, err
	}
	switch {
	case p.Stage != UnderWay:
		return m, notNow("The piece is withdrawn. Send it out again by hand, or back to a leg.")
	case p.GoesOut == 0:
		return m, notNow("The piece has no day yet. Give it one first.")
	case p.GoesOut <= s.Now:
		return m, notNow("Its time is past. Send it out now, or give it another day.")
	case p.Scheduled():
		return m, notNow("It is scheduled already.")
	}
	m.Piece.ScheduledFor, m.Piece.ScheduledBy = p.GoesOut, by
	m.tell(Scheduled, "", 0, p.Owner, "")
	return m, nil
}

// Unschedule takes a piece back from its channel before its time, and says why.
func Unschedule(p Piece, why string) (Move, error) {
	m := Move{Piece: p.copy()}
	if !p.Scheduled() {
		return m, notNow("It is not scheduled. Look at the piece again.")
	}
	m.Piece.ScheduledFor, m.Piece.ScheduledBy = 0, 0
	m.tell(Unscheduled, "", p.ScheduledBy, p.Owner, why)
	return m, nil
}
