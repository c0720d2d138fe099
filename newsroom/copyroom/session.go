package copyroom

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Register registers what follows here from what others do.
func Register(h *newsroom.Newsroom) {
	rs := newsroom.PartOf[sessions](h)
	h.Hooks.Keeps = append(h.Hooks.Keeps, newsroom.Keep{Key: "links", Name: "Answers of links that were tried", Says: "They are tried again when a copy is checked.", Days: 30, Least: 1, Drop: (*store.Tx).DropTried})
	h.Hooks.Before = append(h.Hooks.Before, At(h).SettleCopies)
	h.Hooks.Load = append(h.Hooks.Load, Settle)
	h.Hooks.Moved = append(h.Hooks.Moved, nameVersion)
	h.Hooks.Stored = append(h.Hooks.Stored, applyEdits)
	h.Hooks.Dropped = append(h.Hooks.Dropped, dropEdits)
	h.Hooks.Shown = append(h.Hooks.Shown, func(a *newsroom.Command) {
		for piece := range a.Put.Pieces {
			rs.look(piece)
		}
	})
	h.Hooks.Undo = append(h.Hooks.Undo, undoQueries)
	h.Hooks.Forget = append(h.Hooks.Forget, rs.clear)
}

// session is the copy of one piece while people work on it: the text in memory, the edits
// that led to it, and the pages on which it is open. It changes only inside the house's
// one write, after what it stored is stored; its lock is for those who read meanwhile.
type session struct {
	piece ref.Piece

	mu      sync.Mutex
	text    copy.Text
	seq     int                  // of the newest edit
	log     []newsroom.Taken     // the newest edits, without a gap up to seq
	keys    map[string]bool      // of proposals that are or were on the copy
	queries map[ref.Query]bool   // that are about it
	open    map[*Client]struct{} // the pages
	dirty   time.Time            // when the first edit came that is in no version yet, by the clock of the machine; zero if there is none
}

// sessions are the copies that people work on.
type sessions struct {
	mu    sync.Mutex
	open  map[ref.Piece]*session
	queue []*pending
	leads bool // somebody is storing what is in the queue
}

// keptEdits is how many edits a session keeps in memory; older ones are read when a page
// comes back after a long time.
const keptEdits = 1000

// get gives the session of a piece if it is open.
func (rs *sessions) get(piece ref.Piece) *session {
	rs.mu.Lock()
	defer rs.mu.Unlock()
	return rs.open[piece]
}

// enter gives the session of a piece and opens it if need be; only inside a write.
func (rs *sessions) enter(ctx context.Context, tx store.Reader, row *store.Row) (*session, error) {
	if r := rs.get(row.ID); r != nil {
		return r, nil
	}
	c, text, seq, err := newsroom.Newest(ctx, tx, row)
	if err != nil {
		return nil, err
	}
	r := &session{piece: row.ID, text: text, seq: seq, keys: map[string]bool{}, queries: map[ref.Query]bool{}, open: map[*Client]struct{}{}}
	if r.log, err = newsroom.EditsAfter(ctx, tx, row.ID, seq-keptEdits); err != nil {
		return nil, err
	}
	if c.Seq < seq {
		r.dirty = time.Now()
	}
	r.learn(copy.Change(text))
	for _, e := range r.log {
		r.learn(e.Change)
	}
	ids, err := store.QueryIDs(ctx, tx, row.ID)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		r.queries[id] = true
	}
	rs.mu.Lock()
	defer rs.mu.Unlock()
	if rs.open == nil {
		rs.open = map[ref.Piece]*session{}
	}
	rs.open[row.ID] = r
	return r, nil
}

// learn notes the keys of proposals in a change.
func (r *session) learn(c copy.Change) {
	for _, o := range c {
		for _, m := range o.Attributes.Marks() {
			if m.Key != "" {
				r.keys[m.Key] = true
			}
		}
	}
}

// Known reports whether a mark is or was on the copy.
func (r *session) Known(m copy.Mark) bool {
	if m.Kind == copy.Query {
		return r.queries[m.ID]
	}
	return r.keys[m.Key]
}

// TextAt gives the copy of a piece as it was after an edit.
func TextAt(ctx context.Context, r store.Reader, row *store.Row, seq int) (copy.Text, error) {
	c, err := store.CopyUpTo(ctx, r, row.ID, seq)
	if errors.Is(err, store.ErrNone) {
		c = store.Copy{PieceID: row.ID, Text: newsroom.EmptyCopy}
	} else if err != nil {
		return nil, err
	}
	text, _, err := newsroom.Replay(ctx, r, &c, seq)
	return text, err
}

// stage is a session while edits are taken that are not stored yet.
type stage struct {
	*session
	row    store.Row
	Text   copy.Text
	Seq    int
	new    []newsroom.Taken
	opened bool        // this command opened the session
	asked  []ref.Query // queries that were asked about it
	kept   int         // the newest edit that this command put into a version
}

// Stage gives the session of a piece as it is after what this command did.
func Stage(a *newsroom.Command, piece ref.Piece) (*stage, error) {
	if s := stages(a)[piece]; s != nil {
		return s, nil
	}
	rs := newsroom.PartOf[sessions](a.Newsroom)
	row, err := store.Piece(a, a.Tx, piece)
	if errors.Is(err, store.ErrNone) {
		return nil, newsroom.ErrNotFound
	} else if err != nil {
		return nil, err
	}
	opened := rs.get(piece) == nil
	r, err := rs.enter(a, a.Tx, &row)
	if err != nil {
		return nil, err
	}
	s := &stage{session: r, row: row, Text: r.text, Seq: r.seq, opened: opened}
	stages(a)[piece] = s
	return s, nil
}

// stages gives the copies with edits of this command, by piece.
func stages(a *newsroom.Command) map[ref.Piece]*stage {
	all, ok := a.Staged.(map[ref.Piece]*stage)
	if !ok {
		all = map[ref.Piece]*stage{}
		a.Staged = all
	}
	return all
}

// dropEdits forgets what was staged and not stored. A session that this command opened may hold
// what it read of itself, so it is opened anew when it is next needed.
func dropEdits(a *newsroom.Command) {
	rs := newsroom.PartOf[sessions](a.Newsroom)
	rs.mu.Lock()
	defer rs.mu.Unlock()
	for _, s := range stages(a) {
		s.session.mu.Lock()
		if s.opened && len(s.session.open) == 0 && rs.open[s.piece] == s.session {
			delete(rs.open, s.piece)
		}
		s.session.mu.Unlock()
	}
}

// applyEdits makes what was stored the copies that people see.
func applyEdits(a *newsroom.Command) {
	for _, s := range stages(a) {
		s.apply()
		newsroom.PartOf[sessions](a.Newsroom).leave(s.session)
	}
}

// PutEdit does an edit to the staged text and stores it.
func PutEdit(a *newsroom.Command, s *stage, e newsroom.Taken) (int, error) {
	text, err := s.Text.Apply(e.Change)
	if err != nil {
		return 0, newsroom.Invalid("copy", "The edit was not taken: %s.", newsroom.MisfitText(err))
	}
	if err := mayHold(a, s.piece, e.Change); err != nil {
		return 0, err
	}
	if size(text) > copy.MaxBytes {
		return 0, newsroom.Invalid("copy", "The copy would be larger than %d MB. Split the piece in two.", copy.MaxBytes>>20)
	}
	e.Seq = s.Seq + 1
	if err := a.Tx.AddEdit(a, store.Edit{PieceID: s.piece, Seq: e.Seq, By: e.By, Client: e.Client, Turn: e.Turn, At: a.Now, Change: string(e.Change.JSON())}); err != nil {
		return 0, err
	}
	s.Text, s.Seq = text, e.Seq
	s.new = append(s.new, e)
	return e.Seq, nil
}

// mayHold refuses a change that inserts a picture which is not one of the piece.
func mayHold(a *newsroom.Command, piece ref.Piece, c copy.Change) error {
	files := c.Pictures()
	if len(files) == 0 {
		return nil
	}
	own, err := store.PicturesOf(a, a.Tx, piece)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(files, func(f ref.File) bool { return !own[f] }) {
		return newsroom.Invalid("copy", "It holds a picture that does not belong to this piece. Put the picture itself in.")
	}
	return nil
}

func size(t copy.Text) int {
	n := 0
	for _, o := range t {
		n += len(o.Insert) + len(o.Embed)
	}
	return n
}

// After gives the edits after one, those that are staged among them.
func (s *stage) After(a *newsroom.Command, seq int) ([]newsroom.Taken, error) {
	old, err := s.session.after(a, a.Tx, seq)
	if err != nil {
		return nil, err
	}
	if skip := seq - s.session.seq; skip > 0 {
		return s.new[min(skip, len(s.new)):], nil
	}
	return append(old, s.new...), nil
}

// after gives the stored edits after one.
func (r *session) after(ctx context.Context, reader store.Reader, seq int) ([]newsroom.Taken, error) {
	if seq >= r.seq {
		return nil, nil
	}
	if len(r.log) > 0 && r.log[0].Seq <= seq+1 {
		return slices.Clone(r.log[seq+1-r.log[0].Seq:]), nil
	}
	return newsroom.EditsAfter(ctx, reader, r.piece, seq)
}

// apply makes a stored stage the session, and tells the pages.
func (s *stage) apply() {
	r := s.session
	r.mu.Lock()
	defer r.mu.Unlock()
	if s.kept == s.Seq {
		r.dirty = time.Time{}
	} else if r.dirty.IsZero() && len(s.new) > 0 {
		r.dirty = time.Now()
	}
	r.text, r.seq = s.Text, s.Seq
	r.log = append(r.log, s.new...)
	if n := len(r.log) - keptEdits; n > keptEdits {
		r.log = slices.Clone(r.log[n:])
	}
	for _, id := range s.asked {
		r.queries[id] = true
	}
	for _, e := range s.new {
		r.learn(e.Change)
		for seat := range r.open {
			seat.put(Message{Kind: "edit", Edit: &ClientEdit{e.Seq, e.By, e.Client, e.Turn, e.Change}})
		}
	}
}
