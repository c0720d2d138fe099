package figures

import (
	"context"
	"sync"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/weblog"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// visits tells visits from further requests of the same visit.
type visits struct {
	mu sync.Mutex
	of weblog.Visits
}

// counts is what the program counted and has not stored yet, and when it was stored last.
type counts struct {
	newsroom.Gathered[countKey]
	stored time.Time
}

type countKey struct {
	piece  ref.Piece
	on     day.Date
	source string
}

// countEach is how often what was counted is stored.
const countEach = time.Minute

// Visit counts that somebody came to the page of a piece on the shipped site. Neither address nor
// agent is kept; robots, and the desk's own people by their addresses, are no visitors.
func (h Room) Visit(ctx context.Context, piece ref.Piece, address, agent string) {
	if weblog.Robot(agent) {
		return
	}
	h.note(ctx, piece, measure.Visits, func(d store.Desk) bool {
		ours, _ := weblog.Prefixes(d.OwnHosts)
		if weblog.Among(address, ours) {
			return false
		}
		v := newsroom.PartOf[visits](h.Newsroom)
		v.mu.Lock()
		defer v.mu.Unlock()
		return v.of.Take(address, agent, piece, h.Clock())
	})
}

func (h Room) clicked(ctx context.Context, piece ref.Piece) {
	h.note(ctx, piece, measure.Clicks, func(store.Desk) bool { return true })
}

// note counts something of a piece today, if it counts by the desk of the piece.
func (h Room) note(ctx context.Context, piece ref.Piece, source string, isOne func(store.Desk) bool) {
	b, err := h.Setup(ctx)
	if err != nil {
		return
	}
	all, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return
	}
	if e := newsroom.EntryOf(all, piece); e != nil && isOne(b.Desk(e.DeskID)) {
		newsroom.PartOf[counts](h.Newsroom).Add(countKey{piece, h.Now().Date(b.Zones[e.DeskID]), source}, 1)
	}
}

// storeCounts adds what was counted since the last round to the figures of the measures for which
// it is counted, once a minute.
func (h Room) storeCounts(ctx context.Context) error {
	c, now := newsroom.PartOf[counts](h.Newsroom), h.Clock()
	if since := now.Sub(c.stored); since >= 0 && since < countEach {
		return nil
	}
	c.stored = now
	return c.Store(func(of map[countKey]int) error {
		return h.Do(ctx, 0, func(a *newsroom.Command) error { return addCounts(a, of) })
	})
}

func addCounts(a *newsroom.Command, of map[countKey]int) error {
	a.Hushed = true
	var all []store.Figure
	for k, n := range of {
		row, err := store.Piece(a, a.Tx, k.piece)
		if err != nil {
			return err
		}
		for _, m := range a.Setup.MeasuresOf(row.DeskID) {
			if m.Counts != k.source {
				continue
			}
			was, err := store.FiguresOn(a, a.Tx, k.piece, m.ID)
			if err != nil {
				return err
			}
			f := store.Figure{PieceID: k.piece, MeasureID: m.ID, Day: k.on, Source: k.source, Value: float64(n), At: a.Now}
			for _, x := range was {
				if x.Day == k.on && x.Source == k.source {
					f.Value += x.Value
				}
			}
			all = append(all, f)
		}
	}
	if len(all) == 0 {
		return nil
	}
	return Put(a, all)
}
