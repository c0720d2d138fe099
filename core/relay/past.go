package relay

import (
	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Past makes a piece one that went out before it was kept here: at a time, on a day of its desk.
// Whoever wrote it, 0 for nobody who is known, has passed the legs of the words on that day; of the
// others nothing is known.
func Past(p Piece, at day.Moment, on day.Date, writer ref.Person) Piece {
	is := p.copy()
	is.Stage, is.GoesOut, is.OutAt, is.CreatedAt, is.MissedAt = Out, at, at, at, 0
	for l := range is.Every() {
		l.State, l.Holder, l.Due, l.Pin, l.NotBefore, l.Offered, l.Fee = Skipped, 0, 0, 0, 0, "", 0
		l.Run, l.StartDay, l.HeldDay, l.EndDay, l.StartedAt, l.TouchedAt, l.TakenAt = 0, 0, 0, 0, 0, 0, 0
		if l.Words && !l.Later && writer != 0 {
			l.State, l.Holder, l.Run, l.StartDay, l.EndDay, l.StartedAt = Passed, writer, 1, on, on, at
		}
	}
	return is
}
