// Package reports is how a desk ran: what went out and whether on its day, how long legs took, who
// ran what, what was sent back and why, what is likely in the weeks to come, campaigns and goals.
// Every sum can be unfolded into the pieces it is made of. What is worked out is worked out in
// core/report and core/measure.
package reports

import (
	"context"
	"errors"
	"maps"
	"slices"
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
	runs     []store.Run // by the day they ended; only added to, or replaced
	last     int64       // the newest run that was read
	promises promises
	odds     map[ref.Piece]odds
	old      bool // what was before promises were kept is read
}

// promises are those of pieces, by the number of the piece; replaced when one changes.
type promises []report.Promise

// of gives the promise of a piece, an empty one where there is none.
func (p promises) of(id ref.Piece) report.Promise {
	if int(id) >= len(p) {
		return report.Promise{}
	}
	return p[id]
}

// with gives promises with others put in.
func (p promises) with(changed ...store.Promise) promises {
	last := ref.Piece(len(p) - 1)
	for _, x := range changed {
		last = max(last, x.PieceID)
	}
	out := make(promises, last+1)
	copy(out, p)
	for _, x := range changed {
		out[x.PieceID] = report.Promise{Day: x.Day, MovedTo: x.MovedTo}
	}
	return out
}

// odds is how likely a piece is out by which day, as of a version, a day and a set-up.
type odds struct {
	forecast.Odds
	version int
	today   day.Date
	of      *newsroom.Setup
	learnt  any // the record of finished runs that it is from
}

func (b *book) forget() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.runs, b.last, b.promises, b.odds = nil, 0, nil, nil
}

// put notes promises that changed.
func (b *book) put(changed map[ref.Piece]store.Promise) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.promises == nil || len(changed) == 0 {
		return
	}
	b.promises = b.promises.with(slices.Collect(maps.Values(changed))...)
}

// read gives all finished runs by the day they ended, and the promises of all pieces.
func (h Room) read(ctx context.Context) ([]store.Run, promises, error) {
	b := newsroom.PartOf[book](h.Newsroom)
	b.mu.Lock()
	defer b.mu.Unlock()
	ctx = store.Latest(ctx)
	more, err := store.RunsAfter(ctx, h.DB.View(), b.last)
	if err != nil {
		return nil, nil, err
	}
	if n := len(more); n > 0 {
		b.last = more[n-1].ID
		all := append(b.runs, more...)
		if !slices.IsSortedFunc(all[max(0, len(b.runs)-1):], byEnd) {
			all = slices.Clone(all) // who reads the ones of before still does
			slices.SortStableFunc(all, byEnd)
		}
		b.runs = all
	}
	if b.promises == nil {
		all, err := store.Promises(ctx, h.DB.View())
		if err != nil {
			return nil, nil, err
		}
		b.promises = b.promises.with(all...)
	}
	return b.runs, b.promises, nil
}

func byEnd(x, y store.Run) int { return int(x.EndDay - y.EndDay) }

// ended gives the runs that ended from one day to another.
func ended(runs []store.Run, from, to day.Date) []store.Run {
	at := func(d day.Date) int {
		i, _ := slices.BinarySearchFunc(runs, d, func(r store.Run, d day.Date) int { return int(r.EndDay - d) })
		return i
	}
	return runs[at(from):max(at(from), at(to+1))]
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
