package relay

import "greenbaton/core/day"

// CanGoOut says why a piece cannot be published, if it cannot.
func CanGoOut(p *Piece) error {
	switch {
	case p.Stage == Out:
		return notNow("The piece is out already.")
	case p.Stage == Withdrawn && p.OutAt == 0:
		return notNow("The piece was taken off before it was out. Make it anew, from it.")
	case !p.Ready():
		return notNow("The piece is not ready: some legs are still to be passed.")
	case p.ChannelID == 0:
		return notNow("The piece has no channel to go out on. Choose one with its day.")
	}
	return nil
}

// SendOut publishes a piece whose legs are all passed.
func SendOut(p Piece, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	if err := CanGoOut(&p); err != nil {
		return m, err
	}
	m.Piece.Stage, m.Piece.OutAt, m.Piece.Corrects = Out, s.Now, 0
	m.tell(WentOut, "", 0, p.Owner, "")
	m.goOut(s)
	return m, nil
}

// Due is what the program does with a piece when its time comes: it sends it
// out, or notes once that it was not ready and tells.
func Due(p Piece, s Scene) (Move, error) {
	if p.Ready() {
		return SendOut(p, s)
	}
	return Miss(p, "")
}

// Miss notes that a piece did not go out at its time, and why it was held where nothing
// else says so.
func Miss(p Piece, why string) (Move, error) {
	m := Move{Piece: p.copy()}
	m.Piece.MissedAt = p.GoesOut
	m.tell(Missed, "", 0, p.Owner, why)
	return m, nil
}

// Withdraw takes a piece back from its channel.
func Withdraw(p Piece, why string, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	if p.Stage != Out {
		return m, notNow("The piece is not out, so there is nothing to withdraw.")
	}
	m.Piece.Stage, m.Piece.Corrects = Withdrawn, 0
	m.tell(Withdrew, "", 0, p.Owner, why)
	m.recall(s)
	return m, nil
}

// farthest is how far ahead a publication time may lie, in seconds: thirty years.
const farthest = 30 * 366 * 86400

// CheckTime refuses a publication time that is past or too far away; no time is fine.
func CheckTime(at, now day.Moment) error {
	switch {
	case at == 0:
		return nil
	case at <= now:
		return &Refusal{Reason: ErrInput, Field: "day", Text: "This time is past. Choose a later day; it can also be left open."}
	case at > now+farthest:
		return &Refusal{Reason: ErrInput, Field: "day", Text: "This day is more than thirty years away. Check the year."}
	}
	return nil
}

// Place gives a piece its day and time, or takes them away with no time. The
// due dates follow from package plan.
func Place(p Piece, at day.Moment, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	switch {
	case p.Stage != UnderWay:
		return m, notNow("The piece is " + string(p.Stage) + "; its day is past.")
	}
	if err := CheckTime(at, s.Now); err != nil {
		return m, err
	}
	m.Piece.GoesOut, m.Piece.MissedAt = at, 0
	m.tell(Placed, "", 0, p.Owner, "")
	return m, nil
}

// Drop takes a piece off its way before it was out: it has no day any more, and what was
// not passed is skipped.
func Drop(p Piece) (Piece, error) {
	is := p.copy()
	if p.Stage != UnderWay {
		return is, notNow("The piece is " + string(p.Stage) + ", so it is not on its way any more.")
	}
	is.Stage, is.GoesOut, is.MissedAt = Withdrawn, 0, 0
	for l := range is.Every() {
		if !l.Done() {
			l.State, l.Due, l.Pin = Skipped, 0, 0
		}
	}
	return is, nil
}

// Correct lets a piece that is out be changed, while readers have it as it was.
func Correct(p Piece, now day.Moment) (Piece, error) {
	is := p.copy()
	switch {
	case p.Stage != Out:
		return is, notNow("The piece is not out, so it can be changed as it is.")
	case p.Corrects != 0:
		return is, notNow("It is being corrected already.")
	}
	is.Corrects = now
	return is, nil
}

// EndCorrection ends a correction, whether it is brought out or dropped.
func EndCorrection(p Piece) (Piece, error) {
	is := p.copy()
	if p.Corrects == 0 {
		return is, notNow("It is not being corrected.")
	}
	is.Corrects = 0
	return is, nil
}
