package web

import (
	"strings"
	"testing"

	"greenbaton/core/english"
	"greenbaton/core/relay"
	"greenbaton/store"
	"greenbaton/web/draw"
)

// Every piece of the demo: its strip and its chart stay inside their frames,
// side-by-side legs do not cover each other, and the words say what is drawn.
func TestDrawingsStayInTheirFrames(t *testing.T) {
	house, _ := open(t, true)
	b, err := house.Setup(ctx)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := store.Pieces(ctx, house.DB, "SELECT * FROM piece ORDER BY id DESC LIMIT 120")
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range rows {
		for _, width := range []float64{draw.WideStrip, draw.NarrowStrip} {
			s := draw.NewStrip(b, r, width)
			runs := 0
			for i := range r.Legs {
				if r.Legs[i].State == relay.Running {
					runs++
				}
			}
			if len(s.Badges) != runs {
				t.Errorf("%s: %d badges for %d running legs", r.Title, len(s.Badges), runs)
			}
			inside(t, r.Title, s.Bars, s.Flag+1, s.Height)
			if svg := string(s.SVG()); strings.Contains(svg, "%!") || !strings.Contains(svg, "of "+plain(len(r.Legs), r)) {
				t.Errorf("%s: %s", r.Title, svg)
			}
		}
		sheet, err := house.Planning.Sheet(ctx, 1, r.ID)
		if err != nil {
			t.Fatal(err)
		}
		c := draw.NewChart(b, sheet)
		inside(t, r.Title, c.Planned, c.Width, c.Height)
		inside(t, r.Title, c.Runs, c.Width, c.Height)
		if r.GoesOut != 0 && r.Stage == relay.UnderWay && (c.Flag < c.Left || c.Flag > c.Width) {
			t.Errorf("%s: the flag is at %v", r.Title, c.Flag)
		}
	}
}

func inside(t *testing.T, title string, bars []draw.Bar, width, height float64) {
	t.Helper()
	for i, x := range bars {
		if x.X < 0 || x.W <= 0 || x.X+x.W > width || x.Y < 0 || x.Y+x.H > height {
			t.Errorf("%s: a leg is drawn at %v,%v %v wide, the frame is %v by %v", title, x.X, x.Y, x.W, width, height)
		}
		for _, y := range bars[:i] {
			if over := min(x.X+x.W, y.X+y.W) - max(x.X, y.X); over > 0.6 && x.W > draw.Slender && y.W > draw.Slender && x.Y < y.Y+y.H && y.Y < x.Y+x.H {
				t.Errorf("%s: two legs cover each other", title)
			}
		}
	}
}

// plain says how many of a piece's legs are not skipped.
func plain(n int, r store.Row) string {
	for _, l := range r.Legs {
		if l.State == relay.Skipped {
			n--
		}
	}
	return english.Number(n) + " legs passed"
}
