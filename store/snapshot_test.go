package store

import (
	"context"
	"errors"
	"sync"
	"testing"
	"time"
)

func deskNames(t testing.TB, ctx context.Context, db *DB) (names []string) {
	t.Helper()
	if err := db.Select(ctx, &names, "SELECT name FROM desk ORDER BY id"); err != nil {
		t.Fatal(err)
	}
	return names
}

func addDesk(t testing.TB, db *DB, name string) {
	t.Helper()
	err := db.Write(ctx, func(tx *Tx) error {
		_, err := tx.AddDesk(ctx, Desk{Name: name, Zone: "UTC", Weekdays: "0111110", PassBy: "holder"})
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// What is read in a snapshot is of one moment, also while others write; outside of it, and
// after it, what they wrote is there.
func TestASnapshotIsOfOneMoment(t *testing.T) {
	db := fresh(t)
	addDesk(t, db, "first")
	err := db.Snapshot(ctx, func(in context.Context) error {
		if n := len(deskNames(t, in, db)); n != 1 {
			t.Errorf("%d desks at first", n)
		}
		addDesk(t, db, "second")
		if n := len(deskNames(t, in, db)); n != 1 {
			t.Errorf("%d desks after another was written", n)
		}
		if n := len(deskNames(t, Latest(in), db)); n != 2 {
			t.Errorf("%d desks outside", n)
		}
		return db.Snapshot(in, func(deeper context.Context) error {
			if n := len(deskNames(t, deeper, db)); n != 1 {
				t.Errorf("%d desks in a snapshot within", n)
			}
			return nil
		})
	})
	if err != nil {
		t.Fatal(err)
	}
	if n := len(deskNames(t, ctx, db)); n != 2 {
		t.Errorf("%d desks afterwards", n)
	}
}

// What is read once is read once in a snapshot, each time outside of one, and again after
// reading it failed.
func TestOnceReadsOnce(t *testing.T) {
	db := fresh(t)
	type key int
	n, fails := 0, errors.New("not now")
	get := func(ctx context.Context, k key) int {
		v, err := Once(ctx, db, k, func() (int, error) {
			if n++; n == 1 {
				return 0, fails
			}
			return n, nil
		})
		if err != nil && !errors.Is(err, fails) {
			t.Fatal(err)
		}
		return v
	}
	err := db.Snapshot(ctx, func(in context.Context) error {
		for i, want := range []int{0, 2, 2} {
			if got := get(in, 1); got != want {
				t.Errorf("time %d gives %d, want %d", i, got, want)
			}
		}
		if got := get(in, 2); got != 3 {
			t.Errorf("another key gives %d", got)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if a, b := get(ctx, 1), get(ctx, 1); a != 4 || b != 5 {
		t.Errorf("outside it gives %d and %d", a, b)
	}
}

// However many hold a moment, and read something newer in it, none waits for ever; who goes
// away while waiting is told so.
func TestSnapshotsDoNotWaitForEachOther(t *testing.T) {
	db := fresh(t)
	var all sync.WaitGroup
	for range 6 * snapshots {
		all.Go(func() {
			err := db.Snapshot(ctx, func(in context.Context) error {
				deskNames(t, in, db)
				deskNames(t, Latest(in), db)
				return nil
			})
			if err != nil {
				t.Error(err)
			}
		})
	}
	done := make(chan struct{})
	go func() { all.Wait(); close(done) }()
	select {
	case <-done:
	case <-time.After(time.Minute):
		t.Fatal("they wait for each other")
	}
	for range snapshots {
		db.shots <- struct{}{}
	}
	gone, leave := context.WithCancel(ctx)
	leave()
	if err := db.Snapshot(gone, func(context.Context) error { return nil }); !errors.Is(err, context.Canceled) {
		t.Errorf("who is gone is told %v", err)
	}
}
