package rooms_test

import (
	"errors"
	"strings"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

func (h *testHouse) addsStep(by ref.Person, s store.OwnStep) ref.OwnStep {
	h.t.Helper()
	id, err := h.Planning.SaveOwnStep(ctx, by, s)
	h.must(err)
	return id
}

func TestStepsBesideTheLegsAreOnTodayAndInLoad(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	load := func(who ref.Person) int {
		t.Helper()
		_, board, err := h.Board(ctx)
		h.must(err)
		total := 0
		for d := date("2026-11-24"); d <= date("2026-12-18"); d++ {
			total += board.Load().At(who, d)
		}
		return total
	}
	was := load(pictures)
	step := h.addsStep(editor, store.OwnStep{PieceID: id, Text: " Ask the  harbour board ", PersonID: pictures, Day: date("2026-11-27"), Minutes: 180})
	if got := load(pictures) - was; got != 180 {
		t.Errorf("it weighs %d minutes, want 180", got)
	}
	mine, err := h.Planning.MySteps(ctx, pictures, 1)
	h.must(err)
	if len(mine) != 1 || mine[0].Text != "Ask the harbour board" || mine[0].On != "The tide mill" || !mine[0].May || mine[0].Late {
		t.Errorf("on Today stands %+v", mine)
	}
	if got := h.told(pictures, "step", "Edi asks you: Ask the harbour board, by Fri 27 Nov."); got != 1 {
		t.Errorf("it was told %d times", got)
	}
	h.begins("2026-11-26")
	if got := h.told(pictures, "due", ""); got != 0 {
		t.Errorf("a day before it is due it was told %d times", got)
	}
	h.begins("2026-11-27")
	h.must(h.Tick(ctx))
	h.begins("2026-11-30")
	if got := h.told(pictures, "due", "“Ask the harbour board” is due today."); got != 1 {
		t.Errorf("on its day it was told %d times", got)
	}
	h.must(h.Planning.TickOwnStep(ctx, pictures, step, true))
	if mine, err = h.Planning.MySteps(ctx, pictures, 1); err != nil || len(mine) != 0 {
		t.Errorf("when it is done, %+v is left, %v", mine, err)
	}
	h.must(h.Planning.TickOwnStep(ctx, lead, step, false))
	if mine, err = h.Planning.MySteps(ctx, pictures, 1); err != nil || len(mine) != 1 || !mine[0].Late {
		t.Errorf("opened again, it is %+v, %v", mine, err)
	}
	other := h.make("12-21")
	h.addsStep(lead, store.OwnStep{PieceID: other, Text: "Call the miller", PersonID: pictures})
	u, err := h.LastUndo(ctx, lead)
	h.must(err)
	_, _, err = h.Undo(ctx, lead, u.ID)
	h.must(err)
	if mine, err = h.Planning.MySteps(ctx, pictures, 1); err != nil || len(mine) != 1 || mine[0].PieceID != id {
		t.Errorf("of a piece that was taken back, %+v is left, %v", mine, err)
	}
}

func TestWhoMayTouchAStep(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	step := h.addsStep(editor, store.OwnStep{PieceID: id, Text: "Call the miller", PersonID: writer})
	for _, x := range []struct {
		by  ref.Person
		may bool
	}{{lead, true}, {editor, true}, {writer, true}, {pictures, false}, {freelance, false}, {outside, false}, {stranger, false}} {
		err := h.Planning.TickOwnStep(ctx, x.by, step, true)
		if (err == nil) != x.may {
			t.Errorf("ticked by %d: %v", x.by, err)
		}
		h.must(h.Planning.TickOwnStep(ctx, lead, step, false))
	}
	for _, by := range []ref.Person{freelance, outside, stranger} {
		if _, err := h.Planning.SaveOwnStep(ctx, by, store.OwnStep{PieceID: id, Text: "x"}); err == nil {
			t.Errorf("written down by %d", by)
		}
	}
	for _, x := range []struct {
		field string
		step  store.OwnStep
	}{
		{"text", store.OwnStep{Text: " "}}, {"text", store.OwnStep{Text: strings.Repeat("x", 201)}}, {"person", store.OwnStep{Text: "x", PersonID: stranger}}, {"person", store.OwnStep{Text: "x", PersonID: outside}},
		{"hours", store.OwnStep{Text: "x", Minutes: -1}}, {"day", store.OwnStep{Text: "x", Day: date("2046-01-01")}},
	} {
		x.step.PieceID = id
		_, err := h.Planning.SaveOwnStep(ctx, lead, x.step)
		var refusal *relay.Refusal
		if !errors.As(err, &refusal) || refusal.Field != x.field {
			t.Errorf("%+v gives %v, want something about %s", x.step, err, x.field)
		}
	}
	all, err := h.Planning.OwnSteps(ctx, lead, id)
	h.must(err)
	if len(all) != 1 {
		t.Errorf("%d steps are there", len(all))
	}
	h.must(h.Planning.DropOwnStep(ctx, writer, step))
	if all, err = h.Planning.OwnSteps(ctx, lead, id); err != nil || len(all) != 0 {
		t.Errorf("%+v is left, %v", all, err)
	}
}
