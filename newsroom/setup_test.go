package newsroom

import (
	"context"
	"io"
	"log/slog"
	"testing"

	"greenbaton/store"
)

// meanwhile is a reader during whose first question something else happens.
type meanwhile struct {
	store.Reader
	do func()
}

func (m *meanwhile) Select(ctx context.Context, into any, query string, args ...any) error {
	if do := m.do; do != nil {
		m.do = nil
		do()
	}
	return m.Reader.Select(ctx, into, query, args...)
}

// The set-up is kept, but not when the set-up changed while they were read.
func TestBooksThatAreOutOfDateAreNotKept(t *testing.T) {
	db, err := store.Open(t.Context(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	h := Open(db, slog.New(slog.NewTextHandler(io.Discard, nil)))
	for _, c := range []struct {
		what string
		do   func()
		kept bool
	}{{"nothing happens", nil, true}, {"the set-up changes", h.ForgetSetup, false}} {
		h.ForgetSetup()
		b, err := h.readSetup(t.Context(), &meanwhile{db.View(), c.do})
		if err != nil {
			t.Fatal(err)
		}
		if got := h.setup.Load(); (got == b) != c.kept {
			t.Errorf("while %s: kept %v", c.what, got == b)
		}
	}
}

// The set-up that is kept is the newest one, also when it is first asked for as of an
// earlier moment.
func TestTheSetupOfAnEarlierMomentIsNotKept(t *testing.T) {
	db, err := store.Open(t.Context(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	h := Open(db, slog.New(slog.NewTextHandler(io.Discard, nil)))
	err = h.Snapshot(t.Context(), func(in context.Context) error {
		if _, err := store.LoadReference(in, db); err != nil { // the moment begins with what is read first
			return err
		}
		err := db.Write(t.Context(), func(tx *store.Tx) error {
			_, err := tx.AddDesk(t.Context(), store.Desk{Name: "New", Zone: "UTC", Weekdays: "0111110", PassBy: "holder"})
			return err
		})
		if err != nil {
			return err
		}
		b, err := h.Setup(in)
		if err == nil && len(b.Desks) != 1 {
			t.Errorf("%d desks are kept", len(b.Desks))
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}
