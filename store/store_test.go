package store

import (
	"context"
	"errors"
	"testing"

	"greenbaton/core/relay"
)

var ctx = context.Background()

func fresh(t *testing.T) *DB {
	t.Helper()
	db, err := Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

func TestColumnsAreNamedAfterFields(t *testing.T) {
	for field, want := range map[string]string{"ID": "id", "PieceID": "piece_id", "GoesOut": "goes_out", "InHand": "in_hand", "CouldGoOut": "could_go_out", "At": "at"} {
		if got := snake(field); got != want {
			t.Errorf("%s is stored as %s, want %s", field, got, want)
		}
	}
}

func TestAnActThatFailsLeavesNothing(t *testing.T) {
	db := fresh(t)
	stop := errors.New("stop")
	add := func(tx *Tx) error {
		_, err := tx.AddDesk(ctx, Desk{Name: "D", Zone: "UTC", Weekdays: "0111110"})
		return err
	}
	for name, write := range map[string]func() error{
		"write": func() error { return db.Write(ctx, func(tx *Tx) error { return errors.Join(add(tx), stop) }) },
		"batch": func() error {
			return db.Batch(ctx, func() error { return errors.Join(db.Write(ctx, add), stop) })
		},
		"panic": func() (err error) {
			defer func() { recover(); err = stop }()
			return db.Write(ctx, func(tx *Tx) error { add(tx); panic("x") })
		},
	} {
		if err := write(); !errors.Is(err, stop) {
			t.Errorf("%s: %v", name, err)
		}
		var n int
		if err := db.Get(ctx, &n, "SELECT COUNT(*) FROM desk"); err != nil || n != 0 {
			t.Errorf("%s left %d desks: %v", name, n, err)
		}
	}
	if err := db.Write(ctx, add); err != nil {
		t.Errorf("afterwards nothing can be written: %v", err)
	}
}

func TestPragmasAreThoseThatKeepData(t *testing.T) {
	db := fresh(t)
	for pragma, want := range map[string]string{"journal_mode": "wal", "synchronous": "2", "foreign_keys": "1"} {
		var got string
		if err := db.write.Get(&got, "PRAGMA "+pragma); err != nil || got != want {
			t.Errorf("%s is %s: %v", pragma, got, err)
		}
	}
	err := db.Write(ctx, func(tx *Tx) error {
		_, err := tx.AddPiece(ctx, relay.Piece{Number: 1, DeskID: 99, FormatID: 99, RouteID: 99, ChannelID: 99, Owner: 99})
		return err
	})
	if err == nil {
		t.Error("a piece of no desk was stored")
	}
}

func TestOpeningAgainKeepsWhatIsStored(t *testing.T) {
	dir := t.TempDir()
	for i := range 3 {
		db, err := Open(ctx, dir)
		if err != nil {
			t.Fatal(err)
		}
		var n int
		if err := db.Get(ctx, &n, "SELECT COUNT(*) FROM logbook"); err != nil || n != i {
			t.Errorf("%d entries, want %d (%v)", n, i, err)
		}
		if err := db.Write(ctx, func(tx *Tx) error { return tx.Log(ctx, Entry{Act: "a", What: "b"}) }); err != nil {
			t.Fatal(err)
		}
		if got, err := Verify(ctx, db); err != nil || got != int64(i+1) {
			t.Error(got, err)
		}
		if err := db.Close(); err != nil {
			t.Fatal(err)
		}
	}
}

func TestAMessageWithTheSameKeyIsQueuedOnce(t *testing.T) {
	db := fresh(t)
	err := db.Write(ctx, func(tx *Tx) error {
		m := Message{Key: "k", Kind: "mail", To: "a@b.example"}
		return errors.Join(tx.AddMessage(ctx, m), tx.AddMessage(ctx, m))
	})
	if err != nil {
		t.Fatal(err)
	}
	if ms, err := WaitingMessages(ctx, db, true, 1, 9); err != nil || len(ms) != 1 {
		t.Errorf("%d messages wait: %v", len(ms), err)
	}
}
