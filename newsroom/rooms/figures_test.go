package rooms_test

import (
	"bytes"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"greenbaton/core/bring"
	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// measured adds a measure to the desk of the test house.
func (h *testHouse) measured(name string, how measure.How, change ...func(*store.Measure)) ref.Measure {
	h.t.Helper()
	m := store.Measure{DeskID: 1, Name: name, How: how, Better: measure.More}
	for _, f := range change {
		f(&m)
	}
	id, err := h.Figures.SaveMeasure(ctx, lead, m)
	h.must(err)
	return id
}

// isOut makes a piece that goes out on a day.
func (h *testHouse) isOut(on string) ref.Piece {
	h.t.Helper()
	id := h.readied(on)
	h.begins("2026-" + on)
	if p := h.piece(id); p.Stage != relay.Out {
		h.t.Fatalf("it is %s", p.Stage)
	}
	return id
}

func (h *testHouse) notes(piece ref.Piece, m ref.Measure, on string, v float64) {
	h.t.Helper()
	h.must(h.Figures.SetFigure(ctx, lead, piece, m, date(on), v, false))
}

func (h *testHouse) brought(piece ref.Piece, m ref.Measure) store.FigureSum {
	h.t.Helper()
	all, err := h.Figures.Sums(ctx)
	h.must(err)
	return all[m][piece]
}

// brings brings a list of figures in, and gives its rows as they were looked at.
func (h *testHouse) bringsFigures(header string, rows ...string) (ref.Batch, []intake.BringRow) {
	h.t.Helper()
	t := bring.Table{Header: strings.Split(header, "|")}
	for i, r := range rows {
		t.Rows, t.Lines = append(t.Rows, strings.Split(r, "|")), append(t.Lines, i+2)
	}
	id, err := h.Intake.LookAt(ctx, lead, 1, bring.Figures, "figures.csv", t)
	h.must(err)
	x, err := h.Intake.Bringing(ctx, lead, id)
	h.must(err)
	h.must(h.Intake.BringIn(ctx, lead, id, false))
	return id, x.Rows
}

func TestFiguresAreComparedOverTheFirstDays(t *testing.T) {
	h := newHouse(t)
	reads := h.measured("Reads", measure.Added)
	stay := h.measured("Stay", measure.Averaged, func(m *store.Measure) { m.WeighedBy, m.Unit = reads, "min" })
	rank := h.measured("Rank", measure.Last, func(m *store.Measure) { m.Better = measure.Fewer })
	id := h.isOut("11-25")
	h.begins("2027-01-15")
	for _, x := range []struct {
		on   string
		n, s float64
	}{{"2026-11-25", 100, 2}, {"2026-11-27", 50, 4}, {"2026-12-02", 30, 1}, {"2026-12-23", 7, 9}} { // the eighth day, and the twenty-ninth
		h.notes(id, reads, x.on, x.n)
		h.notes(id, stay, x.on, x.s)
		h.notes(id, rank, x.on, x.n)
	}
	if s := h.brought(id, reads); fmt.Sprint(s.First1, s.First7, s.First28, s.Total, s.Knows) != "100 150 180 187 15" {
		t.Errorf("added up: %+v", s)
	}
	if s := h.brought(id, stay); fmt.Sprint(s.First1, s.First7) != fmt.Sprint(2.0, 400.0/150) {
		t.Errorf("averaged: %+v", s)
	}
	if s := h.brought(id, rank); fmt.Sprint(s.First1, s.First7, s.First28, s.Total) != "100 50 30 7" {
		t.Errorf("the last one: %+v", s)
	}
	h.notes(id, reads, "2026-11-25", 40) // corrected
	if s := h.brought(id, reads); s.First7 != 90 {
		t.Errorf("corrected: %+v", s)
	}
	if s := h.brought(id, stay); s.First7 != (40*2+50*4)/90.0 {
		t.Errorf("weighed by what was corrected: %+v", s)
	}
	h.must(h.Figures.SetFigure(ctx, lead, id, reads, date("2026-11-25"), 0, true))
	if s := h.brought(id, reads); s.First1 != 0 || s.First7 != 50 || s.FromDay != date("2026-11-27") {
		t.Errorf("taken back: %+v", s)
	}
	m := h.books().Measure(reads)
	m.How = measure.Last
	_, err := h.Figures.SaveMeasure(ctx, lead, m)
	h.must(err)
	if s := h.brought(id, reads); s.Total != 7 {
		t.Errorf("put together otherwise: %+v", s)
	}
}

func TestFiguresThatCannotBe(t *testing.T) {
	h := newHouse(t)
	reads := h.measured("Reads", measure.Added)
	id := h.isOut("11-25")
	for _, x := range []struct {
		field string
		m     ref.Measure
		on    string
		v     float64
	}{{"value", reads, "2026-11-25", -1}, {"value", reads, "2026-11-25", 2e12}, {"day", reads, "2026-11-26", 1}, {"day", reads, "1950-01-01", 1}, {"measure", 99, "2026-11-25", 1}} {
		err := h.Figures.SetFigure(ctx, lead, id, x.m, date(x.on), x.v, false)
		var refusal *relay.Refusal
		if !errors.As(err, &refusal) || refusal.Field != x.field {
			t.Errorf("%v on %s: %v, want something about %s", x.v, x.on, err, x.field)
		}
	}
	for _, by := range []ref.Person{freelance, outside, stranger} {
		if err := h.Figures.SetFigure(ctx, by, id, reads, date("2026-11-25"), 1, false); err == nil {
			t.Errorf("noted by %d", by)
		}
	}
	for _, x := range []struct {
		field  string
		change func(*store.Measure)
	}{
		{"measure", func(m *store.Measure) { m.Name = "" }}, {"measure", func(m *store.Measure) { m.Name = "reads" }}, {"how", func(m *store.Measure) { m.How = "guessed" }}, {"better", func(m *store.Measure) { m.Better = "up" }},
		{"weighed_by", func(m *store.Measure) { m.WeighedBy = 99 }}, {"counts", func(m *store.Measure) { m.Counts = "eyes" }}, {"how", func(m *store.Measure) { m.How, m.Counts = measure.Last, store.Visits }}, {"unit", func(m *store.Measure) { m.Unit = strings.Repeat("x", 13) }},
	} {
		m := store.Measure{DeskID: 1, Name: "Other", How: measure.Added}
		x.change(&m)
		_, err := h.Figures.SaveMeasure(ctx, lead, m)
		var refusal *relay.Refusal
		if !errors.As(err, &refusal) || refusal.Field != x.field {
			t.Errorf("%+v: %v, want something about %s", m, err, x.field)
		}
	}
}

func TestAListOfFiguresFindsItsPieces(t *testing.T) {
	h := newHouse(t)
	reads := h.measured("Reads", measure.Added, func(m *store.Measure) { m.Main = true })
	h.measured("Shares", measure.Added)
	id := h.isOut("11-25")
	h.begins("2026-12-01")
	p := h.piece(id)
	page := newsroom.AddressOf(h.books(), "https://example.net", &p.Piece)
	list, rows := h.bringsFigures("Page|Date|Reads|Shares", page+"?from=letter|2026-11-25|1,200|3", fmt.Sprintf("No. %d|2026-11-26|80|", p.Number), "THE TIDE MILL|2026-11-27|40|1",
		"Another mill|2026-11-27|5|", page+"|2026-13-45|5|", page+"|2026-11-28|many|", page+"|2026-11-28|1.900|", page+"|2026-11-28|-4|", page+"|2026-11-28||", page+"|2026-11-27|40|2", "||5|")
	fates, says := []string{}, []string{}
	for _, r := range rows {
		fates, says = append(fates, string(r.Fate)), append(says, r.Says)
	}
	same(t, "fates", fates, strings.Split("new new new unreadable unreadable unreadable unreadable unreadable unreadable clash unreadable", " "))
	for i, want := range map[int]string{0: "Wed 25 Nov: 1,200 reads and 3 shares.", 3: "No piece of the desk has this number, address or title.", 6: "can be read in two ways", 7: "none is below zero", 8: "There is no figure in this row.", 9: "Row 4 says something of that day already."} {
		if !strings.Contains(says[i], want) {
			t.Errorf("row %d says %q, want %q", i+2, says[i], want)
		}
	}
	if s := h.brought(id, reads); s.Total != 1320 {
		t.Errorf("it did %v", s.Total)
	}
	again, rows := h.bringsFigures("Title|Day|Metric|Value", "The tide mill|25.11.2026|Reads|1200", "The tide mill|26.11.2026|reads|90", "The tide mill|26.11.2026|Claps|90")
	if rows[0].Fate != intake.RowSame || rows[1].Fate != intake.RowNew || !strings.Contains(rows[1].Says, "it takes the place of 80") || rows[2].Fate != intake.RowBad {
		t.Errorf("sent again: %+v", rows)
	}
	if s := h.brought(id, reads); s.Total != 1330 {
		t.Errorf("corrected, it did %v", s.Total)
	}
	_, err := h.Intake.TakeBack(ctx, lead, again)
	h.must(err)
	if s := h.brought(id, reads); s.Total != 1320 {
		t.Errorf("when the correction is taken back, it did %v", s.Total)
	}
	_, err = h.Intake.TakeBack(ctx, lead, list)
	h.must(err)
	if s := h.brought(id, reads); s.PieceID != 0 {
		t.Errorf("when all is taken back, it did %+v", s)
	}
}

// logOf writes requests for a page as a web server logs them.
func logOf(path string, at time.Time, hosts ...string) string {
	var out strings.Builder
	for i, host := range hosts {
		fmt.Fprintf(&out, "%s - - [%s] \"GET %s HTTP/1.1\" 200 1 \"-\" \"Mozilla/5.0\"\n", host, at.Add(time.Duration(i)*time.Second).Format("02/Jan/2006:15:04:05 -0700"), path)
	}
	return out.String()
}

func TestALogSentTwiceIsCountedOnce(t *testing.T) {
	h := newHouse(t)
	reads := h.measured("Reads", measure.Added)
	id := h.isOut("11-25")
	h.begins("2026-12-01")
	p := h.piece(id)
	path := newsroom.AddressOf(h.books(), "", &p.Piece)
	at := time.Date(2026, 11, 25, 9, 30, 0, 0, time.UTC)
	first := logOf(path, at, "203.0.113.1", "203.0.113.2", "203.0.113.2", "198.51.100.9")
	second := logOf(path, at.Add(2*time.Hour), "203.0.113.1")
	send := func(log string) {
		t.Helper()
		_, err := h.Figures.CountLog(ctx, lead, figures.Log{Desk: 1, Measure: reads, Name: "access.log", Ours: "198.51.100.0/24"}, strings.NewReader(log))
		h.must(err)
	}
	for i, log := range []string{first, first + second, second, first, logOf(path, at, "203.0.113.1")} { // the last ends within the hour
		send(log)
		if s := h.brought(id, reads); s.Total != []float64{2, 3, 3, 3, 3}[i] {
			t.Errorf("sent %d times, it did %v", i+1, s.Total)
		}
	}
	h.notes(id, reads, "2026-11-25", 1000) // somebody knows better
	if s := h.brought(id, reads); s.Total != 1000 {
		t.Errorf("noted by hand, it did %v", s.Total)
	}
	for log, field := range map[string]string{"no log\nat all\n": "file", "": "file"} {
		_, err := h.Figures.CountLog(ctx, lead, figures.Log{Desk: 1, Measure: reads}, strings.NewReader(log))
		var refusal *relay.Refusal
		if !errors.As(err, &refusal) || refusal.Field != field {
			t.Errorf("%q: %v", log, err)
		}
	}
	if _, err := h.Figures.CountLog(ctx, lead, figures.Log{Desk: 1, Measure: reads, Ours: "our office"}, bytes.NewReader(nil)); err == nil || !strings.Contains(err.Error(), "“our” is no address") {
		t.Errorf("addresses that are none: %v", err)
	}
	if _, err := h.Figures.CountLog(ctx, freelance, figures.Log{Desk: 1, Measure: reads}, strings.NewReader(first)); !refused(err, relay.ErrNotYours) {
		t.Errorf("by a freelancer: %v", err)
	}
}

func TestVisitsAreCountedWithoutKeepingWhoCame(t *testing.T) {
	h := newHouse(t)
	reads := h.measured("Visits", measure.Added, func(m *store.Measure) { m.Counts = store.Visits })
	clicks := h.measured("Clicks", measure.Added, func(m *store.Measure) { m.Counts = store.Clicks })
	id := h.isOut("11-25")
	d := h.books().Desk(1)
	d.OwnHosts = "198.51.100.0/24"
	_, err := h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	d.OwnHosts = "our office"
	if _, err := h.Settings.SaveDesk(ctx, lead, d); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "“our” is no address") {
		t.Errorf("addresses that are none: %v", err)
	}
	for _, x := range [][2]string{{"198.51.100.9", "Mozilla/5.0"}, {"203.0.113.1", "Mozilla/5.0"}, {"203.0.113.1", "Mozilla/5.0"}, {"203.0.113.2", "Mozilla/5.0"}, {"203.0.113.3", "ExampleBot/1.0"}, {"203.0.113.4", ""}} {
		h.Figures.Visit(ctx, id, x[0], x[1])
	}
	h.must(h.Tick(ctx))
	h.now = h.now.Add(31 * time.Minute)
	h.Figures.Visit(ctx, id, "203.0.113.1", "Mozilla/5.0")
	h.must(h.Tick(ctx))
	if s := h.brought(id, reads); s.Total != 3 || h.brought(id, clicks).PieceID != 0 {
		t.Errorf("%v visits were counted", s.Total)
	}
	if n := h.count("SELECT COUNT(*) FROM figure WHERE source LIKE '%203%'"); n != 0 {
		t.Errorf("%d addresses are kept", n)
	}
	h.notes(id, reads, "2026-11-25", 50)
	h.now = h.now.Add(time.Hour)
	h.Figures.Visit(ctx, id, "203.0.113.9", "Mozilla/5.0")
	h.must(h.Tick(ctx))
	if s := h.brought(id, reads); s.Total != 50 {
		t.Errorf("what somebody noted gives way to the program's count: %v", s.Total)
	}
}

func TestAimsAreAskedAboutOnce(t *testing.T) {
	h := newHouse(t)
	d := h.books().Desk(1)
	d.AskAfter = 7
	_, err := h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	reads := h.measured("Reads", measure.Added)
	with, without := h.isOut("11-25"), h.isOut("11-27")
	if err := h.Figures.SaveAim(ctx, lead, store.Aim{PieceID: with, MeasureID: reads, Value: 0}); !refused(err, relay.ErrInput) {
		t.Errorf("an aim of zero: %v", err)
	}
	h.must(h.Figures.SaveAim(ctx, lead, store.Aim{PieceID: with, MeasureID: reads, Value: 100}))
	h.begins("2026-12-01")
	if got := h.told(lead, "outcome", ""); got != 0 {
		t.Errorf("after six days it was asked %d times", got)
	}
	h.begins("2026-12-02")
	h.begins("2026-12-04")
	if got := h.told(lead, "outcome", "How did “The tide mill” do? It is out since Wed 25 Nov."); got != 1 {
		t.Errorf("it was asked %d times", got)
	}
	asked, err := h.Figures.AskedOf(ctx, lead, 1)
	h.must(err)
	if len(asked) != 1 || asked[0].ID != with {
		t.Errorf("on Today it is asked of %d pieces", len(asked))
	}
	if err := h.Figures.SaveOutcome(ctx, writer, store.Outcome{PieceID: with, Said: store.Worked}); !refused(err, relay.ErrNotYours) {
		t.Errorf("said by who does not own it: %v", err)
	}
	h.must(h.Figures.SaveOutcome(ctx, lead, store.Outcome{PieceID: with, Said: store.Partly, Learnt: "Readers want the tide tables."}))
	h.must(h.Figures.SaveOutcome(ctx, lead, store.Outcome{PieceID: without, Said: store.Failed}))
	if asked, err = h.Figures.AskedOf(ctx, lead, 1); err != nil || len(asked) != 0 {
		t.Errorf("once it is said, it is asked of %d, %v", len(asked), err)
	}
	for words, want := range map[string]int{"": 1, "tide TABLES": 1, "mill": 1, "windmill": 0} {
		if got, err := h.Figures.Lessons(ctx, editor, 1, words); err != nil || len(got) != want {
			t.Errorf("%q: %d lessons, %v", words, len(got), err)
		}
	}
	if _, err := h.Figures.Lessons(ctx, freelance, 1, ""); err == nil {
		t.Error("a freelancer reads what was learnt")
	}
}

// Whatever comes in from wherever and is taken back: what pieces did is what the figures that
// stand come to.
func TestWhatPiecesDidIsWhatTheirFiguresComeTo(t *testing.T) {
	h := newHouse(t)
	rng := rand.New(rand.NewPCG(5, 19))
	reads := h.measured("Reads", measure.Added, func(m *store.Measure) { m.Main = true })
	pieces := []ref.Piece{h.isOut("11-25"), h.isOut("11-27"), h.isOut("11-30")}
	h.begins("2027-02-01")
	var lists []ref.Batch
	for range 60 {
		p := pieces[rng.IntN(3)]
		on := date("2026-11-25") + day.Date(rng.IntN(50))
		h.now = h.now.Add(time.Minute)
		switch rng.IntN(4) {
		case 0:
			h.notes(p, reads, on.String(), float64(rng.IntN(100)))
		case 1:
			h.must(h.Figures.SetFigure(ctx, lead, p, reads, on, 0, true))
		case 2:
			id, _ := h.bringsFigures("Piece|Day|Reads", fmt.Sprintf("No. %d|%s|%d", h.piece(p).Number, on, rng.IntN(100)), fmt.Sprintf("No. %d|%s|%d", h.piece(p).Number, on+1, rng.IntN(100)))
			lists = append(lists, id)
		default:
			if n := len(lists); n > 0 {
				if _, err := h.Intake.TakeBack(ctx, lead, lists[n-1]); err != nil {
					t.Fatal(err)
				}
				lists = lists[:n-1]
			}
		}
	}
	cached, err := h.Figures.Sums(ctx)
	h.must(err)
	for _, p := range pieces {
		var total, months float64
		h.must(h.DB.Get(ctx, &total, "SELECT COALESCE(SUM(value), 0) FROM figure WHERE piece_id = ? AND stands", p))
		h.must(h.DB.Get(ctx, &months, "SELECT COALESCE(SUM(value), 0) FROM figure_month WHERE piece_id = ?", p))
		if cached[reads][p].Total != total || months != total || total == 0 {
			t.Errorf("piece %d did %v, by month %v, as it is kept %v", p, total, months, cached[reads][p].Total)
		}
		if twice := h.count("SELECT COUNT(*) FROM (SELECT day FROM figure WHERE piece_id = ? AND stands GROUP BY day HAVING COUNT(*) > 1)", p); twice != 0 {
			t.Errorf("of piece %d two figures stand on %d days", p, twice)
		}
	}
}

// A list of 100,000 figures of 500 pieces comes in; see docs/measures.md.
func BenchmarkBringingInFigures(b *testing.B) {
	for b.Loop() {
		b.StopTimer()
		h := newHouse(b)
		h.measured("Reads", measure.Added, func(m *store.Measure) { m.Main = true })
		for i := range 500 {
			_, err := h.Intake.Create(ctx, lead, planning.Draft{Title: fmt.Sprintf("The tide mill, part %d", i), Format: 1, Owner: lead, Park: true})
			h.must(err)
		}
		t := bring.Table{Header: []string{"Piece", "Day", "Reads"}}
		for i := range 100_000 {
			t.Rows, t.Lines = append(t.Rows, []string{fmt.Sprint(1 + i%500), (date("2026-11-23") - day.Date(i/500)).String(), fmt.Sprint(i % 97)}), append(t.Lines, i+2)
		}
		b.StartTimer()
		id, err := h.Intake.LookAt(ctx, lead, 1, bring.Figures, "figures.csv", t)
		h.must(err)
		h.must(h.Intake.BringIn(ctx, lead, id, false))
		if n := h.count("SELECT COUNT(*) FROM figure"); n != 100_000 {
			b.Fatal(n)
		}
	}
}
