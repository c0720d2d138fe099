package rooms_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

func (h *testHouse) tries(id ref.Sketch, changes ...plan.Change) planning.Tried {
	h.t.Helper()
	got, err := h.Planning.TryOut(ctx, lead, 1, id, changes)
	h.must(err)
	return got
}

func (h *testHouse) holds(id ref.Piece, leg string) ref.Person {
	p := h.piece(id)
	return p.Leg(leg).Holder
}

func (h *testHouse) sketch(id ref.Sketch) planning.Sketch {
	h.t.Helper()
	s, err := h.Planning.SketchFor(ctx, lead, id)
	h.must(err)
	return s
}

// Changes are tried together, seen by nobody else and stored as none, and then done as one
// act that is taken back as one.
func TestASketchIsTriedAndThenDoneAsOne(t *testing.T) {
	h := newHouse(t)
	one, two := h.make("12-18"), h.make("12-21")
	before := h.piece(one).Version
	move := plan.Change{Do: plan.DoMove, Piece: one, At: at("12-22")}
	id := h.tries(0, move).ID
	if again := h.tries(0, plan.Change{Do: plan.DoGive, Piece: two, Leg: "draft", Person: pictures}); again.ID != id {
		t.Errorf("a second sketch %d was begun beside %d", again.ID, id)
	}
	h.tries(id, plan.Change{Do: plan.DoAway, Person: writer, Date: on("12-01"), To: on("12-02")})
	s := h.sketch(id)
	if len(s.Trial.Changes) != 3 || len(s.Failed) != 0 || s.Sum().Moved != 2 || len(s.News) != 0 {
		t.Fatalf("%d changes, %d failed, %+v, news %q", len(s.Trial.Changes), len(s.Failed), s.Sum(), s.News)
	}
	if h.piece(one).Version != before || h.piece(one).GoesOut != at("12-18") || h.count("SELECT COUNT(*) FROM absence") != 0 {
		t.Error("something of it was done")
	}
	for _, who := range []ref.Person{editor, writer, freelance, outside, stranger} {
		if _, err := h.Planning.SketchFor(ctx, who, id); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("person %d sees it: %v", who, err)
		}
		if _, err := h.Planning.DoSketch(ctx, who, id, s.Seal()); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("person %d does it: %v", who, err)
		}
	}
	for _, who := range []ref.Person{freelance, outside, stranger} {
		if _, err := h.Planning.TryOut(ctx, who, 1, 0, nil); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("person %d begins one: %v", who, err)
		}
	}
	if _, err := h.Planning.TryOut(ctx, editor, 1, 0, []plan.Change{move}); !refused(err, relay.ErrNotYours) {
		t.Errorf("somebody tries what they may not do: %v", err)
	}
	done, err := h.Planning.DoSketch(ctx, lead, id, s.Seal())
	h.must(err)
	if h.piece(one).GoesOut != at("12-22") || h.holds(two, "draft") != pictures || h.count("SELECT COUNT(*) FROM absence") != 1 {
		t.Error("not all of it was done")
	}
	if _, err := h.Planning.SketchFor(ctx, lead, id); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("it is still there: %v", err)
	}
	if _, _, err := h.Undo(ctx, lead, done.Undo); err != nil {
		t.Fatal(err)
	}
	if h.piece(one).GoesOut != at("12-18") || h.holds(two, "draft") == pictures || h.count("SELECT COUNT(*) FROM absence") != 0 {
		t.Error("it was not taken back as one")
	}
}

// A change that sets anew what another set takes its place, one that leads back takes it away,
// and each can be taken out.
func TestWhatIsInASketch(t *testing.T) {
	h := newHouse(t)
	one, two := h.make("12-18"), h.make("12-21")
	move := func(p ref.Piece, day string) plan.Change { return plan.Change{Do: plan.DoMove, Piece: p, At: at(day)} }
	id := h.tries(0, move(one, "12-22")).ID
	was := h.tries(id, move(one, "12-23"))
	if got := h.sketch(id).Trial.Changes; !slices.Equal(got, []plan.Change{move(one, "12-23")}) {
		t.Errorf("moved twice: %v", got)
	}
	h.tries(id, move(two, "12-22"))
	h.tries(id, move(one, "12-18"))
	if got := h.sketch(id).Trial.Changes; !slices.Equal(got, []plan.Change{move(two, "12-22")}) {
		t.Errorf("moved back: %v", got)
	}
	h.must(h.Planning.TakeOut(ctx, lead, id, move(two, "12-22")))
	h.must(h.Planning.TakeOut(ctx, lead, id, move(two, "12-22"))) // in two windows
	if got := h.sketch(id).Trial.Changes; len(got) != 0 {
		t.Errorf("taken out: %v", got)
	}
	if _, err := h.Planning.DoSketch(ctx, lead, id, ""); !refused(err, relay.ErrInput) {
		t.Errorf("nothing is done: %v", err)
	}
	if was.Was != `[{"do":"move","piece":`+itoa(one)+`,"at":`+itoa(at("12-22"))+`}]` {
		t.Errorf("what was in it before: %s", was.Was)
	}
	if err := h.Planning.NameSketch(ctx, lead, id, "  "); !refused(err, relay.ErrInput) {
		t.Errorf("a name of nothing: %v", err)
	}
	h.must(h.Planning.NameSketch(ctx, lead, id, "Christmas"))
	if other := h.tries(0).ID; other == id {
		t.Error("one that is kept under a name is gone on with as if it had none")
	}
	h.must(h.Planning.DropSketch(ctx, lead, id))
	if list, err := h.Planning.Sketches(ctx, lead, 1); err != nil || len(list) != 1 {
		t.Errorf("%d sketches are left: %v", len(list), err)
	}
	many := make([]plan.Change, 201)
	for i := range many {
		many[i] = move(one, "12-22")
	}
	if _, err := h.Planning.TryOut(ctx, lead, 1, 0, many); !refused(err, relay.ErrInput) {
		t.Errorf("two hundred and one changes: %v", err)
	}
}

// If something changes meanwhile, a sketch is worked out anew: what became otherwise is said
// until it was seen, what was shown before is not done, and what cannot be done any more is
// left out with its reason.
func TestASketchSaysWhatChangedMeanwhile(t *testing.T) {
	h := newHouse(t)
	one, two := h.make("12-18"), h.make("12-21")
	id := h.tries(0, plan.Change{Do: plan.DoMove, Piece: one, At: at("12-16")}, plan.Change{Do: plan.DoMove, Piece: two, At: at("12-23")}).ID
	shown := h.sketch(id).Consequence
	h.must(h.Planning.GiveLeg(ctx, lead, one, "draft", pictures, 0)) // the version is another
	if _, err := h.Planning.DoSketch(ctx, lead, id, shown.Seal()); !refused(err, relay.ErrChanged) {
		t.Fatalf("what was not shown is done: %v", err)
	}
	_, err := h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoAllow, Piece: one, Leg: "draft", Days: 9}}})
	h.must(err)
	s := h.sketch(id)
	if len(s.News) == 0 || !strings.Contains(strings.Join(s.News, "\n"), "it was:") {
		t.Errorf("nothing is said of what became otherwise: %q", s.News)
	}
	h.tries(id, plan.Change{Do: plan.DoGive, Piece: two, Leg: "brief", Person: pictures})
	if again := h.sketch(id); len(again.News) < len(s.News) {
		t.Errorf("it is not said any more once something else was tried: %q", again.News)
	}
	h.must(h.Planning.NoteSketch(ctx, lead, id))
	if s = h.sketch(id); len(s.News) != 0 {
		t.Errorf("what was seen is said again: %q", s.News)
	}
	h.must(h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: two, Leg: "brief"}))
	s = h.sketch(id)
	if len(s.Failed) != 1 || len(s.Trial.Changes) != 2 {
		t.Fatalf("%d fail, %d are left", len(s.Failed), len(s.Trial.Changes))
	}
	if _, err := h.Planning.DoSketch(ctx, lead, id, s.Seal()); err != nil {
		t.Errorf("the rest cannot be done: %v", err)
	}
	if h.piece(one).GoesOut != at("12-16") || h.piece(two).GoesOut != at("12-23") {
		t.Error("it was not done")
	}
}
