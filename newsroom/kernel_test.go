package newsroom_test

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

var ctx = context.Background()

// kernel is the kernel alone, on a data file with one desk and its lead.
func kernel(t *testing.T) *newsroom.Newsroom {
	t.Helper()
	db, err := store.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	if err := db.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.AddDesk(ctx, store.Desk{Name: "Desk", Zone: "UTC", Weekdays: "0111110", PassBy: relay.ByHolder}); err != nil {
			return err
		}
		_, err := tx.AddPerson(ctx, store.Person{Name: "Lea Lead", Initials: "LL", Mail: "lea@house.example", Access: relay.Lead, Hours: "0,420,420,420,420,420,0", Desks: []ref.Desk{1}})
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return newsroom.Open(db, slog.New(slog.NewTextHandler(io.Discard, nil)))
}

// What is registered runs in the command's own transaction: what follows can refuse all of
// it, and only what is stored is shown to others.
func TestWhatFollowsIsPartOfTheCommand(t *testing.T) {
	n := kernel(t)
	no := &relay.Refusal{Reason: relay.ErrNotNow, Text: "Not like this."}
	var refuse bool
	var ran []string
	n.Hooks.Ends = append(n.Hooks.Ends, func(*newsroom.Command) error {
		if ran = append(ran, "ends"); refuse {
			return no
		}
		return nil
	})
	n.Hooks.Stored = append(n.Hooks.Stored, func(*newsroom.Command) { ran = append(ran, "stored") })
	n.Hooks.Dropped = append(n.Hooks.Dropped, func(*newsroom.Command) { ran = append(ran, "dropped") })
	entry := func() error {
		return n.Do(ctx, 1, func(a *newsroom.Command) error {
			return a.Log(store.Entry{DeskID: 1, Act: "set up", What: "tried it"})
		})
	}
	entries := func() (count int) {
		if err := n.DB.Get(ctx, &count, "SELECT COUNT(*) FROM logbook"); err != nil {
			t.Fatal(err)
		}
		return count
	}
	before := entries()
	for _, x := range []struct {
		refuse bool
		want   error
		last   string
		stored int
	}{{false, nil, "stored", 1}, {true, relay.ErrNotNow, "dropped", 1}, {false, nil, "stored", 2}} {
		refuse = x.refuse
		if err := entry(); !errors.Is(err, x.want) {
			t.Errorf("refused %v: %v", x.refuse, err)
		}
		if got := entries() - before; got != x.stored || ran[len(ran)-1] != x.last || ran[len(ran)-2] != "ends" {
			t.Errorf("refused %v: %d entries, %v", x.refuse, got, ran)
		}
	}
}

// Nobody acts who is not there, and the kernel tells nobody anything without a room that does.
func TestWhoIsNotThereDoesNothing(t *testing.T) {
	n := kernel(t)
	if err := n.Do(ctx, 99, func(*newsroom.Command) error { t.Error("it ran"); return nil }); !errors.Is(err, relay.ErrNotYours) {
		t.Errorf("somebody unknown: %v", err)
	}
	if err := n.Do(ctx, 1, func(a *newsroom.Command) error { return a.Notify(store.Item{PersonID: 1}, true) }); err != nil {
		t.Error(err)
	}
}

// What a room keeps in memory is made once for each newsroom.
func TestPartsAreOfOneNewsroom(t *testing.T) {
	type counter struct{ n int }
	x, y := kernel(t), kernel(t)
	newsroom.PartOf[counter](x).n++
	newsroom.PartOf[counter](x).n++
	if got := newsroom.PartOf[counter](x).n; got != 2 || newsroom.PartOf[counter](y).n != 0 {
		t.Errorf("it counts %d, and %d in another", got, newsroom.PartOf[counter](y).n)
	}
}
