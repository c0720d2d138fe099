package newsroom

import (
	"context"
	"errors"
	"sync"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Visitor is who asks, by a visit that began when they signed in.
type Visitor struct {
	Person   ref.Person
	Visit    ref.Visit
	Sessions int // how often they had signed out everywhere when the visit began

	Token ref.Token        // with which a program asks for them, instead of a visit
	Once  *store.AskedOnce // under which what is done is done once; nil for none
}

type visitorKey struct{}

// WithVisitor gives a context whose acts are done by a visit: they are refused once it has
// ended, whatever ended it.
func WithVisitor(ctx context.Context, v Visitor) context.Context {
	return context.WithValue(ctx, visitorKey{}, v)
}

// VisitorOf gives by whose visit something is asked; none where nobody is signed in.
func VisitorOf(ctx context.Context) (Visitor, bool) {
	v, ok := ctx.Value(visitorKey{}).(Visitor)
	return v, ok
}

// ErrEnded is said to somebody whose visit has ended. It is a *relay.Refusal.
var ErrEnded error = &relay.Refusal{Reason: relay.ErrNotYours, Text: "You are signed out. Sign in in another tab, then come back and do this again; what you typed is still here."}

// ErrToken is said to a program whose token opens nothing. It is a *relay.Refusal.
var ErrToken error = &relay.Refusal{Reason: relay.ErrNotYours, Text: "This token opens nothing: it was ended, is past its end, or a part of it is missing. Whose it was can make another one under Programs."}

// DefaultIdle is after how long without use a visit ends, where nothing else is set.
const DefaultIdle = 72 * time.Hour

// usedEvery is how often at most it is noted that a visit is used.
const usedEvery = day.Moment(5 * 60)

// goesOn reports whether a visit still opens anything: whoever it is of has access, and
// neither it nor all visits of theirs were ended, nor was it left unused for too long.
func (h *Newsroom) goesOn(ctx context.Context, r store.Reader, b *Setup, v Visitor) (store.Visit, error) {
	p := b.Person(v.Person)
	if v.Token != 0 {
		t, err := store.TokenByID(ctx, r, v.Token)
		if err != nil && !errors.Is(err, store.ErrNone) {
			return store.Visit{}, err
		}
		if err != nil || !t.Opens(h.Now()) || t.PersonID != v.Person || !p.SignsIn() {
			return store.Visit{}, ErrToken
		}
		return store.Visit{}, nil
	}
	if !p.SignsIn() || p.Sessions != v.Sessions {
		return store.Visit{}, ErrEnded
	}
	x, err := store.VisitAt(ctx, r, v.Visit, v.Person)
	if errors.Is(err, store.ErrNone) || err == nil && (x.EndedAt != 0 || h.Idle > 0 && x.UsedAt < day.MomentOf(time.Now().Add(-h.Idle))) {
		return x, ErrEnded
	}
	return x, err
}

// GoesOn reports whether a visit still opens anything, and notes where it is in use that
// it is. An error is one of the data.
func (h *Newsroom) GoesOn(ctx context.Context, v Visitor, inUse bool) (bool, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return false, err
	}
	x, err := h.goesOn(ctx, h.DB.View(), b, v)
	if errors.Is(err, ErrEnded) {
		return false, nil
	} else if err != nil {
		return false, err
	}
	if now := day.MomentOf(time.Now()); inUse && x.UsedAt < now-usedEvery {
		if err := h.DB.Write(ctx, func(tx *store.Tx) error { return tx.UseVisit(ctx, x.ID, now) }); err != nil { // it is asked again with the next page
			h.Log.Warn("note that a visit is used", "problem", err)
		}
	}
	return true, nil
}

// Admit refuses a command of somebody who has no access any more, or whose visit has ended.
func (a *Command) Admit(ctx context.Context, by ref.Person) error {
	if by == 0 {
		return nil
	}
	if p := a.Setup.Person(by); p.ID == 0 || p.Retired || p.BarredAt != 0 {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "This account is no longer in use."}
	}
	v, ok := VisitorOf(ctx)
	if !ok || v.Person != by {
		return nil
	}
	_, err := a.Newsroom.goesOn(ctx, a.Tx, a.Setup, v)
	return err
}

// Lines are the connections that stay open: pages that listen, and open copies.
type Lines struct {
	mu   sync.Mutex
	open map[*line]struct{}
}

type line struct {
	still func() bool
	stop  context.CancelFunc
}

// Open gives a context for a connection that stays open, and a function to call when it
// ends. It ends at once when somebody's access, visit or link was ended and what opened
// the connection does not open it still.
func (c *Lines) Open(ctx context.Context, still func() bool) (context.Context, func()) {
	ctx, stop := context.WithCancel(ctx)
	l := &line{still, stop}
	c.mu.Lock()
	if c.open == nil {
		c.open = map[*line]struct{}{}
	}
	c.open[l] = struct{}{}
	c.mu.Unlock()
	if !still() { // it was ended while the line was made
		stop()
	}
	return ctx, func() {
		c.mu.Lock()
		delete(c.open, l)
		c.mu.Unlock()
		stop()
	}
}

// Still reports for Lines.Open whether a visit goes on.
func (h *Newsroom) Still(v Visitor) func() bool {
	return func() bool {
		goes, err := h.GoesOn(context.Background(), v, false)
		return goes || err != nil // what cannot be looked up now is looked up with the next message
	}
}

// sweep ends the lines that what opened them does not open still.
func (c *Lines) sweep() {
	c.mu.Lock()
	all := make([]*line, 0, len(c.open))
	for l := range c.open {
		all = append(all, l)
	}
	c.mu.Unlock()
	for _, l := range all {
		if !l.still() {
			l.stop()
		}
	}
}
