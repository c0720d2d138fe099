package desk

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"greenbaton/core/relay"
)

// News is one thing that pages on other screens hear of: pieces that changed, or a
// piece that somebody takes up or lets go.
type News struct {
	Seq    uint64
	Kind   NewsKind
	Pieces []int64 // that changed, or the one that is held; none where the set-up or very many changed
	Desks  []int64 // that it is about; none for all
	By     int64   // who holds it
}

// NewsKind says what news is about.
type NewsKind string

// The kinds of news.
const (
	Changed NewsKind = "changed"
	Held    NewsKind = "held"
	LetGo   NewsKind = "let go"
	Written NewsKind = "written" // somebody wrote in the copy of a piece
)

// Wire brings news to everybody who listens, in order and without a gap. Each
// listener reads at their own speed; who falls behind more than the wire keeps, or
// comes back to one that was started anew, is told to look at everything again.
type Wire struct {
	mu    sync.Mutex
	since string // tells the wires of two starts of the program apart
	kept  []News // a ring
	last  uint64
	more  chan struct{} // closed with the next news
	end   bool
}

// wireKeeps is how many news can be read later.
const wireKeeps = 4096

// manyPieces is from how many pieces on news names none of them.
const manyPieces = 60

// NewWire starts a wire without news.
func NewWire() *Wire {
	return &Wire{since: fmt.Sprintf("%x", time.Now().UnixNano()), kept: make([]News, wireKeeps), more: make(chan struct{})}
}

// Send puts news on the wire.
func (w *Wire) Send(n News) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.last++
	n.Seq = w.last
	w.kept[n.Seq%wireKeeps] = n
	close(w.more)
	w.more = make(chan struct{})
}

// Close ends the reading of everybody.
func (w *Wire) Close() {
	w.mu.Lock()
	defer w.mu.Unlock()
	if !w.end {
		w.end = true
		close(w.more)
		w.more = make(chan struct{})
	}
}

// Mark gives the place of the newest news, to begin reading after.
func (w *Wire) Mark() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.mark(w.last)
}

// MarkOf gives the place right after some news.
func (w *Wire) MarkOf(n News) string { return w.mark(n.Seq) }

func (w *Wire) mark(seq uint64) string { return fmt.Sprintf("%s-%d", w.since, seq) }

// After gives the news after a mark, waiting until there are some, with the mark
// behind them; gap reports that news between were lost. It ends with the context, or
// when the wire is closed.
func (w *Wire) After(ctx context.Context, mark string) (news []News, next string, gap bool, err error) {
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
		if !known || seq > w.last || seq+wireKeeps <= w.last {
			next = w.mark(w.last)
			w.mu.Unlock()
			return nil, next, true, nil
		}
		for s := seq + 1; s <= w.last; s++ {
			news = append(news, w.kept[s%wireKeeps])
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

// announce puts what an act stored on the wire.
func (h *House) announce(a *act) {
	ids := a.put.ids()
	standings := len(a.put.pieces) < len(ids) // of other pieces
	n := News{Kind: Changed, By: a.by}
	concerns := func(desk int64) {
		if !slices.Contains(n.Desks, desk) {
			n.Desks = append(n.Desks, desk)
		}
	}
	for _, desk := range a.left {
		concerns(desk)
	}
	for _, p := range a.put.pieces {
		concerns(p.DeskID)
	}
	for _, id := range slices.Sorted(maps.Keys(a.logged)) { // of which something else is stored: steps, answers, verdicts
		if concerns(a.logged[id]); !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 && !a.setUp {
		return
	}
	if n.Pieces = ids; a.setUp || len(ids) > manyPieces {
		n.Pieces = nil
	}
	if a.setUp || standings {
		n.Desks = nil
	}
	h.Wire.Send(n)
}

// announceWritten tells pages of pieces that their copies have other versions.
func (h *House) announceWritten(a *act) {
	for id, p := range a.put.pieces {
		h.Wire.Send(News{Kind: Written, Pieces: []int64{id}, Desks: []int64{p.DeskID}})
	}
}

// Hold tells other screens that somebody has taken up a piece they see, or let it go.
func (h *House) Hold(ctx context.Context, who, piece int64, held bool) error {
	row, err := h.see(ctx, who, piece, relay.ActSee)
	if err != nil {
		return err
	}
	kind := LetGo
	if held {
		kind = Held
	}
	h.Wire.Send(News{Kind: kind, Pieces: []int64{piece}, Desks: []int64{row.DeskID}, By: who})
	return nil
}
