package desk

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/store"
)

// sitting is how long after the last edit another one is of the same version, in seconds.
const sitting = 10 * 60

// errIsOut refuses to change what readers have before them.
var errIsOut = &relay.Refusal{Reason: relay.ErrNotNow, Field: "title", Text: "The piece is out. Withdraw it before changing its copy, title or description."}

// Hand is what somebody may do with a copy.
type Hand struct {
	copy.Hand        // Writes is false for who proposes
	Decides   bool   // takes and leaves what others propose
	Because   string // why they propose and do not write, for those who otherwise would
}

// hand says what somebody may do with the copy of a piece.
func (a *act) hand(row *store.Row, by int64) (Hand, error) { return a.b.hand(row, by) }

func (b *Books) hand(row *store.Row, by int64) (Hand, error) {
	who := b.Who(by, row.DeskID)
	h := Hand{Hand: copy.Hand{By: by}}
	if p := b.Person(by); p.ID == 0 || p.Retired {
		return h, &relay.Refusal{Reason: relay.ErrNotYours, Text: "This account is no longer in use."}
	}
	if relay.May(relay.ActSee, who, &row.Piece, nil, "") != nil {
		return h, ErrNotFound
	}
	h.Writes = relay.May(relay.ActWrite, who, &row.Piece, nil, "") == nil
	h.Decides = h.Writes
	if !h.Writes {
		if err := relay.May(relay.ActPropose, who, &row.Piece, nil, ""); err != nil {
			return h, err
		}
	}
	if row.Stage == relay.Out {
		return h, errIsOut
	}
	if leg := row.SignedOff(); leg != nil && h.Writes {
		h.Writes = false
		h.Decides = relay.May(relay.ActPlan, who, &row.Piece, nil, "") == nil
		h.Because = leg.Name + " has signed it off, so what is changed now is proposed."
	}
	return h, nil
}

// Saved is what became of a save.
type Saved struct {
	Version int // the newest version of the copy now
	Words   int // in it
}

// OnNewest says that a text was written on whatever is the newest copy.
const OnNewest = -1

// SaveCopy makes a text the copy of a piece, where the text was written on the copy as it
// was after edit seq, or OnNewest. What others changed since stays changed.
func (h *House) SaveCopy(ctx context.Context, by, piece int64, seq int, text []byte) (Saved, error) {
	var out Saved
	t, err := copy.Parse(text)
	if err != nil {
		return out, bad("copy", "The copy was not saved: %s.", err)
	}
	err = h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{act: relay.ActWrite, piece: piece})
		if err != nil {
			return err
		}
		out, err = a.saveCopy(was, seq, t, "")
		return err
	})
	return out, err
}

// saveCopy puts the difference between the copy at an edit and a text behind all edits
// since, and makes a version of it. A label begins a version of its own.
func (a *act) saveCopy(was store.Row, seq int, t copy.Text, label string) (Saved, error) {
	if hand, err := a.hand(&was, a.by); err != nil {
		return Saved{}, err
	} else if !hand.Writes && !hand.Decides {
		return Saved{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: hand.Because}
	}
	s, err := a.stage(was.ID)
	if err != nil {
		return Saved{}, err
	}
	from := s.text
	var since []taken
	if seq >= 0 && seq < s.seq {
		if from, err = textAt(a, a.tx, &was, seq); err != nil {
			return Saved{}, err
		}
		if since, err = s.after(a, seq); err != nil {
			return Saved{}, err
		}
	}
	change := copy.Difference(from, t).KeepQueries().Sound()
	for _, e := range since {
		change = e.Change.Transform(change, true)
	}
	if len(change) > 0 || was.CopyVersion == 0 || label != "" {
		if label != "" { // what was written up to here is a version of its own
			if err := a.version(s); err != nil {
				return Saved{}, err
			}
			if err := a.tx.LabelCopy(a, was.ID, s.row.CopyVersion, label); err != nil {
				return Saved{}, err
			}
		}
		if _, err := a.putEdit(s, taken{By: a.by, Client: fmt.Sprintf("house %d", s.seq), Turn: 1, Change: change}); err != nil {
			return Saved{}, err
		}
		if err := a.version(s); err != nil {
			return Saved{}, err
		}
	}
	return Saved{Version: s.row.CopyVersion, Words: s.text.Left().Words()}, nil
}

// settle makes a version of what was written in the room of a piece and is in none yet.
func (a *act) settle(piece int64) error {
	r := partOf[rooms](a.h).get(piece)
	if r == nil || r.dirty.IsZero() {
		return nil
	}
	s, err := a.stage(piece)
	if err != nil {
		return err
	}
	return a.version(s)
}

// version stores the staged copy as a version: as another state of the newest one while
// the sitting goes on, otherwise as the next. It notes who wrote, touches their legs, and
// writes into the logbook who joined the sitting.
func (a *act) version(s *stage) error {
	was := s.row
	last, err := store.CopyAt(a, a.tx, was.ID, was.CopyVersion)
	if err != nil && !errors.Is(err, store.ErrNone) {
		return err
	}
	none := errors.Is(err, store.ErrNone)
	edits, err := s.after(a, last.Seq)
	if err != nil {
		return err
	}
	if len(edits) == 0 {
		s.kept = s.seq
		return nil
	}
	next := store.Copy{PieceID: was.ID, Version: last.Version + 1, Text: string(s.text.JSON()), Words: s.text.Left().Words(), By: a.by, At: a.now, Seq: s.seq}
	goesOn := !none && last.Label == "" && last.People != "" && a.now-last.At < sitting
	var wrote []int64
	if goesOn {
		next.Version = last.Version
		wrote = people(last.People)
		if err := a.tx.DropCopy(a, was.ID, last.Version); err != nil {
			return err
		}
	}
	var joined []int64
	for _, e := range edits {
		if e.By != 0 {
			next.By = e.By
		}
		if e.By != 0 && !slices.Contains(wrote, e.By) {
			wrote, joined = append(wrote, e.By), append(joined, e.By)
		}
	}
	next.People = joinPeople(wrote)
	if err := a.tx.AddCopy(a, next); err != nil {
		return err
	}
	is := was.Piece
	is.CopyVersion = next.Version
	is.Legs = append([]relay.Leg(nil), was.Legs...)
	for _, l := range is.Running() {
		if slices.ContainsFunc(edits, func(e taken) bool { return e.By == l.Holder }) {
			l.TouchedAt = a.now
		}
	}
	if err := a.save(was.Piece, is); err != nil {
		return err
	}
	s.row.Piece = is
	s.kept = s.seq
	if err := a.proposedBy(was.Piece, last.Text, s.text, joined); err != nil {
		return err
	}
	for _, by := range joined {
		if err := a.logAs(by, store.Entry{
			DeskID: was.DeskID, PieceID: was.ID, Act: "wrote", What: "worked on the copy", Version: was.Version,
			Before: fmt.Sprintf("version %d, %s", last.Version, Plural(last.Words, "word")), After: fmt.Sprintf("version %d, %s", next.Version, Plural(next.Words, "word")),
		}); err != nil {
			return err
		}
	}
	return a.stand(is)
}

// proposedBy logs, and lets rules hear, that people who joined a sitting proposed changes
// in it that were not there before.
func (a *act) proposedBy(p relay.Piece, before string, now copy.Text, joined []int64) error {
	fresh := map[int64]int{}
	var known []string
	if old, err := copy.Parse([]byte(before)); err == nil {
		for _, x := range old.Proposals() {
			known = append(known, x.Keys...)
		}
	}
	for _, x := range now.Proposals() {
		if slices.Contains(joined, x.By) && !slices.ContainsFunc(x.Keys, func(k string) bool { return slices.Contains(known, k) }) {
			fresh[x.By]++
		}
	}
	for _, by := range slices.Sorted(maps.Keys(fresh)) {
		who := a.by
		a.by = by
		err := a.logEvents(&p, store.Entry{DeskID: p.DeskID, PieceID: p.ID, Act: "proposed", What: "proposed " + Plural(fresh[by], "change"), Version: p.Version}, []rule.Event{{Kind: rule.Proposed}})
		if a.by = who; err != nil {
			return err
		}
	}
	return nil
}

// people reads the ids of a sitting.
func people(s string) []int64 {
	var out []int64
	for _, f := range strings.Fields(s) {
		if id, err := strconv.ParseInt(f, 10, 64); err == nil {
			out = append(out, id)
		}
	}
	return out
}

func joinPeople(ids []int64) string {
	s := make([]string, len(ids))
	for i, id := range ids {
		s[i] = strconv.FormatInt(id, 10)
	}
	return strings.Join(s, " ")
}

// SettleCopies makes versions of what was written and has rested. The house's round does it.
func (h *House) SettleCopies(ctx context.Context) (failed error) {
	for _, r := range partOf[rooms](h).all() {
		r.mu.Lock()
		due := !r.dirty.IsZero() && time.Since(r.dirty) >= restEnough
		r.mu.Unlock()
		if !due {
			continue
		}
		failed = errors.Join(failed, h.alone(ctx, errand{what: "keep a version of the copy", piece: r.piece}, func() error { return h.settleNow(ctx, r.piece) }))
	}
	return failed // the edits are stored; a later round tries again
}

// restEnough is after how long what was written becomes a version.
const restEnough = 2 * time.Second

func (h *House) settleNow(ctx context.Context, piece int64) error {
	return h.act(ctx, 0, func(a *act) error {
		a.hushed = true
		return a.settle(piece)
	})
}

// Recover makes versions of edits that were taken before the program ended and are in
// none yet. It is run once when a house is opened. A copy with which that fails keeps
// nothing else back.
func (h *House) Recover(ctx context.Context) error {
	ids, err := store.Unversioned(ctx, h.DB.View())
	if err != nil {
		return err
	}
	var failed error
	for _, id := range ids {
		failed = errors.Join(failed, h.alone(ctx, errand{what: "keep a version of the copy", piece: id}, func() error {
			return h.act(ctx, 0, func(a *act) error {
				a.hushed = true
				s, err := a.stage(id)
				if err != nil {
					return err
				}
				return a.version(s)
			})
		}))
	}
	return failed
}

// Slug makes the last part of a page's address from a title.
func Slug(title string, number int) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		if b.Len() >= 60 {
			break
		}
	}
	return fmt.Sprintf("%d-%s", number, strings.Trim(b.String(), "-"))
}
