package demo

import (
	"context"
	"io"
	"log/slog"
	"testing"
	"time"

	"greenbaton/desk"
	"greenbaton/post"
	"greenbaton/store"
)

func played(t testing.TB) *desk.House {
	t.Helper()
	db, err := store.Open(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	h := desk.Open(db, slog.New(slog.NewTextHandler(io.Discard, nil)))
	h.Mail, h.Site = post.Room{}, post.Site{DB: db}
	begin := time.Now()
	if err := Play(context.Background(), h); err != nil {
		t.Fatal(err)
	}
	t.Logf("played in %v", time.Since(begin))
	h.Clock = func() time.Time { return Start }
	return h
}

func TestThePlayedHistoryHasEveryState(t *testing.T) {
	h := played(t)
	ctx := context.Background()
	var rows []struct {
		Pace string
		N    int
	}
	if err := h.DB.Select(ctx, &rows, "SELECT pace, COUNT(*) AS n FROM piece GROUP BY pace"); err != nil {
		t.Fatal(err)
	}
	for _, r := range rows {
		t.Log(r.Pace, r.N)
	}
	b, _ := h.Books(ctx)
	list, err := h.List(ctx, 1, desk.Filter{Pace: "running"})
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range list.Rows {
		t.Log(r.Number, r.Title, "|", b.Format(r.FormatID).Name, "|", b.At(r.GoesOut, r.DeskID), "|", r.Holders, "|", desk.SayPace(r.Standing), "| quiet", r.Quiet, r.IsQuiet, r.OpenLeg, "|", b.SayCause(r))
	}
	if n, err := store.Verify(ctx, h.DB); err != nil || n < 3000 {
		t.Errorf("the logbook has %d entries: %v", n, err)
	}
}
