package copyroom

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
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// sitting is how long after the last edit another one is of the same version, in seconds.
const sitting = 10 * 60

// ErrIsOut refuses to change what readers have before them.
var ErrIsOut = &relay.Refusal{Reason: relay.ErrNotNow, Field: "title", Text: "The piece is out. Begin a correction before changing its copy, title or description; readers have it as it is until that is brought out."}

// Hand is what somebody may do with a copy.
type Hand struct {
	copy.Hand        // Writes is false for who proposes
	Decides   bool   // takes and leaves what others propose
	Because   string // why they propose and do not write, for those who otherwise would
}

// HandIn says what somebody may do with the copy of a piece.
func HandIn(a *newsroom.Command, row *store.Row, by ref.Person) (Hand, error) {
	return HandOf(a.Setup, row, by)
}

// HandOf says what somebody may do with a copy; a refusal if it is not even to read.
func HandOf(b *newsroom.Setup, row *store.Row, by ref.Person) (Hand, error) {
	who := b.Who(by, row.DeskID)
	h := Hand{Hand: copy.Hand{By: by}}
	if p := b.Person(by); p.ID == 0 || p.Retired {
		return h, &relay.Refusal{Reason: relay.ErrNotYours, Text: "This account is no longer in use."}
	}
	if relay.May(relay.ActSee, who, &row.Piece, nil, "") != nil {
		return h, newsroom.ErrNotFound
	}
	h.Writes = relay.May(relay.ActWrite, who, &row.Piece, nil, "") == nil
	h.Decides = h.Writes
	if !h.Writes {
		if err := relay.May(relay.ActPropose, who, &row.Piece, nil, ""); err != nil {
			return h, err
		}
	}
	if row.Fixed() {
		return h, ErrIsOut
	}
	corrects := row.Corrects != 0 && relay.May(relay.ActRelease, who, &row.Piece, nil, "") == nil // who brings it out answers for it
	if leg := row.SignedOff(); leg != nil && h.Writes && !corrects {
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
func (h Room) SaveCopy(ctx context.Context, by ref.Person, piece ref.Piece, seq int, text []byte) (Saved, error) {
	var out Saved
	t, err := copy.Parse(text)
	if err != nil {
		return out, newsroom.Invalid("copy", "The copy was not saved: %s.", err)
	}
	err = h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActWrite, Piece: piece})
		if err != nil {
			return err
		}
		out, err = SaveCopy(a, was, seq, t, "")
		return err
	})
	return out, err
}

// SaveCopy puts the difference between the copy at an edit and a text behind all edits
// since, and makes a version of it. A label begins a version of its own.
func SaveCopy(a *newsroom.Command, was store.Row, seq int, t copy.Text, label string) (Saved, error) {
	if hand, err := HandIn(a, &was, a.Actor); err != nil {
		return Saved{}, err
	} else if !hand.Writes && !hand.Decides {
		return Saved{}, &relay.Refusal{Reason: relay.ErrNotYours, Text: hand.Because}
	}
	return saveCopy(a, was, seq, t, label)
}

// SetCopy makes a text the copy of a piece, for who may do more than write in it.
func SetCopy(a *newsroom.Command, was store.Row, t copy.Text, label string) error {
	_, err := saveCopy(a, was, OnNewest, t, label)
	return err
}

func saveCopy(a *newsroom.Command, was store.Row, seq int, t copy.Text, label string) (Saved, error) {
	s, err := Stage(a, was.ID)
	if err != nil {
		return Saved{}, err
	}
	from := s.Text
	var since []newsroom.Taken
	if seq >= 0 && seq < s.Seq {
		if from, err = TextAt(a, a.Tx, &was, seq); err != nil {
			return Saved{}, err
		}
		if since, err = s.After(a, seq); err != nil {
			return Saved{}, err
		}
	}
	change := copy.Difference(from, t).KeepQueries().Sound()
	for _, e := range since {
		change = e.Change.Transform(change, true)
	}
	if len(change) > 0 || was.CopyVersion == 0 || label != "" {
		if label != "" { // what was written up to here is a version of its own
			if err := version(a, s); err != nil {
				return Saved{}, err
			}
			if err := a.Tx.LabelCopy(a, was.ID, s.row.CopyVersion, label); err != nil {
				return Saved{}, err
			}
		}
		if _, err := PutEdit(a, s, newsroom.Taken{By: a.Actor, Client: fmt.Sprintf("house %d", s.Seq), Turn: 1, Change: change}); err != nil {
			return Saved{}, err
		}
		if err := version(a, s); err != nil {
			return Saved{}, err
		}
	}
	return Saved{Version: s.row.CopyVersion, Words: s.Text.Left().Words()}, nil
}

// Settle makes a version of what was written in the session of a piece and is in none yet.
func Settle(a *newsroom.Command, piece ref.Piece) error {
	r := newsroom.PartOf[sessions](a.Newsroom).get(piece)
	if r == nil || r.dirty.IsZero() {
		return nil
	}
	s, err := Stage(a, piece)
	if err != nil {
		return err
	}
	return version(a, s)
}

// version stores the staged copy as a version: as another state of the newest one while
// the sitting goes on, otherwise as the next. It notes who wrote, touches their legs, and
// writes into the logbook who joined the sitting.
func version(a *newsroom.Command, s *stage) error {
	was := s.row
	last, err := store.CopyAt(a, a.Tx, was.ID, was.CopyVersion)
	if err != nil && !errors.Is(err, store.ErrNone) {
		return err
	}
	none := errors.Is(err, store.ErrNone)
	edits, err := s.After(a, last.Seq)
	if err != nil {
		return err
	}
	if len(edits) == 0 {
		s.kept = s.Seq
		return nil
	}
	next := store.Copy{PieceID: was.ID, Version: last.Version + 1, Text: string(s.Text.JSON()), Words: s.Text.Left().Words(), By: a.Actor, At: a.Now, Seq: s.Seq}
	goesOn := !none && last.Label == "" && last.People != "" && a.Now-last.At < sitting
	var wrote []ref.Person
	if goesOn {
		next.Version = last.Version
		wrote = people(last.People)
		if err := a.Tx.DropCopy(a, was.ID, last.Version); err != nil {
			return err
		}
	}
	var joined []ref.Person
	for _, e := range edits {
		if e.By != 0 {
			next.By = e.By
		}
		if e.By != 0 && !slices.Contains(wrote, e.By) {
			wrote, joined = append(wrote, e.By), append(joined, e.By)
		}
	}
	next.People = joinPeople(wrote)
	if err := a.Tx.AddCopy(a, next); err != nil {
		return err
	}
	is := was.Piece
	is.CopyVersion = next.Version
	is.Legs = append([]relay.Leg(nil), was.Legs...)
	for _, l := range is.Running() {
		if slices.ContainsFunc(edits, func(e newsroom.Taken) bool { return e.By == l.Holder }) {
			l.TouchedAt = a.Now
		}
	}
	if err := a.Save(was.Piece, is); err != nil {
		return err
	}
	s.row.Piece = is
	s.kept = s.Seq
	if err := proposedBy(a, was.Piece, last.Text, s.Text, joined); err != nil {
		return err
	}
	for _, by := range joined {
		if err := a.LogAs(by, store.Entry{
			DeskID: was.DeskID, PieceID: was.ID, Act: "wrote", What: "worked on the copy", Version: was.Version,
			Before: fmt.Sprintf("version %d, %s", last.Version, english.Plural(last.Words, "word")), After: fmt.Sprintf("version %d, %s", next.Version, english.Plural(next.Words, "word")),
		}); err != nil {
			return err
		}
	}
	return a.Stand(is)
}

// proposedBy logs, and lets rules hear, that people who joined a sitting proposed changes
// in it that were not there before.
func proposedBy(a *newsroom.Command, p relay.Piece, before string, now copy.Text, joined []ref.Person) error {
	fresh := map[ref.Person]int{}
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
		who := a.Actor
		a.Actor = by
		err := a.LogEvents(&p, store.Entry{DeskID: p.DeskID, PieceID: p.ID, Act: "proposed", What: "proposed " + english.Plural(fresh[by], "change"), Version: p.Version}, []rule.Event{{Kind: rule.Proposed}})
		if a.Actor = who; err != nil {
			return err
		}
	}
	return nil
}

// people reads the ids of a sitting.
func people(s string) []ref.Person {
	var out []ref.Person
	for f := range strings.SplitSeq(s, ",") {
		if id, err := strconv.ParseInt(f, 10, 64); err == nil {
			out = append(out, ref.Person(id))
		}
	}
	return out
}

func joinPeople(ids []ref.Person) string {
	s := make([]string, len(ids))
	for i, id := range ids {
		s[i] = strconv.FormatInt(int64(id), 10)
	}
	return strings.Join(s, ",")
}

// SettleCopies makes versions of what was written and has rested. The newsroom's tick does it.
func (h Room) SettleCopies(ctx context.Context) (failed error) {
	for _, r := range newsroom.PartOf[sessions](h.Newsroom).all() {
		r.mu.Lock()
		due := !r.dirty.IsZero() && time.Since(r.dirty) >= restEnough
		r.mu.Unlock()
		if !due {
			continue
		}
		failed = errors.Join(failed, h.Alone(ctx, newsroom.Errand{What: "keep a version of the copy", Piece: r.piece}, func() error { return h.settleNow(ctx, r.piece) }))
	}
	return failed // the edits are stored; a later round tries again
}

// restEnough is after how long what was written becomes a version.
const restEnough = 2 * time.Second

func (h Room) settleNow(ctx context.Context, piece ref.Piece) error {
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		a.Hushed = true
		return Settle(a, piece)
	})
}

// Recover makes versions of edits that were taken before the program ended and are in
// none yet. It is run once when a house is opened. A copy with which that fails keeps
// nothing else back.
func (h Room) Recover(ctx context.Context) error {
	ids, err := store.Unversioned(ctx, h.DB.View())
	if err != nil {
		return err
	}
	var failed error
	for _, id := range ids {
		failed = errors.Join(failed, h.Alone(ctx, newsroom.Errand{What: "keep a version of the copy", Piece: id}, func() error {
			return h.Do(ctx, 0, func(a *newsroom.Command) error {
				a.Hushed = true
				s, err := Stage(a, id)
				if err != nil {
					return err
				}
				return version(a, s)
			})
		}))
	}
	return failed
}
