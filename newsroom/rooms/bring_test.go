package rooms_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/bring"
	"greenbaton/core/figure"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
)

// table makes a table of rows with cells parted by bars, the first with the names.
func table(lines ...string) bring.Table {
	var t bring.Table
	for i, l := range lines {
		cells := strings.Split(l, "|")
		if i == 0 {
			t.Header = cells
			continue
		}
		t.Rows, t.Lines = append(t.Rows, cells), append(t.Lines, i+1)
	}
	return t
}

func (x *testHouse) lookAt(kind bring.Kind, lines ...string) intake.Bringing {
	x.t.Helper()
	id, err := x.Intake.LookAt(ctx, editor, 1, kind, "list.csv", table(lines...))
	x.must(err)
	return x.bringing(id)
}

func (x *testHouse) bringing(id ref.Batch) intake.Bringing {
	x.t.Helper()
	b, err := x.Intake.Bringing(ctx, editor, id)
	x.must(err)
	return b
}

func fates(b intake.Bringing) string {
	var out []string
	for _, r := range b.Rows {
		out = append(out, fmt.Sprintf("%d %s: %s", r.Line, r.Fate, r.Says))
	}
	return strings.Join(out, "\n")
}

func TestAListOfIdeasIsLookedAtRowByRowBroughtInAndTakenBack(t *testing.T) {
	h := newHouse(t)
	h.caught(writer, "Rye, slowly")
	piece := h.make("12-18") // The tide mill
	b := h.lookAt(bring.Ideas, "Working title|Notes|Monthly searches|Tags", "A new one|With notes|2,400|tags", "rye slowly|||", "Rye  slowly!|more||", "A NEW ONE|||", "Many|of|many|", "|no title||", "The tide mill|||", "=1+1|||")
	want := "2 new: \n3 same: It is an idea already, of Wim.\n4 same: It stands in row 3 already.\n5 same: It stands in row 2 already.\n6 unreadable: “many” is no number for how often it is looked for.\n7 unreadable: An idea needs a title; everything else can wait.\n8 clash: There is a piece of this title, No. 1, 11 days in hand.\n9 new: "
	if got := fates(b); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	if _, rows := b.Rest(); len(rows) != 3 || rows[0][0] == "" || rows[0][1] != "Many" {
		t.Errorf("the rest is %q", rows)
	}
	h.must(h.Intake.BringIn(ctx, editor, b.ID, false))
	if n := h.count("SELECT COUNT(*) FROM idea WHERE batch_id = ? AND by = 2", b.ID); n != 2 {
		t.Errorf("%d came in", n)
	}
	if x := h.bringing(b.ID); x.State != store.In || x.Came != 2 || x.Done != 8 {
		t.Errorf("%s, %d of %d came", x.State, x.Came, x.Done)
	}
	if err := h.Intake.BringIn(ctx, editor, b.ID, true); !refused(err, relay.ErrNotNow) {
		t.Errorf("again: %v", err)
	}
	first := ref.Idea(h.count("SELECT MIN(id) FROM idea WHERE batch_id = ?", b.ID))
	h.must(h.Intake.EditIdea(ctx, writer, idea.Idea{ID: first, Title: "A new one, changed"}))
	u, err := h.LastUndo(ctx, editor)
	h.must(err)
	said, _, err := h.Undo(ctx, editor, u.ID)
	if err != nil || said != "1 idea from “list.csv”; one stays because somebody has changed or used it since" {
		t.Errorf("%q, %v", said, err)
	}
	if n := h.count("SELECT COUNT(*) FROM idea WHERE batch_id = ?", b.ID); n != 1 {
		t.Errorf("%d stay", n)
	}
	if _, err := h.Intake.TakeBack(ctx, editor, b.ID); !refused(err, relay.ErrNotNow) {
		t.Errorf("taken back twice: %v", err)
	}
	if h.piece(piece).Stage != relay.UnderWay {
		t.Error("another piece was taken back")
	}
}

func TestSearchPhrasesBecomeIdeasOfResearch(t *testing.T) {
	h := newHouse(t)
	b := h.lookAt(bring.Phrases, "Query|Volume|Difficulty", "price of flour|5.4k|48", "Price of flour|1|", "|9|", "rye bread|1 300|soft")
	want := "2 new: \n3 same: It stands in row 2 already.\n4 unreadable: There is no search phrase in this row.\n5 unreadable: “soft” is no number for the difficulty."
	if got := fates(b); got != want {
		t.Errorf("got\n%s", got)
	}
	h.must(h.Intake.BringIn(ctx, editor, b.ID, true))
	if i := h.idea(1); i.Title != "Price of flour" || i.Phrase != "price of flour" || i.Volume != 5400 || i.Difficulty != 48 || i.Source != idea.Research {
		t.Errorf("%+v", i.Idea)
	}
	if b = h.lookAt(bring.Phrases, "Query|Volume", "price of flour|5400", "price of flour!|6000"); fates(b) != "2 same: It is an idea already, of Edi.\n3 same: It stands in row 2 already." {
		t.Errorf("again:\n%s", fates(b))
	}
	if b = h.lookAt(bring.Phrases, "Query|Volume", "price of flour|6000"); b.Counts[intake.RowClash] != 1 {
		t.Errorf("with another figure:\n%s", fates(b))
	}
}

func TestALineupComesInAsPiecesWithTheirDates(t *testing.T) {
	h := newHouse(t)
	taken := h.make("12-18")
	_, err := h.Intake.LookAt(ctx, freelance, 1, bring.Lineup, "x", table("Title", "x"))
	if !refused(err, relay.ErrNotYours) {
		t.Errorf("a freelancer: %v", err)
	}
	b := h.lookAt(bring.Lineup, "Headline|Publish date|Type|Editor|Labels|Words", "On time|2026-12-16|feature|edi editor|b, a|500", "Taken|18 Dec 2026|Feature|LL||", "The tide mill|18/12/2026|Feature|||", "Past|2026-01-05|Feature|||", "No such|2026-12-21|Essay|||", "Not a day|soon|Feature|||", "Nobody|2026-12-21|Feature|Nemo||", "No format|2026-12-21||||", "No day||Feature|||", "Also taken|2026-12-16|Feature|||")
	want := "2 new: \n3 clash: Fri 18 Dec, 08:00 on Web is taken by “The tide mill”.\n4 same: It is here already, No. 1.\n5 unreadable: This time is past. Choose a later day; it can also be left open.\n6 unreadable: “Essay” is not a format of the desk.\n7 unreadable: “soon” is not a date. Write it like 2026-12-03.\n8 unreadable: “Nemo” is not a lead or one of the staff.\n9 unreadable: It names no format. Choose one above for rows without.\n10 new: \n11 clash: Wed 16 Dec, 08:00 on Web is taken by “On time”."
	if got := fates(b); got != want {
		t.Errorf("got\n%s", got)
	}
	b.Plan.Format = 1
	h.must(h.Intake.MatchColumns(ctx, editor, b.ID, b.Plan))
	if b = h.bringing(b.ID); b.Rows[7].Fate != intake.RowNew {
		t.Errorf("with a format for all: %+v", b.Rows[7])
	}
	h.must(h.Intake.BringIn(ctx, editor, b.ID, true))
	id := ref.Piece(h.count("SELECT id FROM piece WHERE title = 'On time'"))
	p := h.piece(id)
	if p.Owner != editor || p.Tags != "a,b" || p.WordsFrom != 500 || p.BatchID != b.ID || p.GoesOut == 0 || p.Leg("draft").Due == 0 || p.Leg("brief").State != relay.Running {
		t.Errorf("%+v", p.Piece)
	}
	if n := h.count("SELECT COUNT(*) FROM piece WHERE batch_id = ?", b.ID); n != 5 {
		t.Errorf("%d pieces came in", n)
	}
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE kind = 'brought in' AND person_id = 1"); n != 0 {
		t.Errorf("the lead, with whom nothing is, was told %d times", n)
	}
	h.pass(editor, id, "brief")
	said, err := h.Intake.TakeBack(ctx, lead, b.ID)
	if err != nil || said != "4 pieces from “list.csv”; one stays because somebody has changed or used it since" {
		t.Errorf("%q, %v", said, err)
	}
	if p := h.piece(id); p.Stage != relay.UnderWay {
		t.Errorf("what was worked on is %s", p.Stage)
	}
	if p := h.piece(id + 1); p.Stage != relay.Withdrawn || p.GoesOut != 0 || len(p.Running()) != 0 {
		t.Errorf("taken back it is %s", p.Stage)
	}
	if h.piece(taken).GoesOut == 0 {
		t.Error("another piece lost its day")
	}
	if b = h.lookAt(bring.Lineup, "Headline|Publish date|Type", "A Tuesday|2026-12-15|Feature"); fates(b) != "2 clash: Web has no slot on Tue 15 Dec, 08:00." {
		t.Errorf("on a day without a slot:\n%s", fates(b))
	}
}

func TestDatesThatCanBeReadInTwoWaysAreAskedAbout(t *testing.T) {
	h := newHouse(t)
	b := h.lookAt(bring.Lineup, "Title|Date|Format", "A|10/12/2026|Feature", "B|11/12/2026|Feature")
	if !slices.Equal(b.Orders, []bring.Order{bring.DayFirst, bring.MonthFirst}) || b.Plan.Order != "" {
		t.Fatalf("asked for %v, has %q", b.Orders, b.Plan.Order)
	}
	if err := h.Intake.BringIn(ctx, editor, b.ID, true); !refused(err, relay.ErrInput) {
		t.Errorf("brought in unasked: %v", err)
	}
	b.Plan.Order = bring.DayFirst
	h.must(h.Intake.MatchColumns(ctx, editor, b.ID, b.Plan))
	h.must(h.Intake.BringIn(ctx, editor, b.ID, true))
	if n := h.count("SELECT COUNT(*) FROM piece WHERE date(goes_out, 'unixepoch') = '2026-12-10'"); n != 1 {
		t.Errorf("%d go out on 10 December", n)
	}
}

func TestFiguresThatCanBeReadInTwoWaysAreAskedAbout(t *testing.T) {
	h := newHouse(t)
	b := h.lookAt(bring.Phrases, "Phrase|SV|KD", "rye bread|1.900|12", "oat bread|1,200|7")
	if b.Marks != "1.900" || b.Counts[intake.RowBad] != 1 {
		t.Fatalf("asked about %q: %s", b.Marks, fates(b))
	}
	b.Plan.Mark = "x"
	if err := h.Intake.MatchColumns(ctx, editor, b.ID, b.Plan); !refused(err, relay.ErrInput) {
		t.Errorf("a mark that is none: %v", err)
	}
	for _, x := range []struct {
		mark     figure.Mark
		rye, oat int
	}{{figure.Comma, 1900, 1}, {figure.Point, 2, 1200}} { // how often one looks is rounded
		b := h.lookAt(bring.Phrases, "Phrase|SV|KD", "rye bread|1.900|12", "oat bread|1,200|7")
		b.Plan.Mark = x.mark
		h.must(h.Intake.MatchColumns(ctx, editor, b.ID, b.Plan))
		h.must(h.Intake.BringIn(ctx, editor, b.ID, true))
		rye, oat := h.count("SELECT COALESCE(MAX(volume), 0) FROM idea WHERE phrase = 'rye bread'"), h.count("SELECT COALESCE(MAX(volume), 0) FROM idea WHERE phrase = 'oat bread'")
		if rye != x.rye || oat != x.oat {
			t.Errorf("by %q: %d and %d", x.mark, rye, oat)
		}
		_, err := h.Intake.TakeBack(ctx, editor, b.ID)
		h.must(err)
	}
	if b := h.lookAt(bring.Lineup, "Title|Date|Format|Notes", "A|2026-12-10|Feature|1.900"); b.Marks != "" {
		t.Errorf("asked about a note: %q", b.Marks)
	}
}

func TestColumnsAreMatchedByHand(t *testing.T) {
	h := newHouse(t)
	b := h.lookAt(bring.Ideas, "One|Two", "Rye|Oats")
	for _, m := range []bring.Map{{}, {"title": 2}, {"title": -1}, {"title": 0, "notes": 0}, {"title": 0, "unknown": 1}} {
		if err := h.Intake.MatchColumns(ctx, editor, b.ID, intake.BringPlan{Columns: m}); !refused(err, relay.ErrInput) {
			t.Errorf("%v: %v", m, err)
		}
	}
	h.must(h.Intake.MatchColumns(ctx, editor, b.ID, intake.BringPlan{Columns: bring.Map{"title": 1, "notes": 0}}))
	if b = h.bringing(b.ID); b.Rows[0].Title != "Oats" {
		t.Errorf("%+v", b.Rows)
	}
	for _, who := range []ref.Person{freelance, outside, stranger} {
		if _, err := h.Intake.Bringing(ctx, who, b.ID); !errors.Is(err, newsroom.ErrNotFound) {
			t.Errorf("person %d: %v", who, err)
		}
	}
}

// The house stops in the middle: what came in stays, and goes on where it stopped.
func TestAListThatWasStoppedGoesOn(t *testing.T) {
	h := newHouse(t)
	lines := []string{"Title"}
	for i := range 230 {
		lines = append(lines, fmt.Sprintf("Idea %d", i))
	}
	b := h.lookAt(bring.Ideas, lines...)
	stop, cancel := context.WithCancel(ctx)
	n := 0
	h.Clock = func() time.Time {
		if n++; n > 4 {
			cancel()
		}
		return h.now
	}
	if err := h.Intake.BringIn(stop, editor, b.ID, false); err == nil {
		t.Fatal("it was not stopped")
	}
	x := h.bringing(b.ID)
	if x.State != store.ComingIn || x.Done == 0 || x.Done >= 230 || x.Moving {
		t.Fatalf("stopped at %d, %s", x.Done, x.State)
	}
	h.must(h.Intake.BringIn(ctx, editor, b.ID, false))
	if n := h.count("SELECT COUNT(DISTINCT title) FROM idea"); n != 230 || h.count("SELECT COUNT(*) FROM idea") != 230 {
		t.Errorf("%d ideas of 230, %d in all", n, h.count("SELECT COUNT(*) FROM idea"))
	}
}

func BenchmarkBringIn(b *testing.B) {
	for kind, row := range map[bring.Kind]string{bring.Ideas: "What flour costs, %d|With a note|2400", bring.Lineup: "What flour costs, %d|2027-03-01|Feature"} {
		b.Run(string(kind)+" of 10,000 rows", func(b *testing.B) {
			lines := []string{map[bring.Kind]string{bring.Ideas: "Title|Notes|Volume", bring.Lineup: "Title|Date|Format"}[kind]}
			for i := range 10_000 {
				lines = append(lines, fmt.Sprintf(row, i))
			}
			for b.Loop() {
				b.StopTimer()
				h := newHouse(b)
				b.StartTimer()
				id, err := h.Intake.LookAt(ctx, editor, 1, kind, "list.csv", table(lines...))
				h.must(err)
				h.must(h.Intake.BringIn(ctx, editor, id, true))
			}
		})
	}
}
