package plan

import (
	"cmp"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// inARow is how many pieces of one topic after one another are worth a word.
const inARow = 3

// Run is a row of pieces of one topic, with no piece of another between them.
type Run struct {
	Topic  ref.Topic
	Pieces []*relay.Piece // by the time they go out
}

// Runs finds the rows of three and more pieces of one topic among pieces of a desk
// that have a day, in the order they go out. Pieces without a topic, and withdrawn
// ones, neither belong to a row nor break one.
func Runs(pieces []*relay.Piece) []Run {
	row := slices.DeleteFunc(slices.Clone(pieces), func(p *relay.Piece) bool { return p.GoesOut == 0 || p.TopicID == 0 || p.Stage == relay.Withdrawn })
	slices.SortFunc(row, func(x, y *relay.Piece) int { return cmp.Or(cmp.Compare(x.GoesOut, y.GoesOut), cmp.Compare(x.ID, y.ID)) })
	var out []Run
	for len(row) > 0 {
		n := 1
		for n < len(row) && row[n].TopicID == row[0].TopicID {
			n++
		}
		if n >= inARow {
			out = append(out, Run{row[0].TopicID, row[:n:n]})
		}
		row = row[n:]
	}
	return out
}

// targetDays is the span for which the targets of topics are given.
const targetDays = 28

// Target gives how many pieces of a topic a span of days is to have, from its target
// for four weeks, to the nearest whole piece.
func Target(inFourWeeks, days int) int { return (2*inFourWeeks*days + targetDays) / (2 * targetDays) }

// newRuns finds the rows that changes make or lengthen: those of the board after them,
// with a changed piece in them, that were not there before in full.
func (b *Board) newRuns(after *Board, moved []ref.Piece) []Run {
	if b.sameOrder(after) {
		return nil
	}
	var out []Run
	for desk := range b.Desks {
		was := Runs(b.onDesk(desk))
		for _, r := range Runs(after.onDesk(desk)) {
			concerns := slices.ContainsFunc(r.Pieces, func(p *relay.Piece) bool { return slices.Contains(moved, p.ID) })
			if concerns && !slices.ContainsFunc(was, func(x Run) bool { return x.covers(r) }) {
				out = append(out, r)
			}
		}
	}
	slices.SortFunc(out, func(x, y Run) int { return cmp.Compare(x.Pieces[0].ID, y.Pieces[0].ID) })
	return out
}

// sameOrder reports whether nothing differs on another board by which pieces stand in rows. The pieces stand
// in the same places on both.
func (b *Board) sameOrder(after *Board) bool {
	return slices.EqualFunc(b.Pieces, after.Pieces, func(x, y *relay.Piece) bool {
		return x == y || x.ID == y.ID && x.DeskID == y.DeskID && x.TopicID == y.TopicID && x.GoesOut == y.GoesOut && (x.Stage == relay.Withdrawn) == (y.Stage == relay.Withdrawn)
	})
}

// covers reports whether a row has all the pieces of another.
func (r Run) covers(x Run) bool {
	return !slices.ContainsFunc(x.Pieces, func(p *relay.Piece) bool {
		return !slices.ContainsFunc(r.Pieces, func(q *relay.Piece) bool { return q.ID == p.ID })
	})
}

func (b *Board) onDesk(desk ref.Desk) []*relay.Piece {
	var out []*relay.Piece
	for _, p := range b.Pieces {
		if p.DeskID == desk && p.TopicID != 0 {
			out = append(out, p)
		}
	}
	return out
}

// Stand is how a piece would stand on a day.
type Stand struct {
	Pace   Pace
	InHand int
}

// Stands gives how a piece under way would stand if it went out on each of some
// dates, without anything else being changed; one projection serves all of them.
func (h *Desk) Stands(p *relay.Piece, today day.Date, dates []day.Date) []Stand {
	pr := h.Forward(p, today)
	out := make([]Stand, len(dates))
	for k, d := range dates {
		slack, any := 0, false
		for i := range p.Legs {
			if l := &p.Legs[i]; p.Final(l.Key) {
				if n := int(h.lastFinish(l, h.Ready(d)) - pr.End[i]); !any || n < slack {
					slack, any = n, true
				}
			}
		}
		if out[k] = (Stand{Ready, slack}); !p.Ready() {
			out[k].Pace = h.PaceOf(slack)
		}
	}
	return out
}
