package newsroom

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// Newsroom is a newsroom at work on one data file.
type Newsroom struct {
	DB           *store.DB
	Clock        func() time.Time // the house's own time, which the demo can move
	Mail         Mailer
	Chat         Poster // nil where no chat can be reached
	PrivateHooks bool   // chats on this machine and on private networks are allowed
	Carriers     map[release.Kind]Carrier
	Briefs       BriefWriter // nil where there is none
	Texts        TextWriter  // nil where there is none
	Links        LinkTrier   // likewise
	Web          Fetcher     // likewise; nil where nothing can be reached
	// ReadCopy reads a copy from elsewhere, as Markdown or HTML, with those of its pictures that are
	// stored, by their addresses; nil where none is read.
	ReadCopy func(text string, stored func(address string) (ref.File, bool)) (copy.Text, error)
	Copied   func() (at time.Time, ever bool) // when the copy of the data was last known to be as the data, else since when it is tried; nil where none is kept
	Base     string                           // the address under which the house is reached, for links in mail
	Log      *slog.Logger
	ticking  sync.Mutex             // held while the house goes its round
	Mailing  sync.Mutex             // held while mail is delivered
	Posting  sync.Mutex             // held while chats are told
	Crash    func(step string) bool // stops the courier between two statements; for tests of what a crash leaves
	Paging   sync.Mutex             // held while pages are brought up here
	Carrying sync.Mutex             // held while they are brought elsewhere

	setup   atomic.Pointer[Setup]
	setupMu sync.Mutex
	edition int // of the set-up; grows when it changes

	Events  *Events // to the pages that are open
	cache   cache
	records records
	parts   sync.Map // what rooms keep in memory, by type
	Hooks   Hooks    // what rooms registered

	ListsIn  sync.Map      // ids of the lists that come in just now
	setbacks setbacks      // what the tick failed to do
	Lines    *Lines        // connections that stay open
	Idle     time.Duration // after how long without use a visit ends; 0 is never
	troubles lately        // of the machine, that are in the log
}

// LastCopied is when the copy of the data was last known to be as the data, whether it ever was since the
// program began (if not, since when that is tried), and whether one is kept up.
func (n *Newsroom) LastCopied() (last time.Time, ever, kept bool) {
	if n.Copied == nil {
		return last, false, false
	}
	last, ever = n.Copied()
	return last, ever, true
}

// Reachable reports why the data cannot be read, nil if it can.
func (n *Newsroom) Reachable(ctx context.Context) error {
	var one int
	return n.DB.Get(ctx, &one, "SELECT 1")
}

// Open opens the house on a data file, by the clock of this machine and with
// nothing to deliver to; set the fields before it is used.
func Open(db *store.DB, log *slog.Logger) *Newsroom {
	return &Newsroom{DB: db, Clock: time.Now, Log: log, Events: NewEvents(), Lines: new(Lines), Idle: DefaultIdle}
}

// Now gives the house's own time.
func (h *Newsroom) Now() day.Moment { return day.MomentOf(h.Clock()) }

// Snapshot runs a function with a context in which all that is asked is answered as of one
// moment; see store.DB.Snapshot.
func (h *Newsroom) Snapshot(ctx context.Context, f func(context.Context) error) error {
	return h.DB.Snapshot(ctx, f)
}

// Setup gives the set-up, read anew after it changed.
func (h *Newsroom) Setup(ctx context.Context) (*Setup, error) {
	if b := h.setup.Load(); b != nil {
		return b, nil
	}
	return h.readSetup(store.Latest(ctx), h.DB.View())
}

// setupIn gives the set-up as a transaction sees it.
func (h *Newsroom) setupIn(ctx context.Context, tx *store.Tx) (*Setup, error) {
	if b := h.setup.Load(); b != nil {
		return b, nil
	}
	return h.readSetup(ctx, tx)
}

func (h *Newsroom) readSetup(ctx context.Context, r store.Reader) (*Setup, error) {
	h.setupMu.Lock()
	edition := h.edition
	h.setupMu.Unlock()
	all, err := store.LoadReference(ctx, r)
	if err != nil {
		return nil, err
	}
	b, err := NewSetup(all)
	if err != nil {
		return nil, err
	}
	h.setupMu.Lock()
	defer h.setupMu.Unlock()
	if h.edition == edition { // otherwise what was read is out of date already
		h.setup.Store(b)
	}
	return b, nil
}

// Forget makes the house read its set-up and its pieces anew, after the data was
// changed behind its back.
func (h *Newsroom) Forget() {
	h.cache.clear()
	for _, forget := range h.Hooks.Forget {
		forget()
	}
	h.ForgetSetup()
}

// ForgetSetup makes the house read its set-up anew.
func (h *Newsroom) ForgetSetup() {
	h.setupMu.Lock()
	defer h.setupMu.Unlock()
	h.edition++
	h.setup.Store(nil)
	h.records.forget(0)
}

// Command is one command while it is carried out.
type Command struct {
	context.Context
	Newsroom  *Newsroom
	Tx        *store.Tx
	Setup     *Setup
	Now       day.Moment
	Actor     ref.Person                          // who acts; 0 is the program itself
	SetUp     bool                                // the set-up was changed
	Steps     bool                                // steps that belong to no leg were changed
	Promised  map[ref.Piece]store.Promise         // the days that pieces had when they began, that were stored
	Figures   map[store.FigureKey]store.FigureSum // what pieces did of which figures were changed; the room of figures'
	Ended     bool                                // a visit or a private link was ended
	Put       stored                              // of pieces, for the cache
	Ideas     map[ref.Idea]idea.Idea              // that were stored
	Undo      UndoState                           // what it replaced
	Did       []string                            // what that is called
	UndoID    ref.Undo                            // under which it can be taken back
	Told      map[ref.Person]int                  // when not nil: people are counted here instead of being told of each piece
	learnt    []ref.Format                        // formats of which a run of a leg was stored
	Staged    any                                 // copies with edits; the copy room's
	Hushed    bool                                // pages that are open need not hear of it
	Reviewer  *store.Reviewer                     // when somebody acts as one who is asked about a piece
	Trusted   bool                                // what is done follows by itself from what somebody might do
	Rule      *rule.Rule                          // that is being carried out
	Happened  []rule.Event                        // that rules have not heard of yet
	Heard     []rule.Event                        // all that happened
	Following map[ref.Piece]map[ref.Person]string // who follows which pieces, as far as it was asked
	Unmade    map[ref.Piece]bool                  // pieces of which the making is taken back, so that nothing of them is owed
	Spent     []ref.Desk                          // desks whose budgets may be used otherwise now
	left      []ref.Desk                          // desks from which a piece went to another
	logged    map[ref.Piece]ref.Desk              // pieces that the logbook says something of, with their desks
	DeskOf    map[ref.Piece]ref.Desk              // desks of pieces that something happened to
	Timed     map[ref.Piece]bool                  // pieces at which rules about time had their turn
}

// Do carries out one command in one transaction.
func (h *Newsroom) Do(ctx context.Context, by ref.Person, f func(*Command) error) error {
	a := &Command{Context: ctx, Newsroom: h, Now: h.Now(), Actor: by, Put: newStored(), Ideas: map[ref.Idea]idea.Idea{}, logged: map[ref.Piece]ref.Desk{}, DeskOf: map[ref.Piece]ref.Desk{}, Timed: map[ref.Piece]bool{}}
	err := h.DB.Write(ctx, func(tx *store.Tx) error {
		a.Tx = tx
		var err error
		if a.Setup, err = h.setupIn(ctx, tx); err != nil {
			return err
		}
		if err := a.Admit(ctx, by); err != nil {
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
		if v, _ := VisitorOf(ctx); v.Once != nil {
			if err := tx.AddOnce(ctx, *v.Once); err != nil {
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
			h.cache.put(a.Put, a.Now)
			if a.Steps {
				h.cache.forgetSteps()
			}
			for _, show := range h.Hooks.Stored {
				show(a)
			}
			for _, format := range a.learnt {
				h.records.forget(format)
			}
		}
		if a.SetUp {
			h.ForgetSetup()
		}
		if stored && (a.Ended || a.SetUp) {
			h.Lines.sweep()
		}
		if stored && !a.Hushed {
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
func (h *Newsroom) inTrouble(err error) error {
	trouble := store.TroubleOf(err)
	if trouble == "" {
		return err
	}
	if h.troubles.due(string(trouble), time.Now()) {
		h.Log.Error(string(trouble), "problem", err)
	}
	return &relay.Refusal{Reason: relay.ErrMachine, Text: string(trouble)}
}

// Who is the one who acts, as the rules see them.
func (a *Command) Who(desk ref.Desk) relay.Who {
	if a.Actor == 0 || a.Trusted {
		return relay.Who{System: true}
	}
	w := a.Setup.Who(a.Actor, desk)
	if a.Reviewer != nil {
		w.Reads, w.Comments = true, a.Reviewer.May == store.MayComment
	}
	return w
}

// Scene is what moves are decided by: the time, and the calendar of a desk.
func (a *Command) Scene(desk ref.Desk) relay.Scene {
	h := a.Setup.Planned[desk]
	return relay.Scene{Now: a.Now, Today: a.Now.Date(h.Zone), Calendar: h.Calendar}
}

// ErrNotFound is returned for what is not there and for what may not be seen alike.
var ErrNotFound = errors.New("not found")

// Order is a command on one piece: what it is, on which leg, and by which version
// of the piece it was given (0 where that does not matter).
type Order struct {
	Act     relay.Act
	Piece   ref.Piece
	Leg     string
	Version int
}

// Move carries out an order: it asks whether it may be done, lets decide work
// out what follows, and stores, logs and tells it.
func (a *Command) Move(o Order, decide func(relay.Piece, relay.Scene) (relay.Move, error)) error {
	was, err := a.Load(o)
	if err != nil {
		return err
	}
	m, err := decide(was.Piece, a.Scene(was.DeskID))
	if err != nil {
		return err
	}
	a.Plan(&m)
	if err := a.Keep(was.Piece, m); err != nil {
		return err
	}
	a.rememberMove(was.Piece, m)
	return nil
}

// Load reads the piece of an order and asks whether the order may be done.
func (a *Command) Load(o Order) (store.Row, error) {
	for _, f := range a.Newsroom.Hooks.Load {
		if err := f(a, o.Piece); err != nil {
			return store.Row{}, err
		}
	}
	was, err := store.Piece(a, a.Tx, o.Piece)
	if errors.Is(err, store.ErrNone) {
		return was, ErrNotFound
	} else if err != nil {
		return was, err
	}
	by := a.Setup.Desk(was.DeskID).PassBy
	who := a.Who(was.DeskID)
	// Who comes second to an open leg may no longer see the piece, but is told that it is gone.
	if o.Act != relay.ActTake && relay.May(relay.ActSee, who, &was.Piece, nil, by) != nil {
		return was, ErrNotFound
	}
	if err := relay.May(o.Act, who, &was.Piece, was.Leg(o.Leg), by); err != nil {
		return was, err
	}
	if o.Version != 0 && o.Version != was.Version {
		return was, a.Changed(was, o.Version)
	}
	return was, nil
}

// Changed refuses a command that was given on an older version, saying what happened since.
func (a *Command) Changed(p store.Row, version int) error {
	since, err := store.LogSince(a, a.Tx, p.ID, version)
	if err != nil {
		return err
	}
	r := &relay.Refusal{Reason: relay.ErrChanged, Text: "The piece has changed since you opened it. Nothing was done; look again and decide afresh."}
	zone := a.Setup.Zones[p.DeskID]
	for _, e := range since {
		r.Unmet = append(r.Unmet, fmt.Sprintf("%s %s %s", e.At.In(zone).Format("15:04"), a.Setup.Actor(e.Actor), e.What))
	}
	return r
}

// Plan sets the due dates that follow from what happened.
func (a *Command) Plan(m *relay.Move) {
	h := a.Setup.Planned[m.Piece.DeskID]
	for _, e := range m.Events {
		switch e.Kind {
		case relay.Created, relay.Needed, relay.SentBack:
			h.Dates(&m.Piece)
		}
	}
}

// Keep stores a move, writes it into the logbook and tells whom it concerns.
func (a *Command) Keep(was relay.Piece, m relay.Move) error {
	m.Piece.Version = was.Version + 1
	if err := a.Save(was, m.Piece); err != nil {
		return err
	}
	if len(m.Runs) > 0 {
		a.learnt = append(a.learnt, was.FormatID)
	}
	for _, r := range m.Runs {
		id, err := a.Tx.AddRun(a, r)
		if err != nil {
			return err
		}
		a.Undo.Runs = append(a.Undo.Runs, undoRun{id, was.FormatID})
	}
	if err := a.logMove(was, m); err != nil {
		return err
	}
	if err := a.Moved(was, m); err != nil {
		return err
	}
	return a.Stand(m.Piece)
}

// Save stores what differs between a piece as it was and as it is.
func (a *Command) Save(was, is relay.Piece) error {
	if was.DeskID != is.DeskID {
		a.left = append(a.left, was.DeskID)
	}
	a.Put.Pieces[is.ID] = is
	return a.Tx.SavePiece(a, was, is)
}

// Concerned gives the pieces of which this command stored or logged something, in order.
func (a *Command) Concerned() []ref.Piece {
	ids := a.Put.Ids()
	for id := range a.logged {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

// Stand works out the standing of a piece and stores it.
func (a *Command) Stand(p relay.Piece) error {
	s, err := Standing(a.Setup, a.Setup.Planned[p.DeskID], p, a.Now, a.Free)
	if err != nil {
		return err
	}
	a.Put.standings[p.ID] = s
	return a.Tx.SaveStanding(a, p.ID, s)
}

// Free gives the coming times of a channel that no piece holds, those that this command
// stored counted in.
func (a *Command) Free(channel ref.Channel) []day.Moment {
	board, err := a.Newsroom.BoardAt(a, a.Setup, a.Now)
	if err != nil { // it cannot be said then; the next day works it out again
		a.Newsroom.Log.Error("read the board", "problem", err)
		return nil
	}
	taken := map[day.Moment]bool{}
	for _, p := range a.Put.Pieces {
		if p.ChannelID == channel {
			taken[p.GoesOut] = true
		}
	}
	return slices.DeleteFunc(board.FreeSlots(channel), func(t day.Moment) bool { return taken[t] })
}
