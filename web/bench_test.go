package web

import (
	"net/http"
	"net/http/httptest"
	"testing"

	"greenbaton/store"
)

// manyPieces multiplies the demo's pieces to about 50,000, a tenth of them under way.
func manyPieces(b *testing.B) http.Handler {
	b.Helper()
	house, h := open(b, true)
	err := house.DB.Write(ctx, func(t *store.Tx) error {
		var n int64
		if err := t.Get(ctx, &n, "SELECT MAX(id) FROM piece"); err != nil {
			return err
		}
		for k := int64(1); k*n < 50_000; k++ {
			for _, q := range []string{
				`INSERT INTO piece SELECT id + ?1, number + ?1, desk_id, format_id, route_id, channel_id, title || ' ' || ?1, owner, goes_out, stage, brief, words_from, words_to,
					summary, version, 0, created_at, out_at, missed_at, pace, in_hand, quiet, is_quiet, open_leg, next_due, holders, could_go_out, cause, worked_out FROM piece WHERE id <= ` + "?2",
				`INSERT INTO leg SELECT piece_id + ?1, position, key, name, role, holder, allowance, least, effort, after, skip, words, state, run, rework, reasons, due, pin,
					not_before, start_day, end_day, started_at, touched_at FROM leg WHERE piece_id <= ?2`,
			} {
				if _, err := t.Exec(ctx, q, k*n, n); err != nil {
					return err
				}
			}
		}
		return nil
	})
	if err != nil {
		b.Fatal(err)
	}
	return h
}

// BenchmarkPages is the server's time for a page with 50,000 pieces stored.
func BenchmarkPages(b *testing.B) {
	h := manyPieces(b)
	c := visit(b, h).as(1)
	req, err := http.NewRequest(http.MethodGet, c.url, nil)
	if err != nil {
		b.Fatal(err)
	}
	cookies := c.http.Jar.Cookies(req.URL)
	for _, p := range []struct{ name, path string }{
		{"Today", "/"}, {"PiecesUnderWay", "/pieces"}, {"PiecesAll", "/pieces?sort=-number"}, {"PiecesByTitlePage300", "/pieces?sort=title&page=300"},
		{"PiecesByPace", "/pieces?sort=pace"}, {"PiecesFound", "/pieces?text=tide"}, {"PiecesOfAPerson", "/pieces?person=3"}, {"Piece", "/pieces/400"}, {"NewPiece", "/pieces/new?format=1&date=2027-03-01"},
	} {
		b.Run(p.name, func(b *testing.B) {
			for b.Loop() {
				r := httptest.NewRequest(http.MethodGet, p.path, nil)
				for _, k := range cookies {
					r.AddCookie(k)
				}
				w := httptest.NewRecorder()
				if h.ServeHTTP(w, r); w.Code != http.StatusOK {
					b.Fatal(p.path, w.Code)
				}
			}
		})
	}
}
