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
