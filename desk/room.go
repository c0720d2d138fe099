package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"greenbaton/core/copy"
	"greenbaton/store"
)

func registerCopyroom(h *House) {
	rs := partOf[rooms](h)
	h.Hooks.Before = append(h.Hooks.Before, h.SettleCopies)
	h.Hooks.Load = append(h.Hooks.Load, (*act).settle)
	h.Hooks.Moved = append(h.Hooks.Moved, (*act).nameVersion)
	h.Hooks.Stored = append(h.Hooks.Stored, (*act).applyEdits)
	h.Hooks.Dropped = append(h.Hooks.Dropped, (*act).dropEdits)
	h.Hooks.Shown = append(h.Hooks.Shown, func(a *act) {
		for piece := range a.put.pieces {
			rs.look(piece)
		}
	})
	h.Hooks.Undo = append(h.Hooks.Undo, (*act).undoQueries)
	h.Hooks.Forget = append(h.Hooks.Forget, rs.clear)
}

// room is the copy of one piece while people work on it: the text in memory, the edits
// that led to it, and the pages on which it is open. It changes only inside the house's
// one write, after what it stored is stored; its lock is for those who read meanwhile.
type room struct {
	piece int64

	mu      sync.Mutex
	text    copy.Text
	seq     int                // of the newest edit
	log     []taken            // the newest edits, without a gap up to seq
	keys    map[string]bool    // of proposals that are or were on the copy
	queries map[int64]bool     // that are about it
	open    map[*Seat]struct{} // the pages
	dirty   time.Time          // when the first edit came that is in no version yet, by the clock of the machine; zero if there is none
}

// taken is an edit as it was taken.
type taken struct {
	Seq    int
	By     int64
	Client string
	Turn   int
	Change copy.Change
}

// rooms are the copies that people work on.
type rooms struct {
	mu    sync.Mutex
	open  map[int64]*room
	queue []*pending
	leads bool // somebody is storing what is in the queue
}

// keptEdits is how many edits a room keeps in memory; older ones are read when a page
// comes back after a long time.
const keptEdits = 1000

// get gives the room of a piece if it is open.
func (rs *rooms) get(piece int64) *room {
	rs.mu.Lock()
	defer rs.mu.Unlock()
	return rs.open[piece]
}

// enter gives the room of a piece and opens it if need be; only inside a write.
func (rs *rooms) enter(ctx context.Context, tx store.Reader, row *store.Row) (*room, error) {
	if r := rs.get(row.ID); r != nil {
		return r, nil
	}
	c, text, seq, err := newest(ctx, tx, row)
	if err != nil {
		return nil, err
	}
	r := &room{piece: row.ID, text: text, seq: seq, keys: map[string]bool{}, queries: map[int64]bool{}, open: map[*Seat]struct{}{}}
	if r.log, err = editsAfter(ctx, tx, row.ID, seq-keptEdits); err != nil {
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
		rs.open = map[int64]*room{}
	}
	rs.open[row.ID] = r
	return r, nil
}

// learn notes the keys of proposals in a change.
func (r *room) learn(c copy.Change) {
	for _, o := range c {
		for _, m := range o.Attributes.Marks() {
			if m.Key != "" {
				r.keys[m.Key] = true
			}
		}
	}
}

// known reports whether a mark is or was on the copy.
func (r *room) known(m copy.Mark) bool {
	if m.Kind == copy.Query {
		return r.queries[m.ID]
	}
	return r.keys[m.Key]
}

func editsAfter(ctx context.Context, r store.Reader, piece int64, seq int) ([]taken, error) {
	rows, err := store.EditsAfter(ctx, r, piece, seq)
	if err != nil {
		return nil, err
	}
	out := make([]taken, len(rows))
	for i, e := range rows {
		c, err := copy.ParseChange([]byte(e.Change))
		if err != nil {
			return nil, fmt.Errorf("edit %d of piece %d: %w", e.Seq, piece, err)
		}
		out[i] = taken{e.Seq, e.By, e.Client, e.Turn, c}
	}
	return out, nil
}

// newest gives the newest copy of a piece, which is its newest version and the edits
// after it: that version, the text, and the number of the last edit in it.
func newest(ctx context.Context, r store.Reader, row *store.Row) (c store.Copy, text copy.Text, seq int, err error) {
	c, err = store.CopyAt(ctx, r, row.ID, row.CopyVersion)
	if errors.Is(err, store.ErrNone) {
		c = store.Copy{PieceID: row.ID, Text: emptyCopy}
	} else if err != nil {
		return c, nil, 0, err
	}
	text, seq, err = replay(ctx, r, &c, endless)
	return c, text, seq, err
}

const endless = int(^uint(0) >> 1)

// replay does to a version the edits after it, up to one of them.
func replay(ctx context.Context, r store.Reader, c *store.Copy, to int) (copy.Text, int, error) {
	text, err := copy.Parse([]byte(c.Text))
	if err != nil {
		return nil, 0, fmt.Errorf("copy of piece %d: %w", c.PieceID, err)
	}
	edits, err := editsAfter(ctx, r, c.PieceID, c.Seq)
	if err != nil {
		return nil, 0, err
	}
	seq := c.Seq
	for _, e := range edits {
		if e.Seq > to {
			break
		}
		if text, err = text.Apply(e.Change); err != nil {
			return nil, 0, fmt.Errorf("edit %d of piece %d: %w", e.Seq, c.PieceID, err)
		}
		seq = e.Seq
	}
	return text, seq, nil
}

// textAt gives the copy of a piece as it was after an edit.
func textAt(ctx context.Context, r store.Reader, row *store.Row, seq int) (copy.Text, error) {
	c, err := store.CopyUpTo(ctx, r, row.ID, seq)
	if errors.Is(err, store.ErrNone) {
		c = store.Copy{PieceID: row.ID, Text: emptyCopy}
	} else if err != nil {
		return nil, err
	}
	text, _, err := replay(ctx, r, &c, seq)
	return text, err
}

// emptyCopy is a copy that nobody has begun.
const emptyCopy = `[{"insert":"\n"}]`

// stage is a room while edits are taken that are not stored yet.
type stage struct {
	*room
	row    store.Row
	text   copy.Text
	seq    int
	new    []taken
	opened bool    // this act opened the room
	asked  []int64 // queries that were asked about it
	kept   int     // the newest edit that this act put into a version
}

// stage gives the room of a piece as it is after what this act did.
func (a *act) stage(piece int64) (*stage, error) {
	if s := a.stages()[piece]; s != nil {
		return s, nil
	}
	rs := partOf[rooms](a.h)
	row, err := store.Piece(a, a.tx, piece)
	if errors.Is(err, store.ErrNone) {
		return nil, ErrNotFound
	} else if err != nil {
		return nil, err
	}
	opened := rs.get(piece) == nil
	r, err := rs.enter(a, a.tx, &row)
	if err != nil {
		return nil, err
	}
	s := &stage{room: r, row: row, text: r.text, seq: r.seq, opened: opened}
	a.stages()[piece] = s
	return s, nil
}

// stages gives the copies with edits of this act, by piece.
func (a *act) stages() map[int64]*stage {
	all, ok := a.staged.(map[int64]*stage)
	if !ok {
		all = map[int64]*stage{}
		a.staged = all
	}
	return all
}

// dropEdits forgets what was staged and not stored. A room that this act opened may hold
// what it read of itself, so it is opened anew when it is next needed.
func (a *act) dropEdits() {
	rs := partOf[rooms](a.h)
	rs.mu.Lock()
	defer rs.mu.Unlock()
	for _, s := range a.stages() {
		s.room.mu.Lock()
		if s.opened && len(s.room.open) == 0 && rs.open[s.piece] == s.room {
			delete(rs.open, s.piece)
		}
		s.room.mu.Unlock()
	}
}

// applyEdits makes what was stored the copies that people see.
func (a *act) applyEdits() {
	for _, s := range a.stages() {
		s.apply()
		partOf[rooms](a.h).leave(s.room)
	}
}

// putEdit does an edit to the staged text and stores it.
func (a *act) putEdit(s *stage, e taken) (int, error) {
	text, err := s.text.Apply(e.Change)
	if err != nil {
		return 0, bad("copy", "The edit was not taken: %s.", misfitText(err))
	}
	if err := a.mayHold(s.piece, e.Change); err != nil {
		return 0, err
	}
	if size(text) > copy.MaxBytes {
		return 0, bad("copy", "The copy would be larger than %d MB. Split the piece in two.", copy.MaxBytes>>20)
	}
	e.Seq = s.seq + 1
	if err := a.tx.AddEdit(a, store.Edit{PieceID: s.piece, Seq: e.Seq, By: e.By, Client: e.Client, Turn: e.Turn, At: a.now, Change: string(e.Change.JSON())}); err != nil {
		return 0, err
	}
	s.text, s.seq = text, e.Seq
	s.new = append(s.new, e)
	return e.Seq, nil
}

// mayHold refuses a change that inserts a picture which is not one of the piece.
func (a *act) mayHold(piece int64, c copy.Change) error {
	files := c.Pictures()
	if len(files) == 0 {
		return nil
	}
	own, err := store.PicturesOf(a, a.tx, piece)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(files, func(f int64) bool { return !own[f] }) {
		return bad("copy", "It holds a picture that does not belong to this piece. Put the picture itself in.")
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

// after gives the edits after one, those that are staged among them.
func (s *stage) after(a *act, seq int) ([]taken, error) {
	old, err := s.room.after(a, a.tx, seq)
	if err != nil {
		return nil, err
	}
	if skip := seq - s.room.seq; skip > 0 {
		return s.new[min(skip, len(s.new)):], nil
	}
	return append(old, s.new...), nil
}

// after gives the stored edits after one.
func (r *room) after(ctx context.Context, reader store.Reader, seq int) ([]taken, error) {
	if seq >= r.seq {
		return nil, nil
	}
	if len(r.log) > 0 && r.log[0].Seq <= seq+1 {
		return slices.Clone(r.log[seq+1-r.log[0].Seq:]), nil
	}
	return editsAfter(ctx, reader, r.piece, seq)
}

// apply makes a stored stage the room, and tells the pages.
func (s *stage) apply() {
	r := s.room
	r.mu.Lock()
	defer r.mu.Unlock()
	if s.kept == s.seq {
		r.dirty = time.Time{}
	} else if r.dirty.IsZero() && len(s.new) > 0 {
		r.dirty = time.Now()
	}
	r.text, r.seq = s.text, s.seq
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
			seat.put(Word{Kind: "edit", Edit: &SeatEdit{e.Seq, e.By, e.Client, e.Turn, e.Change}})
		}
	}
}
