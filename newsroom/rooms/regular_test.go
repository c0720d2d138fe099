package rooms_test

import (
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/regular"
	"greenbaton/core/relay"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	room "greenbaton/newsroom/regular"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
)

func date(s string) day.Date {
	d, err := day.ParseDate(s)
	if err != nil {
		panic(err)
	}
	return d
}

// weekly is a rule for each Wednesday.
func weekly(from, to string) regular.Rule {
	return regular.Rule{Kind: regular.Weekly, Every: 1, Days: day.Weekdays{3: true}, From: date(from), To: date(to)}
}

// noteOf gives a regular of the test house by a rule.
func (h *testHouse) noteOf(rule regular.Rule, change ...func(*store.Regular)) store.Regular {
	h.t.Helper()
	r, err := room.Encoded(store.Regular{DeskID: 1, Title: "Mill note {n}, {date}", FormatID: 1, Owner: lead, At: -1, Ahead: 3, NextN: 7}, rule, map[string]ref.Person{"draft": freelance})
	h.must(err)
	for _, f := range change {
		f(&r)
	}
	return r
}

// regularPieces gives the pieces that a regular made, with when they go out by the clocks of the desk.
func (h *testHouse) regularPieces(id ref.Regular) []string {
	h.t.Helper()
	known, err := store.RegularDates(ctx, h.DB, id)
	h.must(err)
	var out []string
	for _, key := range slices.Sorted(maps.Keys(known)) {
		switch d := known[key]; d.State {
		case store.RegularMade:
			p := h.piece(d.PieceID)
			out = append(out, fmt.Sprintf("%s: %s at %s, %s", key, p.Title, p.GoesOut.In(h.zone()).Format("2 Jan 15:04"), p.Stage))
		default:
			out = append(out, fmt.Sprintf("%s: %s", key, d.State))
		}
	}
	return out
}

func (h *testHouse) zone() *time.Location { return h.books().Zones[1] }

func (h *testHouse) toldOf(kind string) []string {
	h.t.Helper()
	var out []string
	h.must(h.DB.Select(ctx, &out, "SELECT text FROM inbox WHERE kind = ? AND person_id = ? ORDER BY id", kind, lead))
	return out
}

func same(t *testing.T, what string, got, want []string) {
	t.Helper()
	if !slices.Equal(got, want) {
		t.Errorf("%s:\ngot  %s\nwant %s", what, strings.Join(got, "\n     "), strings.Join(want, "\n     "))
	}
}

func TestARegularMakesItsPiecesWhenTheirWeeksBegin(t *testing.T) {
	h := newHouse(t)
	got, err := h.Regular.Save(ctx, lead, h.noteOf(weekly("2026-11-01", "2027-03-31")), room.Change{})
	h.must(err)
	want := []string{"2026-11-25: Mill note 7, 25 November 2026 at 25 Nov 08:00, running", "2026-12-02: Mill note 8, 2 December 2026 at 2 Dec 08:00, running",
		"2026-12-09: Mill note 9, 9 December 2026 at 9 Dec 08:00, running"}
	same(t, "at once", h.regularPieces(got.ID), want)
	if p := h.piece(got.Made[0]); p.Leg("draft").Holder != freelance || p.Leg("copy").Holder != editor || p.Owner != lead {
		t.Errorf("its legs are with %d and %d, it is owned by %d", p.Leg("draft").Holder, p.Leg("copy").Holder, p.Owner)
	}
	h.must(h.Tick(ctx))
	same(t, "on the same day", h.regularPieces(got.ID), want)
	h.begins("2026-11-25")
	want = append(want, "2026-12-16: Mill note 10, 16 December 2026 at 16 Dec 08:00, running")
	same(t, "a day later", h.regularPieces(got.ID), want)
	h.begins("2027-03-27") // months later, a Saturday
	same(t, "on a Saturday", h.regularPieces(got.ID), want)
	h.begins("2027-03-29") // the clocks have gone forward in between
	want = append(want, "2026-12-23: past", "2026-12-30: past", "2027-01-06: past", "2027-01-13: past", "2027-01-20: past", "2027-01-27: past", "2027-02-03: past", "2027-02-10: past",
		"2027-02-17: past", "2027-02-24: past", "2027-03-03: past", "2027-03-10: past", "2027-03-17: past", "2027-03-24: past", "2027-03-31: Mill note 11, 31 March 2027 at 31 Mar 08:00, running")
	same(t, "after the program was down", h.regularPieces(got.ID), want)
	same(t, "what the lead is told", h.toldOf("regular"), []string{"Mill note: No piece was made for Wed 23 Dec, Wed 30 Dec, Wed 6 Jan, Wed 13 Jan and 10 more days: they were over before the program could."})
}

func TestATakenTimeIsToldAndNotDoubled(t *testing.T) {
	h := newHouse(t)
	there := h.make("12-02")
	got, err := h.Regular.Save(ctx, lead, h.noteOf(weekly("2026-11-26", "2026-12-31")), room.Change{})
	h.must(err)
	want := []string{"2026-12-02: taken", "2026-12-09: Mill note 7, 9 December 2026 at 9 Dec 08:00, running"}
	same(t, "beside another piece", h.regularPieces(got.ID), want)
	if n := len(h.toldOf("regular")); n != 0 {
		t.Errorf("who keeps it, and sees it, is told %d times", n)
	}
	also := h.make("12-16")
	h.begins("2026-11-25")
	h.must(h.Tick(ctx))
	same(t, "what the lead is told", h.toldOf("regular"), []string{"Mill note: On Wed 16 Dec “The tide mill” has its time already, so no second piece was made."})
	h.must(h.Place(ctx, lead, also, 0, h.piece(also).Version))
	h.begins("2026-11-26")
	want = append(want, "2026-12-16: Mill note 8, 16 December 2026 at 16 Dec 08:00, running")
	same(t, "once it is free", h.regularPieces(got.ID), want)
	h.must(h.Place(ctx, lead, there, 0, h.piece(there).Version))
	h.begins("2026-11-27")
	want[0] = "2026-12-02: Mill note 9, 2 December 2026 at 2 Dec 08:00, running"
	same(t, "once its time is free", h.regularPieces(got.ID), want)

	h.must(h.Place(ctx, lead, there, h.slot(date("2026-12-23")), h.piece(there).Version))
	h.begins("2026-12-02")
	h.must(h.Regular.Adopt(ctx, lead, 1, got.ID, date("2026-12-23"), there))
	h.begins("2026-12-03")
	if all := h.regularPieces(got.ID); !strings.Contains(strings.Join(all, "\n"), "2026-12-23: The tide mill at 23 Dec") {
		t.Errorf("that it is this one was said, and it is %q", all)
	}
	if err := h.Regular.Adopt(ctx, lead, 1, got.ID, date("2026-12-30"), there); !refused(err, relay.ErrNotNow) || !strings.Contains(err.Error(), "a piece of Mill note already") {
		t.Errorf("one piece for two days: %v", err)
	}
}

// begins lets the day of a date begin, at nine by the clocks of the house.
func (h *testHouse) begins(on string) {
	h.t.Helper()
	h.now = day.Wall(date(on), 9*60, h.zone()).In(h.now.Location())
	h.must(h.Tick(ctx))
}

func (h *testHouse) slot(d day.Date) day.Moment { return day.Wall(d, 480, h.zone()) }

func TestChangingARegularLeavesWhatIsBegun(t *testing.T) {
	h := newHouse(t)
	got, err := h.Regular.Save(ctx, lead, h.noteOf(weekly("2026-11-26", "2026-12-31")), room.Change{})
	h.must(err)
	first := got.Made[0]
	h.pass(editor, first, "brief")
	h.begins("2026-11-25")

	friday := weekly("2026-11-26", "2026-12-31")
	friday.Days = day.Weekdays{5: true}
	r := h.noteOf(friday, func(r *store.Regular) { r.ID, r.NextN = got.ID, 10 })
	out, err := h.Regular.Preview(ctx, lead, r, 0)
	h.must(err)
	if out.Again != 2 {
		t.Errorf("%d would be made anew, want the two that nobody has begun", out.Again)
	}
	again, err := h.Regular.Save(ctx, lead, r, room.Change{Anew: true})
	h.must(err)
	if again.Gone != 2 || len(again.Made) != 3 {
		t.Errorf("%d were taken back and %d made", again.Gone, len(again.Made))
	}
	same(t, "after the change", h.regularPieces(got.ID), []string{"2026-11-27: Mill note 8, 27 November 2026 at 27 Nov 08:00, running", "2026-12-02: Mill note 7, 2 December 2026 at 2 Dec 08:00, running",
		"2026-12-04: Mill note 9, 4 December 2026 at 4 Dec 08:00, running", "2026-12-11: Mill note 10, 11 December 2026 at 11 Dec 08:00, running"})
	if p := h.piece(got.Made[1]); p.Stage != relay.Withdrawn {
		t.Errorf("what nobody had begun is %s", p.Stage)
	}
	r = h.noteOf(weekly("2026-11-26", "2026-12-31"), func(r *store.Regular) { r.ID, r.NextN = got.ID, 11 })
	again, err = h.Regular.Save(ctx, lead, r, room.Change{})
	h.must(err)
	if again.Gone != 0 || len(again.Made) != 2 { // of 2 Dec there is one; 9 and 16 Dec are new
		t.Errorf("only what is new: %d were taken back, %d made", again.Gone, len(again.Made))
	}
}

// Of the coming pieces one in the middle is begun: numbers are given again behind it only, and a
// regular that rests takes nothing back.
func TestNumbersOfWhatIsTakenBackAreGivenAgain(t *testing.T) {
	h := newHouse(t)
	got, err := h.Regular.Save(ctx, lead, h.noteOf(weekly("2026-11-26", "2026-12-31")), room.Change{})
	h.must(err)
	h.begins("2026-11-26") // 7 on 2 Dec, 8 on 9 Dec, 9 on 16 Dec
	h.pass(editor, got.Made[1], "brief")
	r := h.noteOf(weekly("2026-11-25", "2026-12-31"), func(r *store.Regular) { r.ID, r.NextN = got.ID, room.KeepN })
	_, err = h.Regular.Set(ctx, lead, 1, got.ID, true, false)
	h.must(err)
	if out, err := h.Regular.Preview(ctx, lead, r, 0); err != nil || out.Again != 0 {
		t.Errorf("while it rests, %d would be made anew, %v", out.Again, err)
	}
	if kept, err := h.Regular.Save(ctx, lead, r, room.Change{Anew: true}); err != nil || kept.Gone != 0 {
		t.Errorf("while it rests, %d are taken back, %v", kept.Gone, err)
	}
	_, err = h.Regular.Set(ctx, lead, 1, got.ID, false, false)
	h.must(err)
	kept, err := h.Regular.Save(ctx, lead, r, room.Change{Anew: true})
	h.must(err)
	if kept.Gone != 2 {
		t.Errorf("%d are taken back", kept.Gone)
	}
	same(t, "made anew", h.regularPieces(got.ID), []string{"2026-12-02: Mill note 9, 2 December 2026 at 2 Dec 08:00, running", "2026-12-09: Mill note 8, 9 December 2026 at 9 Dec 08:00, running",
		"2026-12-16: Mill note 10, 16 December 2026 at 16 Dec 08:00, running"})
	if _, err := h.Regular.Save(ctx, lead, h.noteOf(weekly("2026-11-26", "2026-12-31")), room.Change{}); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), "There is a regular “Mill note” already.") {
		t.Errorf("sent twice: %v", err)
	}
	other := h.make("12-23")
	if err := h.Regular.Adopt(ctx, lead, 1, got.ID, date("2026-12-24"), other); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("a day that does not follow from the rule: %v", err)
	}
}

func TestPausingAndEnding(t *testing.T) {
	h := newHouse(t)
	got, err := h.Regular.Save(ctx, lead, h.noteOf(weekly("2026-11-26", "2027-06-30")), room.Change{})
	h.must(err)
	n := len(h.regularPieces(got.ID))
	_, err = h.Regular.Set(ctx, lead, 1, got.ID, true, false)
	h.must(err)
	h.begins("2027-01-05")
	if all := h.regularPieces(got.ID); len(all) != n {
		t.Errorf("while it was paused came %q", all)
	}
	made, err := h.Regular.Set(ctx, lead, 1, got.ID, false, false)
	h.must(err)
	if all := h.regularPieces(got.ID); len(made) != 3 || len(all) != n+3 || strings.Contains(strings.Join(all, " "), "past") {
		t.Errorf("as it goes on, %d were made: %q", len(made), all)
	}
	_, err = h.Regular.Set(ctx, lead, 1, got.ID, false, true)
	h.must(err)
	h.begins("2027-02-05")
	if all := h.regularPieces(got.ID); len(all) != n+3 {
		t.Errorf("after its end came %q", all)
	}
	for _, by := range []ref.Person{editor, freelance, stranger} {
		if _, err := h.Regular.Set(ctx, by, 1, got.ID, false, false); !refused(err, relay.ErrNotYours) {
			t.Errorf("person %d: %v", by, err)
		}
	}
}

func TestRegularsThatCannotBe(t *testing.T) {
	h := newHouse(t)
	rule := weekly("2026-11-26", "2026-12-31")
	for _, x := range []struct {
		field  string
		change func(*store.Regular)
	}{
		{"title", func(r *store.Regular) { r.Title = " " }},
		{"title", func(r *store.Regular) { r.Title = "{number}" }},
		{"title", func(r *store.Regular) { r.Title = strings.Repeat("x", 161) }},
		{"name", func(r *store.Regular) { r.Title = "{n}" }},
		{"format", func(r *store.Regular) { r.FormatID = 99 }},
		{"channel", func(r *store.Regular) { r.ChannelID = 99 }},
		{"owner", func(r *store.Regular) { r.Owner = freelance }},
		{"ahead", func(r *store.Regular) { r.Ahead = 0 }},
		{"ahead", func(r *store.Regular) { r.Ahead = 27 }},
		{"at", func(r *store.Regular) { r.At = 1440 }},
		{"n", func(r *store.Regular) { r.NextN = -1 }},
		{"words", func(r *store.Regular) { r.WordsFrom, r.WordsTo = 5, 4 }},
		{"holder-draft", func(r *store.Regular) { r.People = `{"draft":6}` }},
		{"days", func(r *store.Regular) {
			r.Rule = `{"Kind":"weekly","Every":1,"From":"2026-11-26","Days":[false,false,false,false,false,false,false]}`
		}},
	} {
		r := h.noteOf(rule, x.change)
		_, err := h.Regular.Save(ctx, lead, r, room.Change{})
		var refusal *relay.Refusal
		if !errors.As(err, &refusal) || refusal.Field != x.field {
			t.Errorf("%+v gives %v, want something about %s", r, err, x.field)
		}
		if _, err := h.Regular.Preview(ctx, lead, r, 0); !errors.As(err, &refusal) || refusal.Field != x.field {
			t.Errorf("shown before, it gives %v, want something about %s", err, x.field)
		}
	}
	if got := h.count("SELECT COUNT(*) FROM regular"); got != 0 {
		t.Errorf("%d are kept", got)
	}
}

// Whatever the clock does, and wherever the program is killed: each day of the rule gets one
// piece, if its weeks began on a working day on which the program ran, and none gets two.
func TestEachDayOfARegularIsMadeOnce(t *testing.T) {
	for seed := range uint64(4) {
		rng := rand.New(rand.NewPCG(seed, 19))
		h := newHouse(t)
		rule := regular.Rule{Kind: regular.Weekly, Every: 1 + rng.IntN(2), Days: day.Weekdays{1: true, 4: seed%2 == 0, 6: true}, From: date("2026-11-20")}
		got, err := h.Regular.Save(ctx, lead, h.noteOf(rule, func(r *store.Regular) { r.Ahead = 1 + rng.IntN(4) }), room.Change{})
		h.must(err)
		r, err := store.RegularByID(ctx, h.DB, got.ID)
		h.must(err)
		want := map[day.Date]string{} // by key: made, or past
		due := func() {
			b := h.books()
			today := day.MomentOf(h.now).Date(h.zone())
			if !b.Planned[1].Calendar.Working(today) {
				return
			}
			for _, c := range rule.Between(r.Since, today+day.Date(7*r.Ahead), b.FreeOf(1)) {
				at := day.Wall(c.On, b.Minutes(1, c.On, newsroom.Morning), h.zone())
				if want[c.Key] == "" && at > day.MomentOf(h.now) {
					want[c.Key] = store.RegularMade
				} else if want[c.Key] == "" {
					want[c.Key] = store.RegularPast
				}
			}
		}
		due()
		for range 25 {
			switch rng.IntN(6) {
			case 0: // weeks pass
				h.now = h.now.Add(time.Duration(rng.IntN(60*24)) * time.Hour)
			case 1: // somebody puts the clock back
				h.now = h.now.Add(-time.Duration(rng.IntN(20*24)) * time.Hour)
			default:
				h.now = h.now.Add(time.Duration(12+rng.IntN(30)) * time.Hour)
			}
			if rng.IntN(3) == 0 { // it is killed while it makes them, and begins anew
				h.Hooks.Ends = append(h.Hooks.Ends, func(*newsroom.Command) error {
					if rng.IntN(2) == 0 {
						return errors.New("killed")
					}
					return nil
				})
				_ = h.Tick(ctx)
				h.Newsroom = houseOn(t, h.DB).Newsroom
				h.Clock = func() time.Time { return h.now }
			}
			h.must(h.Tick(ctx))
			due()
		}
		known, err := store.RegularDates(ctx, h.DB, got.ID)
		h.must(err)
		pieces := map[ref.Piece]bool{}
		for key, state := range want {
			if known[key].State != state {
				t.Errorf("seed %d: %s is %q, want %q", seed, key, known[key].State, state)
			}
		}
		for key, d := range known {
			if want[key] == "" {
				t.Errorf("seed %d: %s is %s, and no such day was due", seed, key, d.State)
			}
			if d.State == store.RegularMade && pieces[d.PieceID] {
				t.Errorf("seed %d: piece %d is there for two days", seed, d.PieceID)
			}
			if d.State == store.RegularMade {
				pieces[d.PieceID] = true
			}
		}
		if n := h.count("SELECT COUNT(*) FROM piece"); n != len(pieces) || n == 0 {
			t.Errorf("seed %d: %d pieces are there, and %d days have one", seed, n, len(pieces))
		}
	}
}

// A lineup and a sitting say of an open time that a regular will come to it.
func TestOpenTimesSayWhatComesByItself(t *testing.T) {
	h := newHouse(t)
	_, err := h.Regular.Save(ctx, lead, h.noteOf(weekly("2026-11-26", "2027-03-31"), func(r *store.Regular) { r.Ahead = 1 }), room.Change{})
	h.must(err)
	l, err := h.Planning.Lineup(ctx, lead, 1, planning.Look{Desks: []ref.Desk{1}}, planning.Span{From: date("2026-11-24"), To: date("2026-12-20")}, planning.Shows{})
	h.must(err)
	var got []string
	for _, s := range l.Slots {
		if s.For != "" {
			got = append(got, s.At.In(h.zone()).Format("2 Jan ")+s.For)
		}
	}
	same(t, "in the lineup", got, []string{"2 Dec Mill note", "9 Dec Mill note", "16 Dec Mill note"})
	comes, err := h.ExpectedAt(ctx, 1, date("2026-12-20"))
	h.must(err)
	if comes(1, h.slot(date("2026-12-09"))) != "Mill note" || comes(1, h.slot(date("2026-12-11"))) != "" || comes(1, h.slot(date("2026-11-25"))) != "" {
		t.Error("a sitting is told something else")
	}
	// Nor is such a time a hole in a report, nor one that a piece has which its sieve leaves out.
	h.make("12-11")
	covers := func(q map[string][]string) (out []string) {
		s, err := sift.Parse(planning.Columns(h.books(), 1), q, h.today())
		h.must(err)
		r, err := h.Reports.Of(ctx, lead, 1, reports.Asked{Span: reports.SpanOf(reports.Month, h.today()), Look: planning.Look{Desks: []ref.Desk{1}, Sieve: s}})
		h.must(err)
		for _, s := range r.Ahead[2].Slots {
			out = append(out, s.At.In(h.zone()).Format("2 Jan ")+string(s.Cover))
		}
		return out
	}
	same(t, "in a report", covers(nil), []string{"7 Dec hole", "9 Dec expected", "11 Dec sure"})
	same(t, "in a report of something", covers(map[string][]string{"number": {"90..99"}}), []string{"7 Dec hole", "9 Dec expected"})
}

// Who saves a regular that somebody else changed meanwhile is told, and nothing is lost; that pieces
// were made meanwhile is no change.
func TestWhoSavesARegularThatSomebodyChangedIsTold(t *testing.T) {
	h := newHouse(t)
	got, err := h.Regular.Save(ctx, lead, h.noteOf(weekly("2026-11-26", "2027-06-30")), room.Change{})
	h.must(err)
	read := func() store.Regular {
		r, err := store.RegularByID(ctx, h.DB.View(), got.ID)
		h.must(err)
		return r
	}
	seen, mine, theirs := room.Stamp(read()), read(), read()
	h.begins("2026-12-10") // more are made
	mine.Title, theirs.Title = "Mine {n}", "Theirs {n}"
	_, err = h.Regular.Save(ctx, lead, theirs, room.Change{Seen: seen})
	h.must(err)
	if _, err := h.Regular.Save(ctx, lead, mine, room.Change{Seen: seen}); !refused(err, relay.ErrChanged) || read().Title != "Theirs {n}" {
		t.Errorf("%v, it is %q", err, read().Title)
	}
}
