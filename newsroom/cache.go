package newsroom

import (
	"context"
	"iter"
	"maps"
	"slices"
	"strings"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/find"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/store"
)

// Entry is a piece on the cache, with what is filled in on it. Those that plans no
// longer reckon with are kept without their legs, brief and description.
type Entry struct {
	store.Row
	Values map[ref.Field]string // by field
	Low    string               // the title in small letters
}

// cache keeps all pieces in memory: it is read once, and every command puts what it
// stored on it before the next one begins. An entry is never changed but replaced,
// and so is the list of them, so that whoever has one can go on reading it.
type cache struct {
	mu      sync.Mutex
	entries []*Entry            // by id; nil until they are read
	board   []*relay.Piece      // those that plans reckon with, by id; nil after a change
	turn    int                 // grows with every change
	sheet   *load.Sheet         // the load of a day, nil after a change
	books   *Setup              // by which it was worked out
	words   map[string]struct{} // of all titles there were
	steps   []store.OwnStep     // that are still to be done; nil until they are read
}

// clear makes the cache be read anew.
func (s *cache) clear() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.entries, s.board, s.sheet, s.words, s.steps = nil, nil, nil, nil, nil
	s.turn++
}

// stored is what a command stored of pieces, each part by piece.
type stored struct {
	Pieces    map[ref.Piece]relay.Piece
	standings map[ref.Piece]store.Standing
	values    map[ref.Piece]map[ref.Field]string
}

func newStored() stored {
	return stored{map[ref.Piece]relay.Piece{}, map[ref.Piece]store.Standing{}, map[ref.Piece]map[ref.Field]string{}}
}

// Ids gives the pieces of which something was stored, in order.
func (x *stored) Ids() []ref.Piece {
	var out []ref.Piece
	for id := range x.Pieces {
		out = append(out, id)
	}
	for id := range x.standings {
		out = append(out, id)
	}
	for id := range x.values {
		out = append(out, id)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// put replaces pieces by what was stored of them.
func (s *cache) put(x stored, now day.Moment) {
	s.mu.Lock()
	defer s.mu.Unlock()
	ids := x.Ids()
	if s.entries == nil || len(ids) == 0 {
		return
	}
	s.entries = slices.Clone(s.entries)
	for _, id := range ids {
		e := Entry{}
		i, known := slices.BinarySearchFunc(s.entries, id, ByID)
		if known {
			e = *s.entries[i]
		} else {
			s.entries = slices.Insert(s.entries, i, nil)
		}
		if p, ok := x.Pieces[id]; ok {
			e.Piece = p
			s.learn(&e)
		}
		if st, ok := x.standings[id]; ok {
			e.Standing = st
		}
		if v, ok := x.values[id]; ok {
			e.Values = v
		}
		if !onBoard(&e.Piece, now) {
			e.Legs, e.After, e.Brief, e.Summary = nil, nil, "", ""
		}
		s.entries[i] = &e
	}
	s.board, s.sheet, s.steps = nil, nil, nil // a piece that is withdrawn takes its steps along
	s.turn++
}

// ByID compares an entry with an id, for a search in the cache.
func ByID(e *Entry, id ref.Piece) int { return int(e.ID - id) }

// onBoard reports whether plans reckon with a piece.
func onBoard(p *relay.Piece, now day.Moment) bool {
	return p.Stage == relay.UnderWay || p.GoesOut > now || p.AfterOpen()
}

func (s *cache) read(ctx context.Context, r store.Reader, now day.Moment) error {
	rows, err := store.AllPieces(ctx, r, now)
	if err != nil {
		return err
	}
	values, err := store.AllValues(ctx, r)
	if err != nil {
		return err
	}
	s.entries, s.words = make([]*Entry, len(rows)), map[string]struct{}{}
	for i := range rows {
		s.entries[i] = &Entry{Row: rows[i], Values: values[rows[i].ID]}
		s.learn(s.entries[i])
	}
	s.board = nil
	return nil
}

// learn notes the words of a title.
func (s *cache) learn(e *Entry) {
	e.Low = strings.ToLower(e.Title)
	for _, w := range find.Words(e.Low) {
		s.words[w] = struct{}{}
	}
}

// Vocabulary gives the words of the titles of all pieces, as far as they were read.
func (h *Newsroom) Vocabulary() iter.Seq[string] {
	s := &h.cache
	s.mu.Lock()
	defer s.mu.Unlock()
	return maps.Keys(maps.Clone(s.words))
}

// Pieces gives every piece of the house, by id.
func (h *Newsroom) Pieces(ctx context.Context, now day.Moment) ([]*Entry, error) {
	s := &h.cache
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.entries == nil {
		if err := s.read(store.Latest(ctx), h.DB.View(), now); err != nil {
			return nil, err
		}
	}
	return s.entries, nil
}

// forgetSteps makes the steps be read anew that belong to no leg.
func (s *cache) forgetSteps() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.steps, s.sheet = nil, nil
	s.turn++
}

// OpenSteps gives the steps that belong to no leg and are still to be done, the first due first.
func (h *Newsroom) OpenSteps(ctx context.Context) ([]store.OwnStep, error) {
	s := &h.cache
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.steps == nil {
		all, err := store.OpenSteps(store.Latest(ctx), h.DB.View())
		if err != nil {
			return nil, err
		}
		s.steps = append([]store.OwnStep{}, all...)
	}
	return s.steps, nil
}

// EntryOf gives a piece of the cache by its id, nil where there is none.
func EntryOf(entries []*Entry, id ref.Piece) *Entry {
	if i, ok := slices.BinarySearchFunc(entries, id, ByID); ok {
		return entries[i]
	}
	return nil
}

// BoardAt gives what plans reckon with at this moment. It is for one goroutine.
func (h *Newsroom) BoardAt(ctx context.Context, b *Setup, now day.Moment) (*plan.Board, error) {
	entries, err := h.Pieces(ctx, now)
	if err != nil {
		return nil, err
	}
	steps, err := h.OpenSteps(ctx)
	if err != nil {
		return nil, err
	}
	s := &h.cache
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.board == nil {
		s.board = []*relay.Piece{}
		if s.entries != nil { // it may have been cleared since
			entries = s.entries
		}
		for _, e := range entries {
			if e.Legs != nil {
				s.board = append(s.board, &e.Piece)
			}
		}
	}
	out := &plan.Board{
		Now: now, Desks: b.Planned, People: b.crew, Pieces: s.board,
		Slots: func(channel ref.Channel) []day.Moment { return b.Slots(channel, now) },
	}
	for _, x := range steps {
		if x.PersonID != 0 && x.Day != 0 && x.Minutes > 0 {
			today := now.Date(b.Zones[x.DeskID])
			out.Steps = append(out.Steps, load.Work{Piece: x.PieceID, Desk: x.DeskID, Leg: load.NoLeg, Person: x.PersonID, Minutes: x.Minutes, From: min(today, x.Day), Due: x.Day, Today: today})
		}
	}
	if len(b.Desks) > 0 && s.sheet != nil && s.books == b && s.sheet.From == out.FirstDay() {
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

// Board gives the set-up and what plans reckon with now.
func (h *Newsroom) Board(ctx context.Context) (*Setup, *plan.Board, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, nil, err
	}
	board, err := h.BoardAt(ctx, b, h.Now())
	return b, board, err
}

// Facts gives a piece as it is sifted.
func (e *Entry) Facts() sift.Facts {
	return sift.Facts{Piece: &e.Piece, Low: e.Low, Pace: e.Pace, InHand: e.InHand, Quiet: e.Quiet, IsQuiet: e.IsQuiet, Open: e.OpenLeg, NextDue: e.NextDue, Today: e.WorkedOut, Values: e.Values}
}
