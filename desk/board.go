package desk

import (
	"context"
	"maps"
	"slices"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// shelf keeps in memory the pieces that plans reckon with: it is read once, and
// every act puts what it stored on it before the next one begins.
type shelf struct {
	mu     sync.Mutex
	pieces map[int64]*relay.Piece // nil until it is read
	byID   []*relay.Piece         // nil after a change
	turn   int                    // grows with every change
	sheet  *load.Sheet            // the load of a day, nil after a change
	books  *Books                 // by which it was worked out
}

// clear makes the shelf be read anew.
func (s *shelf) clear() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.pieces, s.byID, s.sheet = nil, nil, nil
	s.turn++
}

// put replaces pieces by what was stored of them.
func (s *shelf) put(stored map[int64]relay.Piece, now day.Moment) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.pieces == nil || len(stored) == 0 {
		return
	}
	for id, p := range stored {
		if p.Stage == relay.UnderWay || p.GoesOut > now {
			s.pieces[id] = &p
		} else {
			delete(s.pieces, id)
		}
	}
	s.byID, s.sheet = nil, nil
	s.turn++
}

func (s *shelf) read(ctx context.Context, r store.Reader, now day.Moment) error {
	rows, err := store.OnTheBoard(ctx, r, now)
	if err != nil {
		return err
	}
	s.pieces = make(map[int64]*relay.Piece, len(rows))
	for i := range rows {
		s.pieces[rows[i].ID] = &rows[i].Piece
	}
	s.byID = nil
	return nil
}

// board gives what plans reckon with at this moment. It is for one goroutine.
func (h *House) board(ctx context.Context, b *Books, now day.Moment) (*plan.Board, error) {
	s := &h.shelf
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.pieces == nil {
		if err := s.read(ctx, h.DB.View(), now); err != nil {
			return nil, err
		}
	}
	if s.byID == nil {
		s.byID = slices.SortedFunc(maps.Values(s.pieces), func(x, y *relay.Piece) int { return int(x.ID - y.ID) })
	}
	out := &plan.Board{
		Now: now, Houses: b.Houses, People: b.crew, Pieces: s.byID,
		Slots: func(channel int64) []day.Moment { return b.Slots(channel, now) },
	}
	if len(b.Desks) > 0 && s.sheet != nil && s.books == b && s.sheet.From == out.Today(b.Desks[0].ID) {
		out.Worked = s.sheet
	}
	turn := s.turn
	out.Remember = func(sheet *load.Sheet) {
		s.mu.Lock()
		defer s.mu.Unlock()
		if s.turn == turn {
			s.sheet, s.books = sheet, b
		}
	}
	return out, nil
}

// Board gives the books and what plans reckon with now.
func (h *House) Board(ctx context.Context) (*Books, *plan.Board, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return nil, nil, err
	}
	board, err := h.board(ctx, b, h.Now())
	return b, board, err
}
