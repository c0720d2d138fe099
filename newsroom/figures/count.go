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

// counts is what the program counted and has not stored yet.
type counts struct {
	mu     sync.Mutex
	visits weblog.Visits
	of     map[countKey]int
	stored time.Time
}

type countKey struct {
	piece  ref.Piece
	on     day.Date
	source string
}

// mostCounted bounds what is kept between two rounds; more goes uncounted.
const mostCounted = 50_000

// countEach is how often what was counted is stored.
const countEach = time.Minute

// Visit counts that somebody came to the page of a piece on the shipped site. Neither address nor
// agent is kept, and robots are no visitors.
func (h Room) Visit(ctx context.Context, piece ref.Piece, address, agent string) {
	if weblog.Robot(agent) {
		return
	}
	c := newsroom.PartOf[counts](h.Newsroom)
	c.mu.Lock()
	begins := c.visits.Take(address, agent, piece, h.Clock())
	c.mu.Unlock()
	if begins {
		h.note(ctx, piece, measure.Visits, 1)
	}
}

func (h Room) clicked(ctx context.Context, piece ref.Piece) { h.note(ctx, piece, measure.Clicks, 1) }

// note counts something of a piece today.
func (h Room) note(ctx context.Context, piece ref.Piece, source string, n int) {
	b, err := h.Setup(ctx)
	if err != nil {
		return
	}
	all, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return
	}
	e := newsroom.EntryOf(all, piece)
	if e == nil {
		return
	}
	c := newsroom.PartOf[counts](h.Newsroom)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.of == nil {
		c.of = map[countKey]int{}
	}
	k := countKey{piece, h.Now().Date(b.Zones[e.DeskID]), source}
	if _, known := c.of[k]; known || len(c.of) < mostCounted {
		c.of[k] += n
	}
}

// storeCounts adds what was counted since the last round to the figures of the measures for which
// it is counted, once a minute.
func (h Room) storeCounts(ctx context.Context) error {
	c := newsroom.PartOf[counts](h.Newsroom)
	c.mu.Lock()
	of := c.of
	if len(of) == 0 || h.Clock().Sub(c.stored) < countEach && h.Clock().After(c.stored) {
		c.mu.Unlock()
		return nil
	}
	c.of, c.stored = nil, h.Clock()
	c.mu.Unlock()
	err := h.Do(ctx, 0, func(a *newsroom.Command) error { return addCounts(a, of) })
	if err == nil {
		return nil
	}
	c.mu.Lock() // they are stored the next time
	defer c.mu.Unlock()
	if c.of == nil {
		c.of = map[countKey]int{}
	}
	for k, n := range of {
		c.of[k] += n
	}
	return err
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
