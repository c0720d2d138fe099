package newsroom

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Event is one thing that pages on other screens hear of: pieces that changed, or a
// piece that somebody takes up or lets go.
type Event struct {
	Seq    uint64
	Kind   EventKind
	Pieces []ref.Piece // that changed, or the one that is held; none where the set-up or very many changed
	Desks  []ref.Desk  // that it is about; none for all
	By     ref.Person  // who holds it
}

// EventKind says what news is about.
type EventKind string

// The kinds of news.
const (
	Changed EventKind = "changed"
	Held    EventKind = "held"
	LetGo   EventKind = "let go"
	Written EventKind = "written" // somebody wrote in the copy of a piece
)

// Events brings news to everybody who listens, in order and without a gap. Each
// listener reads at their own speed; who falls behind more than the events keeps, or
// comes back to one that was started anew, is told to look at everything again.
type Events struct {
	mu    sync.Mutex
	since string  // tells the wires of two starts of the program apart
	kept  []Event // a ring
	last  uint64
	more  chan struct{} // closed with the next news
	end   bool
}

// eventsKept is how many news can be read later.
const eventsKept = 4096

// manyPieces is from how many pieces on news names none of them.
const manyPieces = 60

// NewEvents starts events without news.
func NewEvents() *Events {
	return &Events{since: fmt.Sprintf("%x", time.Now().UnixNano()), kept: make([]Event, eventsKept), more: make(chan struct{})}
}

// Send puts news on the events.
func (w *Events) Send(n Event) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.last++
	n.Seq = w.last
	w.kept[n.Seq%eventsKept] = n
	close(w.more)
	w.more = make(chan struct{})
}

// Close ends the reading of everybody.
func (w *Events) Close() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if !w.end {
		w.end = true
		close(w.more)
		w.more = make(chan struct{})
	}
}

// Mark gives the place of the newest news, to begin reading after.
func (w *Events) Mark() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.mark(w.last)
}

// MarkOf gives the place right after some news.
func (w *Events) MarkOf(n Event) string { return w.mark(n.Seq) }

func (w *Events) mark(seq uint64) string { return fmt.Sprintf("%s-%d", w.since, seq) }

// After gives the news after a mark, waiting until there are some, with the mark
// behind them; gap reports that news between were lost. It ends with the context, or
// when the events is closed.
func (w *Events) After(ctx context.Context, mark string) (news []Event, next string, gap bool, err error) {
	var seq uint64
	known := false
	if n, err := fmt.Sscanf(mark, w.since+"-%d", &seq); err == nil && n == 1 {
		known = true
	}
	for {
		w.mu.Lock()
		if w.end {
			w.mu.Unlock()
			return nil, mark, false, context.Canceled
		}
		if !known || seq > w.last || seq+eventsKept <= w.last {
			next = w.mark(w.last)
			w.mu.Unlock()
			return nil, next, true, nil
		}
		for s := seq + 1; s <= w.last; s++ {
			news = append(news, w.kept[s%eventsKept])
		}
		next = w.mark(w.last)
		more := w.more
		w.mu.Unlock()
		if len(news) > 0 {
			return news, next, false, nil
		}
		select {
		case <-more:
		case <-ctx.Done():
			return nil, mark, false, ctx.Err()
		}
	}
}

// announce puts what a command stored on the events.
func (h *Newsroom) announce(a *Command) {
	ids := a.Put.Ids()
	standings := len(a.Put.Pieces) < len(ids) // of other pieces
	n := Event{Kind: Changed, By: a.Actor}
	concerns := func(desk ref.Desk) {
		if !slices.Contains(n.Desks, desk) {
			n.Desks = append(n.Desks, desk)
		}
	}
	for _, desk := range a.left {
		concerns(desk)
	}
	for _, p := range a.Put.Pieces {
		concerns(p.DeskID)
	}
	for _, id := range slices.Sorted(maps.Keys(a.logged)) { // of which something else is stored: steps, answers, verdicts
		if concerns(a.logged[id]); !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 && !a.SetUp {
		return
	}
	if n.Pieces = ids; a.SetUp || len(ids) > manyPieces {
		n.Pieces = nil
	}
	if a.SetUp || standings {
		n.Desks = nil
	}
	h.Events.Send(n)
}

// announceWritten tells pages of pieces that their copies have other versions.
func (h *Newsroom) announceWritten(a *Command) {
	for id, p := range a.Put.Pieces {
		h.Events.Send(Event{Kind: Written, Pieces: []ref.Piece{id}, Desks: []ref.Desk{p.DeskID}})
	}
}

// Hold tells other screens that somebody has taken up a piece they see, or let it go.
func (h *Newsroom) Hold(ctx context.Context, who ref.Person, piece ref.Piece, held bool) error {
	row, err := h.See(ctx, who, piece, relay.ActSee)
	if err != nil {
		return err
	}
	kind := LetGo
	if held {
		kind = Held
	}
	h.Events.Send(Event{Kind: kind, Pieces: []ref.Piece{piece}, Desks: []ref.Desk{row.DeskID}, By: who})
	return nil
}
