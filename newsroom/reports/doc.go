// Package reports is how a desk ran: what went out and whether on its day, how long legs took, who
// ran what, what was sent back and why, what is likely in the weeks to come, campaigns and goals.
// Every sum can be unfolded into the pieces it is made of. What is worked out is worked out in
// core/report and core/measure.
package reports

import (
	"context"
	"errors"
	"maps"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/forecast"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/core/route"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Room is the newsroom, with what can be done and asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Register lets the newsroom keep on which day pieces were to go out when they began.
func Register(n *newsroom.Newsroom) {
	h := Room{n}
	n.Hooks.Moved = append(n.Hooks.Moved, promise)
	n.Hooks.After = append(n.Hooks.After, h.promiseOld, h.sendMonths)
	n.Hooks.Undo = append(n.Hooks.Undo, func(*newsroom.Command, *newsroom.UndoState) ([]ref.Piece, error) {
		newsroom.PartOf[book](n).forget()
		return nil, nil
	})
	n.Hooks.Stored = append(n.Hooks.Stored, func(a *newsroom.Command) { newsroom.PartOf[book](n).put(a.Promised) })
	n.Hooks.Forget = append(n.Hooks.Forget, func() { newsroom.PartOf[book](n).forget() })
}

// book is what is kept of finished runs and promises once it was asked for.
type book struct {
	mu       sync.Mutex
	runs     []store.Run                  // by their number; only added to
	promises map[ref.Piece]report.Promise // replaced when one changes
	odds     map[ref.Piece]odds
	old      bool // what was before promises were kept is read
}

// odds is how likely a piece is out by which day, as of a version and a day.
type odds struct {
	version int
	today   day.Date
	is      forecast.Forecast
}

func (b *book) forget() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.runs, b.promises, b.odds = nil, nil, nil
}

// put notes promises that changed.
func (b *book) put(changed map[ref.Piece]store.Promise) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.promises == nil || len(changed) == 0 {
		return
	}
	b.promises = maps.Clone(b.promises)
	for id, p := range changed {
		b.promises[id] = report.Promise{Day: p.Day, MovedTo: p.MovedTo}
	}
}

// read gives all finished runs, and the promises of all pieces.
func (h Room) read(ctx context.Context) ([]store.Run, map[ref.Piece]report.Promise, error) {
	b := newsroom.PartOf[book](h.Newsroom)
	b.mu.Lock()
	defer b.mu.Unlock()
	ctx = store.Latest(ctx)
	var last int64
	if n := len(b.runs); n > 0 {
		last = b.runs[n-1].ID
	}
	more, err := store.RunsAfter(ctx, h.DB.View(), last)
	if err != nil {
		return nil, nil, err
	}
	b.runs = append(b.runs, more...)
	if b.promises == nil {
		all, err := store.Promises(ctx, h.DB.View())
		if err != nil {
			return nil, nil, err
		}
		b.promises = make(map[ref.Piece]report.Promise, len(all))
		for _, p := range all {
			b.promises[p.PieceID] = report.Promise{Day: p.Day, MovedTo: p.MovedTo}
		}
	}
	return b.runs, b.promises, nil
}

// promise keeps on which day a piece is to go out, from when its first leg begins.
func promise(a *newsroom.Command, was relay.Piece, m relay.Move) error {
	p := &m.Piece
	if p.Stage == relay.Withdrawn || p.GoesOut == 0 || p.Parked() || p.GoesOut == was.GoesOut && !was.Parked() && was.ID != 0 {
		return nil
	}
	is, err := store.PromiseOf(a, a.Tx, p.ID)
	if err != nil && !errors.Is(err, store.ErrNone) {
		return err
	}
	zone := a.Setup.Zones[p.DeskID]
	next := report.Promise{Day: is.Day, MovedTo: is.MovedTo}.Then(p.GoesOut.Date(zone), a.Now.Date(zone))
	if next.Day == is.Day && next.MovedTo == is.MovedTo {
		return nil
	}
	return put(a, store.Promise{PieceID: p.ID, Day: next.Day, MovedTo: next.MovedTo})
}

func put(a *newsroom.Command, p store.Promise) error {
	if a.Promised == nil {
		a.Promised = map[ref.Piece]store.Promise{}
	}
	a.Promised[p.PieceID] = p
	return a.Tx.PutPromise(a, p)
}

// oldAtOnce is of how many pieces of before promises were kept they are read from the logbook at once.
const oldAtOnce = 200

// promiseOld reads from the logbook which day pieces had when they began that went out before this
// was kept.
func (h Room) promiseOld(ctx context.Context) error {
	b := newsroom.PartOf[book](h.Newsroom)
	if b.old {
		return nil
	}
	err := h.readOld(ctx)
	b.old = err == nil
	return err
}

func (h Room) readOld(ctx context.Context) error {
	for {
		ids, err := store.Unpromised(ctx, h.DB.View(), oldAtOnce)
		if err != nil || len(ids) == 0 {
			return err
		}
		if err := h.Do(ctx, 0, func(a *newsroom.Command) error {
			a.Hushed = true
			for _, id := range ids {
				p, err := fromLog(a, id)
				if err != nil {
					return err
				}
				if err := put(a, p); err != nil {
					return err
				}
			}
			return nil
		}); err != nil {
			return err
		}
	}
}

// fromLog reads which day a piece that is out had when it began; one of which the logbook does not
// say it is held to the day it had in the end.
func fromLog(a *newsroom.Command, id ref.Piece) (store.Promise, error) {
	states, err := store.StatesOf(a, a.Tx, id)
	if err != nil {
		return store.Promise{}, err
	}
	row, err := store.Piece(a, a.Tx, id)
	if err != nil {
		return store.Promise{}, err
	}
	zone := a.Setup.Zones[row.DeskID]
	var p report.Promise
	var placed day.Moment
	for _, s := range states {
		st, err := rule.ReadState(s.State, func(id ref.Route) *route.Route {
			if r := a.Setup.Routes[id]; r != nil {
				return &r.Way
			}
			return nil
		})
		if err != nil {
			continue // of before a route was changed: the next one says it
		}
		if x := &st.Piece; x.Stage == relay.UnderWay && x.GoesOut != placed && !x.Parked() {
			placed = x.GoesOut
			p = p.Then(placed.Date(zone), s.At.Date(zone))
		}
	}
	if p.Day == 0 {
		p.Day = max(row.GoesOut, row.OutAt).Date(zone)
	}
	return store.Promise{PieceID: id, Day: p.Day, MovedTo: p.MovedTo}, nil
}
