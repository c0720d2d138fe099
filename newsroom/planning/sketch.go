package planning

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Sketch is changes of the plan that somebody tries together, with what they come to now.
type Sketch struct {
	store.Sketch
	plan.Trial
	News []string // what became otherwise since its owner last saw it
}

// mostSketches is how many sketches somebody may have on a desk.
const mostSketches = 30

// SketchFor gives a sketch to its owner, worked out on the plan as it is now.
func (h Moves) SketchFor(ctx context.Context, who ref.Person, id ref.Sketch) (Sketch, error) {
	s, err := store.SketchByID(ctx, h.DB.View(), id)
	if err != nil {
		return Sketch{}, sketchGone(err)
	}
	b, board, err := h.Board(ctx)
	if err != nil {
		return Sketch{}, err
	}
	return workOut(b, board, who, s)
}

// Sketches gives the sketches of somebody on a desk, the last changed first.
func (h Moves) Sketches(ctx context.Context, who ref.Person, desk ref.Desk) ([]Sketch, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := store.SketchesOf(ctx, h.DB.View(), who, desk)
	if err != nil {
		return nil, err
	}
	out := make([]Sketch, len(rows))
	for i, s := range rows {
		if out[i], err = workOut(b, board, who, s); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// PreviewIn works out what changes come to on top of a sketch.
func (h Moves) PreviewIn(ctx context.Context, by ref.Person, s Sketch, changes []plan.Change) (plan.Consequence, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return plan.Consequence{}, err
	}
	if err := MayChange(b, by, board, changes); err != nil {
		return plan.Consequence{}, err
	}
	return s.After.Preview(changes)
}

// Tried is what was put into a sketch.
type Tried struct {
	ID   ref.Sketch
	What string
	Was  string // JSON, the changes that were in it before
}

// TryOut puts changes into a sketch; without one, into the one that was begun on the desk
// and kept under no name, or a new one. No changes are none to put in.
func (h Moves) TryOut(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Sketch, changes []plan.Change) (Tried, error) {
	var out Tried
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		s, board, err := sketchIn(a, h, desk, id)
		if err != nil {
			return err
		}
		out.Was = encoded(all(s))
		if len(changes) > 0 {
			if err := MayChange(a.Setup, by, board, changes); err != nil {
				return err
			}
			c, err := s.After.Preview(changes)
			if err != nil {
				return err
			}
			out.What = SayChanges(a.Setup, c)
		}
		out.ID, err = keepSketch(a, board, s, putIn(board, all(s), changes))
		return err
	})
	return out, err
}

// SetSketch puts other changes in the place of all those of a sketch: what was put in last
// is taken out again.
func (h Moves) SetSketch(ctx context.Context, by ref.Person, id ref.Sketch, changes []plan.Change) error {
	return h.inSketch(ctx, by, id, func(a *newsroom.Command, s Sketch, board *plan.Board) error {
		_, err := keepSketch(a, board, s, changes)
		return err
	})
}

// TakeOut takes a change out of a sketch; one that is not in it any more is none.
func (h Moves) TakeOut(ctx context.Context, by ref.Person, id ref.Sketch, c plan.Change) error {
	return h.inSketch(ctx, by, id, func(a *newsroom.Command, s Sketch, board *plan.Board) error {
		left := all(s)
		if i := slices.Index(left, c); i >= 0 {
			left = slices.Delete(left, i, i+1)
		}
		_, err := keepSketch(a, board, s, left)
		return err
	})
}

// NameSketch keeps a sketch under a name.
func (h Moves) NameSketch(ctx context.Context, by ref.Person, id ref.Sketch, name string) error {
	return h.inSketch(ctx, by, id, func(a *newsroom.Command, s Sketch, _ *plan.Board) error {
		name = strings.TrimSpace(name)
		if name == "" || len([]rune(name)) > 60 {
			return newsroom.Invalid("name", "Give the sketch a name of up to 60 characters.")
		}
		s.Name = name
		_, err := a.Tx.SaveSketch(a, s.Sketch)
		return err
	})
}

// NoteSketch notes that its owner saw what became otherwise since.
func (h Moves) NoteSketch(ctx context.Context, by ref.Person, id ref.Sketch) error {
	return h.inSketch(ctx, by, id, func(a *newsroom.Command, s Sketch, _ *plan.Board) error {
		s.Sketch.Seen, s.Sketch.News = encoded(comesTo(a.Setup, s.Trial)), "[]"
		_, err := a.Tx.SaveSketch(a, s.Sketch)
		return err
	})
}

// DropSketch leaves a sketch; nothing of it was done.
func (h Moves) DropSketch(ctx context.Context, by ref.Person, id ref.Sketch) error {
	return h.inSketch(ctx, by, id, func(a *newsroom.Command, s Sketch, _ *plan.Board) error {
		return a.Tx.DropSketch(a, id)
	})
}

// DoSketch carries out what can be carried out of a sketch as one act, if it comes to what
// was shown under the seal, and is done with it then.
func (h Moves) DoSketch(ctx context.Context, by ref.Person, id ref.Sketch, seal string) (PlanChanged, error) {
	var done PlanChanged
	away := false
	var command *newsroom.Command
	err := h.inSketch(ctx, by, id, func(a *newsroom.Command, s Sketch, _ *plan.Board) error {
		command = a
		if len(s.Trial.Changes) == 0 {
			return newsroom.Invalid("", "Nothing in this sketch can be done as the plan is now. Try something else in it first.")
		}
		if seal != s.Seal() {
			return &relay.Refusal{Reason: relay.ErrChanged, Text: "Something changed since this was worked out, so nothing was done." + meanwhile(a, s.Trial.Changes) + " Below is what it would come to now."}
		}
		away, done.What = takesOff(s.Trial.Changes), SayChanges(a.Setup, s.Consequence)
		if err := CarryOut(a, s.Consequence); err != nil {
			return err
		}
		return a.Tx.DropSketch(a, id)
	})
	if err != nil {
		return PlanChanged{}, err
	}
	if away {
		h.Refresh(ctx)
	}
	done.Undo = command.UndoID
	return done, nil
}

// inSketch carries out a command of the owner of a sketch on it.
func (h Moves) inSketch(ctx context.Context, by ref.Person, id ref.Sketch, do func(a *newsroom.Command, s Sketch, board *plan.Board) error) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		s, board, err := sketchIn(a, h, 0, id)
		if err != nil {
			return err
		}
		return do(a, s, board)
	})
}

// sketchIn reads a sketch in a command of its owner; with no id, the one that was begun on a
// desk, or a new one.
func sketchIn(a *newsroom.Command, h Moves, desk ref.Desk, id ref.Sketch) (Sketch, *plan.Board, error) {
	board, err := h.BoardAt(a, a.Setup, a.Now)
	if err != nil {
		return Sketch{}, nil, err
	}
	s := store.Sketch{DeskID: desk, Owner: a.Actor, Changes: "[]", Seen: "{}", News: "[]"}
	if id != 0 {
		if s, err = store.SketchByID(a, a.Tx, id); err != nil {
			return Sketch{}, nil, sketchGone(err)
		}
	} else {
		mine, err := store.SketchesOf(a, a.Tx, a.Actor, desk)
		if err != nil {
			return Sketch{}, nil, err
		}
		if i := slices.IndexFunc(mine, func(s store.Sketch) bool { return s.Name == "" }); i >= 0 {
			s = mine[i]
		} else if len(mine) >= mostSketches {
			return Sketch{}, nil, newsroom.Invalid("", "You have %d sketches on this desk already. Throw one of them away first.", mostSketches)
		}
	}
	out, err := workOut(a.Setup, board, a.Actor, s)
	return out, board, err
}

func sketchGone(err error) error {
	if errors.Is(err, store.ErrNone) {
		return newsroom.ErrNotFound
	}
	return err
}

// workOut works out what a sketch comes to. Changes that its owner may not make any more
// fail like those that cannot be made.
func workOut(b *newsroom.Setup, board *plan.Board, who ref.Person, s store.Sketch) (Sketch, error) {
	w := b.Who(who, s.DeskID)
	if s.Owner != who || !w.OnDesk || !w.Access.May(relay.SeeAll) {
		return Sketch{}, newsroom.ErrNotFound
	}
	var changes, may []plan.Change
	if err := json.Unmarshal([]byte(s.Changes), &changes); err != nil {
		return Sketch{}, err
	}
	var failed []plan.Failure
	for _, c := range changes {
		err := MayChange(b, who, board, []plan.Change{c})
		var refusal *relay.Refusal
		switch {
		case errors.Is(err, newsroom.ErrNotFound):
			failed = append(failed, plan.Failure{Change: c, Why: &relay.Refusal{Reason: relay.ErrNotNow, Text: "This piece is not under way any more."}})
		case errors.As(err, &refusal):
			failed = append(failed, plan.Failure{Change: c, Why: err})
		case err != nil:
			return Sketch{}, err
		default:
			may = append(may, c)
		}
	}
	out := Sketch{Sketch: s, Trial: board.Try(may)}
	out.Failed = append(failed, out.Failed...)
	var seen map[string]subject
	if err := json.Unmarshal([]byte(s.News), &out.News); err != nil {
		return Sketch{}, err
	}
	if err := json.Unmarshal([]byte(s.Seen), &seen); err != nil {
		return Sketch{}, err
	}
	out.News = append(out.News, otherwise(seen, comesTo(b, out.Trial))...)
	return out, nil
}

// all gives the changes of a sketch, those that cannot be made any more last.
func all(s Sketch) []plan.Change {
	out := slices.Clone(s.Trial.Changes)
	for _, f := range s.Failed {
		out = append(out, f.Change)
	}
	return out
}

// keepSketch stores a sketch with other changes, and what they come to as seen; what became
// otherwise before stays to be seen.
func keepSketch(a *newsroom.Command, board *plan.Board, s Sketch, changes []plan.Change) (ref.Sketch, error) {
	if len(changes) > mostChanges {
		return 0, newsroom.Invalid("", "A sketch holds up to %d changes. Do it, or begin another one.", mostChanges)
	}
	row := s.Sketch
	row.Changes, row.Seen, row.News, row.At = encoded(changes), "{}", "[]", a.Now
	next, err := workOut(a.Setup, board, a.Actor, row)
	if err != nil {
		return 0, err
	}
	row.Seen, row.News = encoded(comesTo(a.Setup, next.Trial)), encoded(s.News[max(0, len(s.News)-mostNews):])
	return a.Tx.SaveSketch(a, row)
}

// mostNews is how much of what became otherwise is kept.
const mostNews = 50

// encoded gives a list, or what things come to, as JSON; nothing is an empty list.
func encoded(v any) string {
	text, err := json.Marshal(v)
	if err != nil || string(text) == "null" { // plain values always encode
		return "[]"
	}
	return string(text)
}

// putIn adds changes to those of a sketch. One that sets anew what another did takes its
// place, and one that leads back to how it is takes it away.
func putIn(board *plan.Board, changes, come []plan.Change) []plan.Change {
	out := slices.Clone(changes)
	for _, c := range come {
		left := slices.DeleteFunc(slices.Clone(out), func(x plan.Change) bool {
			return x.Do == c.Do && x.Piece == c.Piece && x.Leg == c.Leg && c.Do != plan.DoAway
		})
		if !c.Keep {
			out = left
		}
		p := board.Piece(c.Piece)
		if p != nil && c.Do == plan.DoMove && !c.Keep && c.At == p.GoesOut {
			continue
		}
		if p != nil && c.Do == plan.DoGive && p.Leg(c.Leg) != nil && p.Leg(c.Leg).Holder == c.Person {
			continue
		}
		out = append(out, c)
	}
	if t := board.Try(out); len(t.Failed) > 0 { // what was replaced was needed by another
		return append(slices.Clone(changes), come...)
	}
	return out
}

// subject is what something in the plan comes to by a sketch.
type subject struct {
	Name string `json:"name"`
	Says string `json:"says"`
}

// comesTo says what changes come to, by what it is said of.
func comesTo(b *newsroom.Setup, t plan.Trial) map[string]subject {
	out := map[string]subject{}
	for _, e := range t.Effects {
		p := &e.Move.Piece
		says := english.LowerFirst(newsroom.SayPace(store.Standing{Pace: e.After.Pace, InHand: e.After.InHand}))
		if p.GoesOut != 0 {
			says = b.At(p.GoesOut, p.DeskID) + ", " + says
		}
		var dates []string
		for _, d := range e.Dates {
			if d.To != 0 {
				dates = append(dates, p.Leg(d.Leg).Name+" "+english.Date(d.To))
			}
		}
		if dates != nil {
			says += "; due: " + strings.Join(dates, ", ")
		}
		out[fmt.Sprint("piece ", e.Was.ID)] = subject{"“" + p.Title + "”", says}
	}
	for _, s := range SayShifts(b, t.People) {
		key := fmt.Sprint("person ", s.Person)
		x := out[key]
		out[key] = subject{b.Name(s.Person), strings.TrimSpace(x.Says + " " + s.Text)}
	}
	for _, c := range slices.Concat(t.Clashes, t.Off) {
		out[fmt.Sprint("place ", c.Piece.ID)] = subject{"Its place", SayPlace(b, c)}
	}
	return out
}

// otherwise says what became otherwise than it was seen to be.
func otherwise(seen, now map[string]subject) []string {
	var out []string
	for _, key := range slices.Sorted(maps.Keys(now)) {
		is := now[key]
		switch was, known := seen[key]; {
		case !known:
			out = append(out, is.Name+": "+is.Says)
		case was.Says != is.Says:
			out = append(out, is.Name+": "+is.Says+" — it was: "+was.Says)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(seen)) {
		if _, still := now[key]; !still {
			out = append(out, seen[key].Name+", no longer: "+seen[key].Says)
		}
	}
	return out
}

// boardIn gives the set-up and the board, as it would be by a sketch if there is one.
func boardIn(h *newsroom.Newsroom, ctx context.Context, who ref.Person, sketch ref.Sketch) (*newsroom.Setup, *plan.Board, error) {
	b, board, err := h.Board(ctx)
	if err != nil || sketch == 0 {
		return b, board, err
	}
	s, err := Moves{h}.SketchFor(ctx, who, sketch)
	return b, s.After, err
}

// tried gives pieces as they would be by a sketch.
func (h Overview) tried(b *newsroom.Setup, entries []*newsroom.Entry, t *plan.Trial, now day.Moment) ([]*newsroom.Entry, error) {
	out := slices.Clone(entries)
	for i := range t.Effects {
		e := &t.Effects[i]
		at, ok := slices.BinarySearchFunc(out, e.Was.ID, newsroom.ByID)
		if !ok {
			continue
		}
		x := *out[at]
		x.Piece = e.Move.Piece
		var err error
		if x.Standing, err = newsroom.Standing(b, t.After.Desk(&x.Piece), x.Piece, now, t.After.FreeSlots); err != nil {
			return nil, err
		}
		out[at] = &x
	}
	return out, nil
}
