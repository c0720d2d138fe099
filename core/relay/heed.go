package relay

import (
	"slices"
	"strings"

	"greenbaton/core/route"
)

// Heed adds to a move what follows from an answer to an extra field: legs of the
// route that are run only with that answer are brought back or skipped, as far as
// they have not begun and the piece is not past them. Several answers are a line each.
func (m Move) Heed(r route.Route, field, answer string, s Scene) (Move, error) {
	if m.Piece.Stage != UnderWay {
		return m, nil
	}
	for _, l := range r.Legs {
		leg := m.Piece.Leg(l.Key)
		if l.Skip != route.SkipUnless || l.When != field || leg == nil {
			continue
		}
		var next Move
		var err error
		switch needed := slices.Contains(strings.Split(answer, "\n"), l.Is); {
		case needed && leg.State == Skipped && !m.Piece.past(l.Key):
			next, err = NeedLeg(m.Piece, l.Key, s)
		case !needed && leg.State == Waiting:
			next, err = SkipLeg(m.Piece, l.Key, "", s)
		default:
			continue
		}
		if err != nil {
			return m, err
		}
		next.Events, next.Runs = append(m.Events, next.Events...), append(m.Runs, next.Runs...)
		m = next
	}
	return m, nil
}
