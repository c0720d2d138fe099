package rooms_test

import (
	"errors"
	"strconv"
	"strings"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

func itoa[T ~int64](n T) string { return strconv.FormatInt(int64(n), 10) }

// exec changes the data behind the house's back.
func (x *testHouse) exec(query string, args ...any) {
	x.t.Helper()
	x.must(x.DB.Write(ctx, func(tx *store.Tx) error { _, err := tx.Exec(ctx, query, args...); return err }))
}

// A piece with which everything fails is told of, once, and holds back neither the pieces
// beside it nor what the tick does after it.
func TestOneBrokenPieceHoldsBackNoOther(t *testing.T) {
	x := newHouse(t)
	broken, good := x.ready("11-25"), x.ready("11-27")
	waits := x.make("12-14")
	x.exec("CREATE TRIGGER breaks BEFORE UPDATE ON piece WHEN old.id = " + itoa(broken) + " BEGIN SELECT RAISE(ABORT, 'this piece is broken'); END")
	before := x.count("SELECT COUNT(*) FROM inbox WHERE kind = 'setback'")
	x.now = x.now.AddDate(0, 0, 4)
	for range 3 {
		x.must(x.Tick(ctx))
	}
	if got := x.piece(good).Stage; got != relay.Out {
		t.Errorf("the good piece is %s", got)
	}
	if n := x.count("SELECT COUNT(*) FROM site_page WHERE piece_id = ?", good); n != 1 {
		t.Errorf("the good piece has %d pages", n)
	}
	if day := x.piece(waits).WorkedOut; day != x.today() {
		t.Errorf("the piece that waits is worked out on %v", day)
	}
	if x.piece(broken).Stage != relay.UnderWay {
		t.Error("the broken piece went out")
	}
	if n := x.count("SELECT COUNT(*) FROM inbox WHERE kind = 'setback' AND person_id = ? AND text LIKE '%The tide mill%'", lead) - before; n != 2 { // its time has come, and a day began
		t.Errorf("the lead is told %d times", n)
	}
	x.exec("DROP TRIGGER breaks")
	x.Forget()
	y := houseOn(t, x.DB) // the program is started again, and so tries at once
	y.Clock = x.Clock
	x.must(y.Tick(ctx))
	if got := x.piece(broken).Stage; got != relay.Out {
		t.Errorf("mended, it is %s", got)
	}
}

// A copy that cannot be read does not keep the program from starting.
func TestABrokenCopyKeepsNoHouseFromOpening(t *testing.T) {
	x := newHouse(t)
	ids := []ref.Piece{x.drafted("one two three"), x.drafted("four five six")}
	for _, id := range ids {
		text, seq := x.text(id)
		x.edit(writer, id, "page", 1, seq, keep(text.Len()-1).Put("more ", nil))
	}
	x.exec("UPDATE copy_edit SET change = 'rubbish' WHERE piece_id = ? AND client = 'page'", ids[0])
	y := houseOn(t, x.DB)
	x.must(y.Copyroom.Recover(ctx))
	var text string
	x.must(x.DB.Get(ctx, &text, "SELECT text FROM copy WHERE piece_id = ? ORDER BY version DESC LIMIT 1", ids[1]))
	if !strings.Contains(text, "more") {
		t.Errorf("the other copy is not recovered: %s", text)
	}
	if n := x.count("SELECT COUNT(*) FROM inbox WHERE kind = 'setback' AND person_id = ?", lead); n != 1 {
		t.Errorf("the lead is told %d times", n)
	}
}

// When the disk is full nothing is stored, the reason is said, what was acknowledged stays,
// and it goes on when there is room.
func TestAFullDiskIsSaidAndNothingIsLost(t *testing.T) {
	x := newHouse(t)
	id := x.drafted("one two three")
	x.exec("PRAGMA max_page_count = 1")
	was := x.everything()
	long := strings.Repeat("many words ", 20_000)
	text, seq := x.text(id)
	full := func(what string, err error) {
		t.Helper()
		if !refused(err, relay.ErrMachine) || err.Error() != string(store.Full) {
			t.Errorf("%s: %v", what, err)
		}
	}
	_, err := x.Copyroom.EditCopy(ctx, writer, id, copyroom.CopyEdit{Client: "p", Turn: 1, Base: seq, Change: keep(text.Len()-1).Put(long, nil)})
	full("an edit", err)
	_, err = x.Intake.Create(ctx, lead, planning.Draft{Title: "T", Format: 1, Owner: lead, Brief: long[:19_000]})
	full("a piece", err)
	if err := x.Tick(ctx); err != nil && !errors.Is(err, relay.ErrMachine) {
		t.Errorf("the round says %v", err)
	}
	if n := x.count("SELECT COUNT(*) FROM inbox WHERE kind = 'setback'"); n != 0 {
		t.Error("a piece is held to be broken because the disk is full")
	}
	if x.everything() != was {
		t.Error("something was stored")
	}
	x.exec("PRAGMA max_page_count = 1000000")
	now := x.edit(writer, id, "p", 1, seq, keep(text.Len()-1).Put("more ", nil))
	if now != seq+1 {
		t.Errorf("it is edit %d", now)
	}
}

// What was stored is known as such, whatever fails after it.
func TestAReceiptKnowsWhatWasStored(t *testing.T) {
	x := newHouse(t)
	id := x.make("12-14")
	with := newsroom.WithReceipt(ctx)
	if err := x.Planning.PassLeg(with, stranger, planning.Pass{Piece: id, Leg: "brief"}); err == nil || newsroom.ReceiptOf(with).Stored() {
		t.Errorf("refused (%v), and noted as stored", err)
	}
	x.must(x.Planning.PassLeg(with, editor, planning.Pass{Piece: id, Leg: "brief"}))
	if !newsroom.ReceiptOf(with).Stored() || newsroom.ReceiptOf(ctx).Stored() {
		t.Error("the receipt is wrong")
	}
}
