package rooms_test

import (
	"strings"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/planning"
)

// A piece that is kept without beginning runs nothing, tells nobody and is no work of anybody
// until it is begun; with a day it holds its slot.
func TestAPieceIsKeptWithoutBeginning(t *testing.T) {
	h := newHouse(t)
	keep := func(title string, at day.Moment) ref.Piece {
		id, err := h.Intake.Create(ctx, lead, planning.Draft{Title: title, Format: 1, Owner: editor, GoesOut: at, Park: true})
		h.must(err)
		return id
	}
	inbox := h.count("SELECT COUNT(*) FROM inbox")
	id := keep("Rye", 0)
	if p := h.piece(id); !p.Parked() || p.Pace != plan.Unplaced || h.count("SELECT COUNT(*) FROM leg WHERE state = 'running'") != 0 {
		t.Errorf("it stands %s, %v", p.Pace, p.Running())
	}
	if n := h.count("SELECT COUNT(*) FROM inbox") - inbox; n != 0 || h.count("SELECT COUNT(*) FROM outbox") != 0 {
		t.Errorf("%d were told", n)
	}
	_, board, err := h.Board(ctx)
	h.must(err)
	if w := board.Works(nil); len(w) != 0 {
		t.Errorf("it is work: %+v", w)
	}

	// With a day it is work by then, and holds its slot.
	at := day.Wall(on("12-11"), 480, h.now.Location())
	placed := keep("Oats", at)
	_, board, err = h.Board(ctx)
	h.must(err)
	if w := board.Works(nil); len(w) == 0 || w[0].Piece != placed {
		t.Errorf("with a day it is no work: %+v", w)
	}
	for _, free := range board.FreeSlots(1) {
		if free == at {
			t.Error("its slot is free")
		}
	}

	// Whatever comes of the plan, it does not begin by itself, nor by days that pass.
	h.must(h.Planning.SkipLeg(ctx, lead, id, "pics", h.piece(id).Version, "no pictures"))
	h.must(h.Place(ctx, lead, id, day.Wall(on("12-18"), 480, h.now.Location()), h.piece(id).Version))
	h.nextDay()
	if p := h.piece(id); !p.Parked() {
		t.Errorf("it began by itself: %v", p.Running())
	}
	if err := h.Planning.PassLeg(ctx, editor, planning.Pass{Piece: id, Leg: "brief", Version: h.piece(id).Version}); !refused(err, relay.ErrNotNow) {
		t.Errorf("passed before it began: %v", err)
	}

	// Sent on to another format it waits there as well, and it has ways out like any other.
	if x, err := h.Planning.PreviewSendOn(ctx, lead, id, h.otherDesk()); err != nil || !x.After.Parked() {
		t.Errorf("sent on it would run %v: %v", x.After.Running(), err)
	}
	if err := h.Planning.Begin(ctx, writer, id, h.piece(id).Version); !refused(err, relay.ErrNotYours) {
		t.Errorf("begun by a writer: %v", err)
	}
	h.must(h.Planning.Begin(ctx, lead, id, h.piece(id).Version))
	if p := h.piece(id); p.Leg("brief").State != relay.Running || p.Leg("brief").StartDay != h.today() {
		t.Errorf("begun it stands %+v", p.Legs[0])
	}
	if !h.tells(editor, "Brief is with you") || !h.logged(id, "let it begin") {
		t.Error("who has its first leg is not told, or the logbook not")
	}
	if err := h.Planning.Begin(ctx, lead, id, h.piece(id).Version); !refused(err, relay.ErrNotNow) || !strings.Contains(err.Error(), "begun already") {
		t.Errorf("begun twice: %v", err)
	}
	h.must(h.undo(lead))
	if p := h.piece(id); !p.Parked() {
		t.Errorf("taken back it stands %v", p.Running())
	}
	h.boardAgrees()
}
