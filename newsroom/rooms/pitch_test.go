package rooms_test

import (
	"errors"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

func (x *testHouse) pitch() ref.Pitch {
	x.t.Helper()
	id, err := x.Intake.Pitch(ctx, editor, store.Pitch{DeskID: 1, Partner: outside, Title: "Bread for a hundred", Text: "With you.", Format: 1})
	x.must(err)
	return id
}

func TestAYesToAPitchStartsTheRoute(t *testing.T) {
	h := newHouse(t)
	for _, p := range []store.Pitch{{Title: " "}, {Title: "T", Text: " "}, {Title: "T", Text: "t", Partner: writer}, {Title: "T", Text: "t", Partner: outside, Format: 9}} {
		p.DeskID = 1
		if _, err := h.Intake.Pitch(ctx, editor, p); !refused(err, relay.ErrInput) {
			t.Errorf("%+v: %v", p, err)
		}
	}
	if _, err := h.Intake.Pitch(ctx, freelance, store.Pitch{DeskID: 1, Partner: outside, Title: "T", Text: "t", Format: 1}); !refused(err, relay.ErrNotYours) {
		t.Errorf("a freelancer pitches: %v", err)
	}
	id := h.pitch()
	if h.told(outside, "pitch", "asks whether you want") != 1 || h.count("SELECT COUNT(*) FROM outbox WHERE key = ?", "pitch 1") != 1 {
		t.Error("the partner was not told")
	}
	for _, who := range []ref.Person{freelance, stranger} {
		if _, err := h.Intake.AnswerPitch(ctx, who, id, true, ""); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("person %d answers: %v", who, err)
		}
	}
	if _, err := h.Intake.AnswerPitch(ctx, writer, id, true, ""); !refused(err, relay.ErrNotYours) {
		t.Errorf("staff who did not pitch it answer: %v", err)
	}
	piece, err := h.Intake.AnswerPitch(ctx, outside, id, true, "Gladly.")
	h.must(err)
	p := h.piece(piece)
	if p.Title != "Bread for a hundred" || p.Brief != "With you." || p.Owner != editor || p.Leg("brief").State != relay.Running || h.told(editor, "pitch", "says yes") != 1 {
		t.Errorf("%+v", p.Piece)
	}
	if _, err := h.Intake.AnswerPitch(ctx, lead, id, false, ""); !refused(err, relay.ErrNotNow) {
		t.Errorf("answered twice: %v", err)
	}
	second := h.pitch()
	if piece, err := h.Intake.AnswerPitch(ctx, lead, second, false, "Not in January."); piece != 0 || err != nil {
		t.Errorf("a no makes %d, %v", piece, err)
	}
	if mine, err := h.Intake.Pitches(ctx, outside, 1); err != nil || len(mine) != 2 || mine[0].State == store.Pitched {
		t.Errorf("%+v, %v", mine, err)
	}
	if _, err := h.Intake.Pitches(ctx, freelance, 1); !refused(err, relay.ErrNotYours) {
		t.Errorf("a freelancer reads them: %v", err)
	}
}
