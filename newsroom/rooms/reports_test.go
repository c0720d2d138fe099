package rooms_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
)

// reported gives the report of the test house over the span in which a day lies.
func (h *testHouse) reported(who ref.Person, long reports.Long, on string) reports.Report {
	h.t.Helper()
	r, err := h.Reports.Of(ctx, who, 1, reports.Asked{Span: reports.SpanOf(long, date(on)), Look: planning.Look{Desks: []ref.Desk{1}}, First: 2})
	h.must(err)
	return r
}

func TestAReportSaysWhetherPiecesWentOutOnTheirDay(t *testing.T) {
	h := newHouse(t)
	onDay := h.readied("11-25")
	late, moved := h.make("11-27"), h.make("11-27")
	h.must(h.Place(ctx, lead, moved, h.slot(date("2026-12-04")), h.piece(moved).Version))
	h.begins("2026-11-25")
	h.begins("2026-12-01")
	h.must(h.Place(ctx, lead, late, h.slot(date("2026-12-02")), h.piece(late).Version)) // its day is past already
	for _, id := range []ref.Piece{late, moved} {
		for range 8 {
			row := h.piece(id)
			for _, l := range row.Running() {
				h.must(h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: l.Key, Why: "all the same"}))
			}
		}
	}
	h.begins("2026-12-02")
	h.begins("2026-12-04")
	r := h.reported(lead, reports.Quarter, "2026-11-01")
	got := map[ref.Piece]string{}
	for _, x := range r.Out {
		got[x.ID] = fmt.Sprint(x.Fate, " ", x.LateBy)
	}
	if got[onDay] != "on its day 0" || got[late] != "late 3" || got[moved] != "moved 0" || r.OnDay != 1 || r.Late != 1 || r.Moved != 1 {
		t.Errorf("%v; %d on their day, %d late, %d moved", got, r.OnDay, r.Late, r.Moved)
	}
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error { _, err := tx.Exec(ctx, "DELETE FROM promise"); return err })) // as in a data file of before
	again := houseOn(t, h.DB)
	again.now = h.now
	h.must(again.Tick(ctx))
	old := again.reported(lead, reports.Quarter, "2026-11-01")
	if old.OnDay != 1 || old.Late != 1 || old.Moved != 1 {
		t.Errorf("read from the logbook, %d are on their day, %d late, %d moved", old.OnDay, old.Late, old.Moved)
	}
}

// The chance of a slot ahead is that which its piece says, also after days off, and after legs of other pieces
// were passed, which leave its version as it was.
func TestSlotsAheadSayTheChanceOfTheirPiece(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-11")
	said := map[float64]bool{}
	var others []ref.Piece
	for i := range 9 {
		others = append(others, h.make(fmt.Sprintf("12-%02d", 14+i)))
	}
	for round := range 6 {
		b, err := h.Setup(ctx)
		h.must(err)
		p := h.piece(id).Piece
		f, err := h.Forecast(ctx, b, &p)
		h.must(err)
		said[f.Chance] = true
		n := 0
		for _, w := range h.reported(lead, reports.Quarter, "2026-11-01").Ahead {
			for _, x := range w.Slots {
				if x.Entry == nil || x.Entry.ID != id {
					continue
				}
				if n++; x.Chance != f.Chance {
					t.Errorf("the slot says %v, the piece %v", x.Chance, f.Chance)
				}
			}
		}
		if n != 1 {
			t.Fatalf("its slot stands there %d times", n)
		}
		if round > 3 { // what is learnt is another after the eighth
			for _, other := range others {
				if row := h.piece(other); row.Leg("brief").State == relay.Running {
					h.pass(editor, other, "brief")
				}
			}
			continue
		}
		from := h.Now().Date(b.Zones[1]) + day.Date(2*len(said))
		_, err = h.Planning.ChangePlan(ctx, lead, planning.Change{Changes: []plan.Change{{Do: plan.DoAway, Person: writer, Date: from, To: from + 1}}})
		h.must(err)
	}
	if len(said) < 2 {
		t.Errorf("days off change nothing: %v", said)
	}
}

func TestWhoSeesTheFiguresOfPeople(t *testing.T) {
	h := newHouse(t)
	h.readied("11-25")
	h.begins("2026-11-25")
	if n := len(h.reported(lead, reports.Month, "2026-11-01").People); n < 2 {
		t.Errorf("a lead sees %d people", n)
	}
	for _, p := range h.reported(editor, reports.Month, "2026-11-01").People {
		if p.Person != editor {
			t.Errorf("somebody of staff sees person %d", p.Person)
		}
	}
	d := h.books().Desk(1)
	d.PeopleOpen = true
	_, err := h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	if n := len(h.reported(editor, reports.Month, "2026-11-01").People); n < 2 {
		t.Errorf("where that is open, somebody of staff sees %d people", n)
	}
	second, err := h.Settings.SaveDesk(ctx, lead, store.Desk{Name: "Sunday edition", Zone: "Europe/Dublin", Weekdays: "0111110", QuietAfter: 2, PassBy: relay.ByOwner, PeopleOpen: true})
	h.must(err)
	p := h.books().Person(editor)
	p.Desks = append(p.Desks, second)
	_, _, err = h.Settings.SavePerson(ctx, lead, 1, p)
	h.must(err)
	d.PeopleOpen = false
	_, err = h.Settings.SaveDesk(ctx, lead, d)
	h.must(err)
	r, err := h.Reports.Of(ctx, editor, second, reports.Asked{Span: reports.SpanOf(reports.Month, date("2026-11-01")), Look: planning.Look{Desks: []ref.Desk{1, second}}})
	h.must(err)
	if r.Everybody || slices.ContainsFunc(r.People, func(p reports.PersonRow) bool { return p.Person != editor }) {
		t.Errorf("from a desk on which it is open, people of one on which it is not are seen: %v", r.People)
	}
	for _, who := range []ref.Person{freelance, outside, stranger} {
		if _, err := h.Reports.Of(ctx, who, 1, reports.Asked{Span: reports.SpanOf(reports.Month, date("2026-11-01"))}); !refused(err, relay.ErrNotYours) {
			t.Errorf("person %d: %v", who, err)
		}
	}
}

// Whatever happens to pieces: each that began is out, taken back, or somewhere; the bars of a span
// come to what went out; what waits on the way is what came in less what left (Little's law, summed
// over the days); and the hours of all people are those of the legs that were passed.
func TestSumsOfReportsHold(t *testing.T) {
	h := newHouse(t)
	rng := rand.New(rand.NewPCG(8, 19))
	f := h.books().Format(1)
	f.Wordless = true
	_, err := h.Settings.SaveFormat(ctx, lead, f)
	h.must(err)
	var pieces []ref.Piece
	spent, began := map[ref.Piece]int{}, 0
	first := date("2026-11-24")
	under := 0 // pieces under way at the end of each day, summed
	days := 0
	for on := first; on < first+60; on++ {
		h.begins(on.String())
		if on%2 == 0 && len(pieces) < 14 {
			d := planning.Draft{Title: "The tide mill", Format: 1, Owner: lead, WordsFrom: 3, WordsTo: 9}
			if rng.IntN(5) > 0 {
				d.GoesOut = h.slot(on + 8 + day.Date(rng.IntN(20)))
			}
			id, err := h.Intake.Create(ctx, lead, d)
			h.must(err)
			pieces, began = append(pieces, id), began+1
		}
		for _, id := range pieces {
			row := h.piece(id)
			for _, l := range row.Running() {
				switch rng.IntN(4) {
				case 0:
					_ = h.Planning.PassLeg(ctx, lead, planning.Pass{Piece: id, Leg: l.Key, Why: "all the same"})
				case 1:
					if back := row.Legs[0].Key; row.Legs[0].State == relay.Passed && rng.IntN(3) == 0 {
						_ = h.Planning.SendBack(ctx, lead, planning.Back{Piece: id, From: l.Key, To: back, Reasons: "once more"})
					}
				}
			}
			if row = h.piece(id); row.Ready() && row.GoesOut != 0 && row.GoesOut <= day.MomentOf(h.now) && rng.IntN(3) == 0 {
				_ = h.Review.SendOut(ctx, lead, id, row.Version, "")
			}
		}
		days++
		for _, id := range pieces {
			if h.piece(id).Stage == relay.UnderWay {
				under++
				spent[id]++
			}
		}
	}
	r := h.reported(lead, reports.Year, "2026-12-01")
	next := h.reported(lead, reports.Year, "2027-01-10")
	out, bars, somewhere := len(r.Out)+len(next.Out), 0, 0
	for _, b := range append(r.Weeks, next.Weeks...) {
		bars += b.All()
	}
	for _, id := range pieces {
		if h.piece(id).Stage == relay.UnderWay {
			somewhere++
		}
	}
	if out+somewhere != began || bars != out || out == 0 {
		t.Errorf("%d began: %d are out, %d in bars, %d under way", began, out, bars, somewhere)
	}
	total := 0
	for _, n := range spent {
		total += n
	}
	if total != under { // the mean under way is the rate at which they come times the mean time they take
		t.Errorf("%d piece-days by the day, %d by the piece", under, total)
	}
	minutes := 0
	for _, rep := range []reports.Report{r, next} {
		for _, p := range rep.People {
			minutes += p.Minutes
		}
	}
	var passed []string
	h.must(h.DB.Select(ctx, &passed, "SELECT key FROM leg_run WHERE outcome = 'passed' AND run = 1 AND holder <> 0"))
	want := 0
	for _, key := range passed {
		for _, l := range h.books().Latest(1).Way.Legs {
			if l.Key == key {
				want += l.Effort
			}
		}
	}
	if minutes != want || want == 0 {
		t.Errorf("people have %d minutes, the legs that were passed %d", minutes, want)
	}
}

func TestTheMonthIsSentOnTheFirstWorkingDay(t *testing.T) {
	h := newHouse(t)
	h.must(h.Reports.SendMonthTo(ctx, lead, 1, []ref.Person{lead, editor}))
	if err := h.Reports.SendMonthTo(ctx, lead, 1, []ref.Person{freelance}); !refused(err, relay.ErrInput) {
		t.Errorf("to a freelancer: %v", err)
	}
	h.begins("2026-11-30")
	if n := h.told(editor, "month", ""); n != 0 {
		t.Errorf("before the month is over it is sent %d times", n)
	}
	h.begins("2026-12-01")
	h.must(h.Tick(ctx))
	h.begins("2026-12-02")
	if n := h.told(editor, "month", "How Desk ran in November 2026"); n != 1 {
		t.Errorf("it is sent %d times", n)
	}
	h.begins("2027-05-01") // a Saturday, months later
	h.begins("2027-05-03")
	if n := h.told(editor, "month", ""); n != 2 {
		t.Errorf("after months it is sent %d times", n)
	}
}

// goalsOf gives the goals of the quarter in which a day lies.
func TestGoalsStandAndLikelyEnd(t *testing.T) {
	h := newHouse(t)
	reads := h.measured("Reads", measure.Added)
	a, b := h.isOut("11-25"), h.isOut("11-27")
	h.notes(a, reads, "2026-11-25", 100)
	h.notes(b, reads, "2026-11-27", 50)
	h.make("12-16")
	for _, g := range []store.Goal{{Name: "Pieces", Target: 9}, {Name: "Reads", Target: 1000, MeasureID: reads}, {Name: "None of this kind", Target: 3, Sieve: "/pieces?title=zzz"}} {
		g.DeskID, g.Quarter = 1, date("2026-10-01")
		h.must(h.Reports.SaveGoal(ctx, lead, g))
	}
	goals, err := h.Reports.Goals(ctx, editor, 1, date("2026-12-31"))
	h.must(err)
	if len(goals) != 3 || goals[0].Is != 2 || goals[0].Coming != 1 || goals[0].Sum.Likely < 2 || goals[0].Sum.Likely > 3 || !goals[0].OffCourse() || goals[1].Is != 150 || goals[2].Is != 0 {
		t.Errorf("%+v", goals)
	}
	for _, x := range []struct {
		field string
		goal  store.Goal
	}{
		{"target", store.Goal{Name: "x", Quarter: date("2026-10-01")}}, {"target", store.Goal{Name: "x", Target: 1.5, Quarter: date("2026-10-01")}}, {"goal", store.Goal{Target: 3, Quarter: date("2026-10-01")}},
		{"quarter", store.Goal{Name: "x", Target: 3, Quarter: date("2026-10-02")}}, {"sieve", store.Goal{Name: "x", Target: 3, Quarter: date("2026-10-01"), Sieve: "/pieces?due=soon"}}, {"measure", store.Goal{Name: "x", Target: 3, Quarter: date("2026-10-01"), MeasureID: 99}},
	} {
		x.goal.DeskID = 1
		err := h.Reports.SaveGoal(ctx, lead, x.goal)
		if !refused(err, relay.ErrInput) || !strings.Contains(fmt.Sprintf("%+v", err), ".") {
			t.Errorf("%+v: %v, want something about %s", x.goal, err, x.field)
		}
	}
	if err := h.Reports.SaveGoal(ctx, editor, store.Goal{DeskID: 1, Name: "x", Target: 3, Quarter: date("2026-10-01")}); !refused(err, relay.ErrNotYours) {
		t.Errorf("set by who is no lead: %v", err)
	}
}

// A year of a desk that keeps 50,000 pieces with three million figures, as reports are asked for a
// second time; see docs/measures.md.
func BenchmarkReports(b *testing.B) {
	h := newHouse(b)
	h.t = b
	h.measured("Reads", measure.Added, func(m *store.Measure) { m.Main = true })
	id := h.isOut("11-25")
	var columns []string
	h.must(h.DB.Select(ctx, &columns, "SELECT name FROM pragma_table_info('piece')"))
	picks := make([]string, len(columns))
	for i, c := range columns {
		switch c {
		case "id", "number":
			picks[i] = "n + 1000"
		case "out_at", "goes_out":
			picks[i] = "1795593600 - (n % 900) * 86400"
		default:
			picks[i] = `"` + c + `"`
		}
		columns[i] = `"` + c + `"`
	}
	const numbers = "WITH RECURSIVE c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c WHERE n < %d) "
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error {
		for _, q := range []string{
			fmt.Sprintf(numbers, 50_000) + fmt.Sprintf("INSERT INTO piece (%s) SELECT %s FROM c, piece WHERE piece.id = %d", strings.Join(columns, ", "), strings.Join(picks, ", "), id),
			"INSERT INTO promise (piece_id, day) SELECT id, out_at / 86400 FROM piece WHERE id > 1000",
			"INSERT INTO leg_run (piece_id, key, run, holder, allowance, start_day, end_day, started_at, ended_at, outcome) SELECT p.id, r.key, 1, r.holder, r.allowance, p.out_at / 86400 - 9, p.out_at / 86400 - p.id % 7, 0, 0, 'passed' FROM piece p, leg_run r WHERE p.id > 1000 AND r.piece_id = " + fmt.Sprint(id),
			fmt.Sprintf(numbers, 60) + "INSERT INTO figure (piece_id, measure_id, day, source, value, at) SELECT p.id, 1, p.out_at / 86400 + n, 'visits', p.id % 97, 0 FROM piece p, c WHERE p.id > 1000",
			"INSERT INTO figure_sum (piece_id, measure_id, first1, first7, first28, total, knows, from_day, to_day) SELECT id, 1, id % 97, 7 * (id % 97), 28 * (id % 97), 60 * (id % 97), 15, out_at / 86400, out_at / 86400 + 60 FROM piece WHERE id > 1000",
		} {
			if _, err := tx.Exec(ctx, q); err != nil {
				return err
			}
		}
		return nil
	}))
	h.Forget()
	h.now = time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	for _, x := range []struct {
		long reports.Long
		on   string
	}{{reports.Year, "2026-06-01"}, {reports.Quarter, "2026-08-01"}, {reports.Month, "2026-10-01"}} {
		b.Run(string(x.long), func(b *testing.B) {
			h.t = b
			h.reported(lead, x.long, x.on)
			for b.Loop() {
				if r := h.reported(lead, x.long, x.on); len(r.Out) < 1000 {
					b.Fatal(len(r.Out))
				}
			}
		})
	}
}
