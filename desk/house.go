package desk

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// House is a newsroom at work on one data file.
type House struct {
	DB           *store.DB
	Clock        func() time.Time // the house's own time, which the demo can move
	Mail         Mailer
	Chat         Poster // nil where no chat can be reached
	PrivateHooks bool   // chats on this machine and on private networks are allowed
	Site         Publisher
	Briefs       BriefWriter // nil where there is none
	Links        LinkTrier   // likewise
	Base         string      // the address under which the house is reached, for links in mail
	Log          *slog.Logger
	round        sync.Mutex             // held while the house goes its round
	mailing      sync.Mutex             // held while mail is delivered
	posting      sync.Mutex             // held while chats are told
	Crash        func(step string) bool // stops the courier between two statements; for tests of what a crash leaves
	paging       sync.Mutex             // held while channels are told

	books   atomic.Pointer[Books]
	booksMu sync.Mutex
	edition int // of the set-up; grows when it changes

	chain   atomic.Pointer[Chain] // what the last check of the logbook found
	Wire    *Wire                 // to the pages that are open
	shelf   shelf
	records records
	parts   sync.Map // what rooms keep in memory, by type
	Hooks   Hooks    // what rooms registered

	bringing sync.Map      // ids of the lists that come in just now
	setbacks setbacks      // what the round failed to do
	lines    lines         // connections that stay open
	Idle     time.Duration // after how long without use a visit ends; 0 is never
	troubles lately        // of the machine, that are in the log
}

// Open opens the house on a data file, by the clock of this machine and with
// nothing to deliver to; set the fields before it is used.
func Open(db *store.DB, log *slog.Logger) *House {
	h := &House{DB: db, Clock: time.Now, Log: log, Wire: NewWire(), Idle: DefaultIdle}
	registerNotify(h)
	registerPlanning(h)
	registerCopyroom(h)
	registerReview(h)
	registerRules(h)
	registerIntake(h)
	registerSetup(h)
	return h
}

// Now gives the house's own time.
func (h *House) Now() day.Moment { return day.MomentOf(h.Clock()) }

// Books gives the set-up, read anew after it changed.
func (h *House) Books(ctx context.Context) (*Books, error) {
	if b := h.books.Load(); b != nil {
		return b, nil
	}
	return h.readBooks(ctx, h.DB.View())
}

// booksIn gives the set-up as a transaction sees it.
func (h *House) booksIn(ctx context.Context, tx *store.Tx) (*Books, error) {
	if b := h.books.Load(); b != nil {
		return b, nil
	}
	return h.readBooks(ctx, tx)
}

func (h *House) readBooks(ctx context.Context, r store.Reader) (*Books, error) {
	h.booksMu.Lock()
	edition := h.edition
	h.booksMu.Unlock()
	ref, err := store.LoadReference(ctx, r)
	if err != nil {
		return nil, err
	}
	b, err := newBooks(ref)
	if err != nil {
		return nil, err
	}
	h.booksMu.Lock()
	defer h.booksMu.Unlock()
	if h.edition == edition { // otherwise what was read is out of date already
		h.books.Store(b)
	}
	return b, nil
}

// Forget makes the house read its set-up and its pieces anew, after the data was
// changed behind its back.
func (h *House) Forget() {
	h.shelf.clear()
	for _, forget := range h.Hooks.Forget {
		forget()
	}
	h.forgetBooks()
}

// forgetBooks makes the house read its set-up anew.
func (h *House) forgetBooks() {
	h.booksMu.Lock()
	defer h.booksMu.Unlock()
	h.edition++
	h.books.Store(nil)
	h.records.forget(0)
}

// act is one command while it is carried out.
type act struct {
	context.Context
	h         *House
	tx        *store.Tx
	b         *Books
	now       day.Moment
	by        int64                      // who acts; 0 is the program itself
	setUp     bool                       // the set-up was changed
	ended     bool                       // a visit or a private link was ended
	put       stored                     // of pieces, for the shelf
	ideas     map[int64]idea.Idea        // that were stored
	undo      undoState                  // what it replaced
	did       []string                   // what that is called
	undoID    int64                      // under which it can be taken back
	told      map[int64]int              // when not nil: people are counted here instead of being told of each piece
	learnt    []int64                    // formats of which a run of a leg was stored
	staged    any                        // copies with edits; the copy room's
	hushed    bool                       // pages that are open need not hear of it
	reviewer  *store.Reviewer            // when somebody acts as one who is asked about a piece
	trusted   bool                       // what is done follows by itself from what somebody might do
	rule      *rule.Rule                 // that is being carried out
	happened  []rule.Event               // that rules have not heard of yet
	following map[int64]map[int64]string // who follows which pieces, as far as it was asked
	left      []int64                    // desks from which a piece went to another
	logged    map[int64]int64            // pieces that the logbook says something of, with their desks
	deskOf    map[int64]int64            // desks of pieces that something happened to
	timed     map[int64]bool             // pieces at which rules about time had their turn
}

// act carries out one command in one transaction.
func (h *House) act(ctx context.Context, by int64, f func(*act) error) error {
	a := &act{Context: ctx, h: h, now: h.Now(), by: by, put: newStored(), ideas: map[int64]idea.Idea{}, logged: map[int64]int64{}, deskOf: map[int64]int64{}, timed: map[int64]bool{}}
	err := h.DB.Write(ctx, func(tx *store.Tx) error {
		a.tx = tx
		var err error
		if a.b, err = h.booksIn(ctx, tx); err != nil {
			return err
		}
		if err := a.admit(ctx, by); err != nil {
			return err
		}
		if err := f(a); err != nil {
			return err
		}
		for _, follow := range h.Hooks.Ends {
			if err := follow(a); err != nil {
				return err
			}
		}
		return a.keepUndo()
	}, func(stored bool) {
		if !stored {
			for _, drop := range h.Hooks.Dropped {
				drop(a)
			}
		} else {
			noteStored(ctx)
			h.shelf.put(a.put, a.now)
			for _, show := range h.Hooks.Stored {
				show(a)
			}
			for _, format := range a.learnt {
				h.records.forget(format)
			}
		}
		if a.setUp {
			h.forgetBooks()
		}
		if stored && (a.ended || a.setUp) {
			h.sweep()
		}
		if stored && !a.hushed {
			h.announce(a)
			for _, shown := range h.Hooks.Shown {
				shown(a)
			}
		} else if stored {
			h.announceWritten(a)
		}
	})
	return h.inTrouble(err)
}

// inTrouble makes a refusal of an error that comes from the machine, so that a form that
// could not be stored is shown again with what was typed. The error itself is logged.
func (h *House) inTrouble(err error) error {
	trouble := store.TroubleOf(err)
	if trouble == "" {
		return err
	}
	if h.troubles.due(string(trouble), time.Now()) {
		h.Log.Error(string(trouble), "problem", err)
	}
	return &relay.Refusal{Reason: relay.ErrMachine, Text: string(trouble)}
}

// who is the one who acts, as the rules see them.
func (a *act) who(desk int64) relay.Who {
	if a.by == 0 || a.trusted {
		return relay.Who{System: true}
	}
	w := a.b.Who(a.by, desk)
	if a.reviewer != nil {
		w.Reads, w.Comments = true, a.reviewer.May == store.MayComment
	}
	return w
}

func (a *act) scene(desk int64) relay.Scene {
	h := a.b.Houses[desk]
	return relay.Scene{Now: a.now, Today: a.now.Date(h.Zone), Calendar: h.Calendar}
}

// ErrNotFound is returned for what is not there and for what may not be seen alike.
var ErrNotFound = errors.New("not found")

// order is an act on one piece: what it is, on which leg, and by which version
// of the piece it was given (0 where that does not matter).
type order struct {
	act     relay.Act
	piece   int64
	leg     string
	version int
}

// move carries out an order: it asks whether it may be done, lets decide work
// out what follows, and stores, logs and tells it.
func (a *act) move(o order, decide func(relay.Piece, relay.Scene) (relay.Move, error)) error {
	was, err := a.load(o)
	if err != nil {
		return err
	}
	m, err := decide(was.Piece, a.scene(was.DeskID))
	if err != nil {
		return err
	}
	a.plan(&m)
	if err := a.keep(was.Piece, m); err != nil {
		return err
	}
	a.rememberMove(was.Piece, m)
	return nil
}

// load reads the piece of an order and asks whether the order may be done.
func (a *act) load(o order) (store.Row, error) {
	for _, f := range a.h.Hooks.Load {
		if err := f(a, o.piece); err != nil {
			return store.Row{}, err
		}
	}
	was, err := store.Piece(a, a.tx, o.piece)
	if errors.Is(err, store.ErrNone) {
		return was, ErrNotFound
	} else if err != nil {
		return was, err
	}
	by := a.b.Desk(was.DeskID).PassBy
	who := a.who(was.DeskID)
	// Who comes second to an open leg may no longer see the piece, but is told that it is gone.
	if o.act != relay.ActTake && relay.May(relay.ActSee, who, &was.Piece, nil, by) != nil {
		return was, ErrNotFound
	}
	if err := relay.May(o.act, who, &was.Piece, was.Leg(o.leg), by); err != nil {
		return was, err
	}
	if o.version != 0 && o.version != was.Version {
		return was, a.changed(was, o.version)
	}
	return was, nil
}

// changed refuses an act that was given on an older version, saying what happened since.
func (a *act) changed(p store.Row, version int) error {
	since, err := store.LogSince(a, a.tx, p.ID, version)
	if err != nil {
		return err
	}
	r := &relay.Refusal{Reason: relay.ErrChanged, Text: "The piece has changed since you opened it. Nothing was done; look again and decide afresh."}
	zone := a.b.Zones[p.DeskID]
	for _, e := range since {
		r.Unmet = append(r.Unmet, fmt.Sprintf("%s %s %s", e.At.In(zone).Format("15:04"), a.b.actor(e.Actor), e.What))
	}
	return r
}

// plan sets the due dates that follow from what happened.
func (a *act) plan(m *relay.Move) {
	h := a.b.Houses[m.Piece.DeskID]
	goesOut := m.Piece.GoesOut.Date(h.Zone)
	for _, e := range m.Events {
		switch e.Kind {
		case relay.Created, relay.Needed, relay.SentBack:
			m.Piece.Legs = h.Set(m.Piece.Legs, goesOut)
		}
	}
}

// keep stores a move, writes it into the logbook and tells whom it concerns.
func (a *act) keep(was relay.Piece, m relay.Move) error {
	m.Piece.Version = was.Version + 1
	if err := a.save(was, m.Piece); err != nil {
		return err
	}
	if len(m.Runs) > 0 {
		a.learnt = append(a.learnt, was.FormatID)
	}
	for _, r := range m.Runs {
		id, err := a.tx.AddRun(a, r)
		if err != nil {
			return err
		}
		a.undo.Runs = append(a.undo.Runs, undoRun{id, was.FormatID})
	}
	if err := a.logMove(was, m); err != nil {
		return err
	}
	if err := a.moved(was, m); err != nil {
		return err
	}
	return a.stand(m.Piece)
}

// save stores what differs between a piece as it was and as it is.
func (a *act) save(was, is relay.Piece) error {
	if was.DeskID != is.DeskID {
		a.left = append(a.left, was.DeskID)
	}
	a.put.pieces[is.ID] = is
	return a.tx.SavePiece(a, was, is)
}

// stand works out the standing of a piece and stores it.
func (a *act) stand(p relay.Piece) error {
	s, err := standing(a.b, p, a.now, a.free)
	if err != nil {
		return err
	}
	a.put.standings[p.ID] = s
	return a.tx.SaveStanding(a, p.ID, s)
}

// free gives the coming times of a channel that no piece holds, those that this act
// stored counted in.
func (a *act) free(channel int64) []day.Moment {
	board, err := a.h.board(a, a.b, a.now)
	if err != nil { // it cannot be said then; the next day works it out again
		a.h.Log.Error("read the board", "problem", err)
		return nil
	}
	taken := map[day.Moment]bool{}
	for _, p := range a.put.pieces {
		if p.ChannelID == channel {
			taken[p.GoesOut] = true
		}
	}
	return slices.DeleteFunc(board.FreeSlots(channel), func(t day.Moment) bool { return taken[t] })
}
