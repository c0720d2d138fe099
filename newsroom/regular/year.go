package regular

import (
	"context"
	"errors"
	"maps"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Line is a regular with its days between two dates.
type Line struct {
	store.Regular
	Says  string // its rule
	Marks []Mark
}

// Mark is a day of a regular: its piece, or that it comes.
type Mark struct {
	Coming
	On    day.Date // the day of its piece where it has one
	Entry *newsroom.Entry
}

// Lines gives the regulars of a desk with their days between two dates, for who makes pieces there.
func (h Room) Lines(ctx context.Context, who ref.Person, desk ref.Desk, from, to day.Date) ([]Line, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return nil, err
	}
	if !planning.MayCreate(b.Who(who, desk)) {
		return nil, newsroom.ErrNotFound
	}
	all, err := store.Regulars(ctx, h.DB.View(), desk)
	if err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	s := scene{b, board, h.Now()}
	var out []Line
	for _, r := range all {
		known, err := store.RegularDates(ctx, h.DB.View(), r.ID)
		if err != nil {
			return nil, err
		}
		l, err := s.line(r, known, entries, to)
		if err != nil {
			return nil, err
		}
		l.Marks = slices.DeleteFunc(l.Marks, func(m Mark) bool { return m.On < from || m.On > to })
		out = append(out, l)
	}
	return out, nil
}

// line gives a regular with all its days up to one: those of which something became, and, while
// it runs, those that come.
func (s scene) line(r store.Regular, known map[day.Date]store.RegularDate, entries []*newsroom.Entry, to day.Date) (Line, error) {
	rule, err := r.Recurs()
	if err != nil {
		return Line{}, err
	}
	l := Line{Regular: r, Says: rule.Say()}
	coming := []Coming{}
	if r.Runs() {
		if coming, err = s.look(r, known, to); err != nil {
			return l, err
		}
	}
	seen := map[day.Date]bool{}
	zone := s.setup.Zones[r.DeskID]
	put := func(c Coming) {
		m := Mark{Coming: c, On: c.On}
		if i, is := slices.BinarySearchFunc(entries, c.Piece, func(e *newsroom.Entry, id ref.Piece) int { return int(e.ID - id) }); is && c.Piece != 0 {
			m.Entry = entries[i]
			m.Title = m.Entry.Title
			if at := max(m.Entry.OutAt, m.Entry.GoesOut); at != 0 {
				m.On = at.Date(zone)
			}
		}
		seen[c.Key] = true
		l.Marks = append(l.Marks, m)
	}
	for _, c := range coming {
		put(c)
	}
	for _, key := range slices.Sorted(maps.Keys(known)) {
		if d := known[key]; !seen[key] && d.State != store.RegularTaken {
			c := Coming{State: State(d.State), N: d.N, Piece: d.PieceID}
			c.Key, c.On = key, key
			put(c)
		}
	}
	slices.SortStableFunc(l.Marks, func(x, y Mark) int { return int(x.On - y.On) })
	return l, nil
}

// Regular gives a regular of a desk, for its leads, with its coming days.
func (h Room) Regular(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Regular) (store.Regular, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return store.Regular{}, err
	}
	if err := b.MayLead(by, desk); err != nil {
		return store.Regular{}, err
	}
	r, _, err := kept(ctx, h.DB.View(), store.Regular{ID: id, DeskID: desk})
	return r, err
}

// Of gives the regular that made a piece, and its number there, for those who see all of its desk;
// the zero value where none did.
func (h Room) Of(ctx context.Context, who ref.Person, piece ref.Piece) (store.Regular, int, error) {
	r, n, err := store.RegularOf(ctx, h.DB.View(), piece)
	if errors.Is(err, store.ErrNone) {
		return store.Regular{}, 0, nil
	} else if err != nil {
		return store.Regular{}, 0, err
	}
	b, err := h.Setup(ctx)
	if err != nil || !planning.MayCreate(b.Who(who, r.DeskID)) {
		return store.Regular{}, 0, err
	}
	return r, n, nil
}

// expects gives the times of a desk to which pieces of regulars will come.
func (h Room) expects(ctx context.Context, desk ref.Desk, until day.Date) ([]newsroom.Expected, error) {
	all, err := store.Regulars(ctx, h.DB.View(), desk)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	b, board, err := h.Board(ctx)
	if err != nil {
		return nil, err
	}
	s := scene{b, board, h.Now()}
	var out []newsroom.Expected
	for _, r := range all {
		if !r.Runs() {
			continue
		}
		known, err := store.RegularDates(ctx, h.DB.View(), r.ID)
		if err != nil {
			return nil, err
		}
		coming, err := s.look(r, known, until)
		if err != nil {
			return nil, err
		}
		for _, c := range coming {
			if c.State == Due || c.State == Later {
				out = append(out, newsroom.Expected{Channel: channelOf(b, r), At: c.At, Name: r.Name})
			}
		}
	}
	return out, nil
}
