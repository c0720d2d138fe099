package plan

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// crew makes six people of one desk, one of whom works three days a week and one
// of whom is away for a while.
func crew(h *Desk) []load.Person {
	var out []load.Person
	days := map[ref.Person]*day.Calendar{}
	for i, name := range []string{"Ada", "Ben", "Cleo", "Dov", "Eva", "Finn"} {
		p := load.Person{ID: ref.Person(i + 1), Name: name, Roles: []string{"r"}, Desks: []ref.Desk{1}, Days: h.Calendar}
		for d := range p.Minutes {
			p.Minutes[d] = 360
		}
		switch i {
		case 2:
			p.Days = h.Calendar.For(day.Weekdays{1: true, 3: true, 4: true}, nil)
		case 4:
			p.Days = h.Calendar.For(day.MondayToFriday, []day.Span{{From: date("2026-11-26"), To: date("2026-12-04")}})
		}
		days[p.ID] = p.Days
		out = append(out, p)
	}
	h.Holder = func(id ref.Person) *day.Calendar { return days[id] }
	return out
}

// randomBoard makes a board of pieces in all states with slots on every weekday.
func randomBoard(r *rand.Rand, pieces int) *Board {
	h := &Desk{Calendar: day.NewCalendar(day.MondayToFriday, []day.Date{date("2026-12-25")}), Zone: time.UTC, Margin: r.IntN(2), Quiet: 3}
	b := &Board{Now: day.Wall(date("2026-11-24"), 600, time.UTC), Desks: map[ref.Desk]*Desk{1: h}, People: crew(h)}
	b.Slots = func(ref.Channel) []day.Moment {
		var out []day.Moment
		for d := date("2026-11-24"); d < date("2027-06-01"); d++ {
			if h.Calendar.Working(d) {
				out = append(out, day.Wall(d, 720, time.UTC))
			}
		}
		return out
	}
	for i := range pieces {
		p := relay.Piece{ID: ref.Piece(i + 1), DeskID: 1, ChannelID: 1, Stage: relay.UnderWay, Version: 1, Legs: randomPiece(r, h)}
		for k := range p.Legs {
			l := &p.Legs[k]
			l.Role, l.Effort, l.Least, l.Beside = "r", 60*r.IntN(12), r.IntN(l.Allowance+1), r.IntN(2) == 0
			l.Holder = ref.Person(r.IntN(len(b.People) + 1))
		}
		p = relay.Start(p, nil, relay.Scene{Now: b.Now - 6*86400, Today: date("2026-11-18"), Calendar: h.Calendar}).Piece
		for range r.IntN(4) {
			if run := p.Running(); len(run) > 0 {
				m, err := relay.Pass(p, run[0].Key, nil, nil, "", relay.Scene{Now: b.Now - 86400, Today: date("2026-11-20") + day.Date(r.IntN(4)), Calendar: h.Calendar})
				if err != nil {
					panic(err)
				}
				p = m.Piece
			}
		}
		if r.IntN(8) > 0 {
			p.GoesOut = b.Slots(1)[1+r.IntN(30)]
		}
		p.Legs = h.Set(p.Legs, p.GoesOut.Date(time.UTC))
		b.Pieces = append(b.Pieces, &p)
	}
	return b
}

// LS, LF and float on random routes and calendars: a leg's float is the least of
// the floats of the legs that wait for it, unless it ends earlier than they start;
// the piece's is that of its worst final leg; and a leg begun at its latest start
// does not end after its latest finish.
func TestDaysInHandOfLegsAndPieceBelongTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 300 {
		b := randomBoard(r, 4)
		for _, p := range b.Pieces {
			h := b.Desk(p)
			pr := h.Forward(p, b.Today(1))
			hand := h.InHand(p, &pr)
			if p.GoesOut == 0 {
				if hand != nil {
					t.Fatal("days in hand without a day")
				}
				continue
			}
			fin := h.Backward(p.Legs, h.Ready(p.GoesOut.Date(time.UTC)))
			least := int(day.Never)
			for i := range p.Legs {
				l := &p.Legs[i]
				if p.Final(l.Key) {
					least = min(least, hand[i])
				}
				for k := range p.Legs {
					if p.Legs[k].WaitsFor(l.Key) && fin[i].Finish > fin[k].Start {
						t.Fatalf("%s may finish after %s has to start", l.Key, p.Legs[k].Key)
					}
				}
				if l.State != relay.Skipped && h.Calendar.Advance(fin[i].Start, l.Need(), h.Days(l.Holder)) > fin[i].Finish {
					t.Fatalf("%s begun at its latest start ends after its latest finish", l.Key)
				}
			}
			if least == int(day.Never) { // all of it is skipped
				continue
			}
			if pr.InHand != least {
				t.Fatalf("the piece has %d in hand, its worst final leg %d", pr.InHand, least)
			}
			chain := pr.Chain(p)
			for i := 1; i < len(chain); i++ {
				if !p.Legs[chain[i]].WaitsFor(p.Legs[chain[i-1]].Key) {
					t.Fatalf("the critical chain %v does not hang together", chain)
				}
			}
		}
	}
}

// A preview changes nothing, says the same when asked again, and its parts agree
// with what is worked out from the piece it gives.
func TestAPreviewAgreesWithWhatItGives(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 14))
	done := 0
	for range 400 {
		b := randomBoard(r, 6)
		before := fmt.Sprint(boardText(b))
		var changes []Change
		for range 1 + r.IntN(3) {
			changes = append(changes, randomChange(r, b))
		}
		c, err := b.Preview(changes)
		if boardText(b) != before {
			t.Fatal("the board was changed")
		}
		if err != nil {
			continue
		}
		done++
		again, err := b.Preview(changes)
		if err != nil || again.Seal() != c.Seal() {
			t.Fatalf("asked again it says something else: %v", err)
		}
		for _, e := range c.Effects {
			was, is := e.Was, &e.Move.Piece
			for _, d := range e.Dates {
				if was.Leg(d.Leg).Due != d.From || is.Leg(d.Leg).Due != d.To || d.From == d.To {
					t.Fatalf("%+v is not what changes", d)
				}
			}
			if is.GoesOut != 0 && !slices.ContainsFunc(changes, func(c Change) bool { return c.Do == DoAway }) {
				if got := b.Desk(was).Forward(is, b.Today(1)); got.InHand != e.After.InHand {
					t.Fatalf("%d in hand were promised, it is %d", e.After.InHand, got.InHand)
				}
			}
		}
		after := *b
		after.Pieces, after.Worked = slices.Clone(b.Pieces), nil
		away := slices.ContainsFunc(changes, func(c Change) bool { return c.Do == DoAway })
		for i := range after.Pieces {
			for _, e := range c.Effects {
				if e.Was.ID == after.Pieces[i].ID {
					after.Pieces[i] = &e.Move.Piece
				}
			}
		}
		if !away {
			full, then := b.Load(), after.Load()
			if want := load.Compare(full, then, b.People); !reflect.DeepEqual(want, c.People) {
				t.Fatalf("people: %v, want %v", c.People, want)
			}
		}
	}
	if done < 100 {
		t.Errorf("only %d previews could be done", done)
	}
}

func boardText(b *Board) string {
	out := ""
	for _, p := range b.Pieces {
		out += fmt.Sprintf("%+v\n", *p)
	}
	return out
}

func randomChange(r *rand.Rand, b *Board) Change {
	p := b.Pieces[r.IntN(len(b.Pieces))]
	leg := p.Legs[r.IntN(len(p.Legs))].Key
	d := date("2026-11-24") + day.Date(r.IntN(20))
	keep := r.IntN(3) == 0
	switch r.IntN(7) {
	case 0:
		return Change{Do: DoMove, Piece: p.ID, At: b.Slots(1)[1+r.IntN(40)], Keep: keep}
	case 1:
		return Change{Do: DoGive, Piece: p.ID, Leg: leg, Person: ref.Person(r.IntN(7)), Keep: keep}
	case 2:
		return Change{Do: DoAllow, Piece: p.ID, Leg: leg, Days: r.IntN(8), Keep: keep}
	case 3:
		return Change{Do: DoPin, Piece: p.ID, Leg: leg, Date: d, Keep: keep}
	case 4:
		return Change{Do: DoNotBefore, Piece: p.ID, Leg: leg, Date: d, Keep: keep}
	case 5:
		return Change{Do: DoOverlap, Piece: p.ID, Leg: leg, Keep: keep}
	}
	return Change{Do: DoAway, Person: ref.Person(1 + r.IntN(6)), Date: d, To: d + day.Date(r.IntN(9))}
}

func TestSwappingTwiceAndShiftingARowThereAndBackChangeNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(19, 20))
	for range 50 {
		b := randomBoard(r, 6)
		for i, p := range b.Pieces { // one piece a slot, none on the first
			p.GoesOut = b.Slots(1)[3+2*i]
			p.Legs = b.Desk(p).Set(p.Legs, p.GoesOut.Date(time.UTC))
		}
		start := boardText(b)
		for _, changes := range [][]Change{Swap(b.Pieces[0], b.Pieces[3]), b.Row(1, b.Pieces[2].GoesOut)} {
			c, err := b.Preview(changes)
			if err != nil || len(c.Clashes) > 0 {
				t.Fatal(err, c.Clashes)
			}
			after := b.with(map[ref.Piece]*Effect{})
			for i := range after.Pieces {
				for k := range c.Effects {
					if e := &c.Effects[k]; e.Was.ID == after.Pieces[i].ID {
						after.Pieces[i] = &e.Move.Piece
					}
				}
			}
			back := Swap(after.Pieces[0], after.Pieces[3])
			if len(changes) > 2 || changes[0].Piece == b.Pieces[2].ID {
				back = nil
				for _, e := range c.Effects {
					back = append(back, Change{Do: DoMove, Piece: e.Was.ID, At: e.Was.GoesOut})
				}
			}
			if c, err = after.Preview(back); err != nil {
				t.Fatal(err)
			}
			for _, e := range c.Effects {
				if was := b.Piece(e.Was.ID); e.Move.Piece.GoesOut != was.GoesOut || !reflect.DeepEqual(e.Move.Piece.Legs, was.Legs) {
					t.Fatalf("piece %d is not back where it was", was.ID)
				}
			}
			if boardText(b) != start {
				t.Fatal("the board was changed")
			}
		}
	}
}

func TestAClashNamesTheNextFreeSlot(t *testing.T) {
	b := randomBoard(rand.New(rand.NewPCG(21, 22)), 3)
	slots := b.Slots(1)
	b.Pieces[0].GoesOut, b.Pieces[1].GoesOut, b.Pieces[2].GoesOut = slots[5], slots[6], slots[9]
	c, err := b.Preview([]Change{{Do: DoMove, Piece: 3, At: slots[5]}})
	if err != nil || len(c.Clashes) != 1 || c.Clashes[0].Free != slots[7] || len(c.Clashes[0].With) != 1 || c.Clashes[0].With[0].ID != 1 {
		t.Errorf("%v %+v", err, c.Clashes)
	}
}

func TestDatesThatAreKeptSayWhatNoLongerFits(t *testing.T) {
	h := week(t)
	p := sevenLegs(h)
	p.ID, p.DeskID = 1, 1
	b := &Board{Now: day.Wall(date("2026-11-24"), 600, time.UTC), Desks: map[ref.Desk]*Desk{1: h}, Pieces: []*relay.Piece{&p}, Slots: func(ref.Channel) []day.Moment { return nil }}
	earlier := Change{Do: DoMove, Piece: 1, At: day.Wall(date("2026-12-16"), 480, time.UTC), Keep: true}
	c, err := b.Preview([]Change{earlier})
	if err != nil || len(c.Effects[0].Dates) != 0 || len(c.Effects[0].Misfits) == 0 {
		t.Fatalf("%v: dates %v, misfits %v", err, c.Effects[0].Dates, c.Effects[0].Misfits)
	}
	earlier.Keep = false
	if c, err = b.Preview([]Change{earlier}); err != nil || len(c.Effects[0].Dates) == 0 || len(c.Effects[0].Misfits) != 0 {
		t.Errorf("%v: dates %v, misfits %v", err, c.Effects[0].Dates, c.Effects[0].Misfits)
	}
}

func TestBadChangesAreRefusedWithASentenceAtTheirField(t *testing.T) {
	h := week(t)
	p := sevenLegs(h)
	p.ID, p.DeskID = 1, 1
	b := &Board{Now: day.Wall(date("2026-11-24"), 600, time.UTC), Desks: map[ref.Desk]*Desk{1: h}, Pieces: []*relay.Piece{&p}, People: crew(h), Slots: func(ref.Channel) []day.Moment { return nil }}
	k := "brief"
	saturday := date("2026-11-28")
	for _, x := range []struct {
		name, field string
		c           Change
	}{
		{"negative days", "days", Change{Do: DoAllow, Piece: 1, Leg: k, Days: -1}},
		{"absurd days", "days", Change{Do: DoAllow, Piece: 1, Leg: k, Days: 251}},
		{"a past day", "day", Change{Do: DoMove, Piece: 1, At: b.Now - 1}},
		{"a day thirty-one years away", "day", Change{Do: DoMove, Piece: 1, At: b.Now + 31*366*86400}},
		{"a due date that is past", "due", Change{Do: DoPin, Piece: 1, Leg: k, Date: date("2026-11-23")}},
		{"a due date on a day off", "due", Change{Do: DoPin, Piece: 1, Leg: k, Date: saturday}},
		{"a due date far away", "due", Change{Do: DoPin, Piece: 1, Leg: k, Date: date("2066-11-23")}},
		{"days off that end before they begin", "to", Change{Do: DoAway, Person: 1, Date: date("2026-12-03"), To: date("2026-12-01")}},
		{"days off without a beginning", "from", Change{Do: DoAway, Person: 1, To: date("2026-12-01")}},
		{"days off of nobody", "person", Change{Do: DoAway, Person: 99, Date: saturday, To: saturday}},
		{"days off that are past", "to", Change{Do: DoAway, Person: 1, Date: date("2026-10-01"), To: date("2026-10-02")}},
		{"days off for ever", "to", Change{Do: DoAway, Person: 1, Date: saturday, To: saturday + 4000}},
		{"no such leg", "", Change{Do: DoAllow, Piece: 1, Leg: "zz", Days: 1}},
		{"no such piece", "", Change{Do: DoMove, Piece: 77}},
		{"nothing known", "", Change{Do: "juggle", Piece: 1}},
	} {
		_, err := b.Preview([]Change{x.c})
		r, ok := err.(*relay.Refusal)
		if !ok || r.Field != x.field || len(r.Text) < 20 {
			t.Errorf("%s: %v", x.name, err)
		}
	}
}

// Somebody away for the whole span of a piece, and a day thirty years away, are
// planned and projected without looping day by day.
func TestExtremesArePlanned(t *testing.T) {
	h := week(t)
	never := h.Calendar.For(day.Weekdays{}, nil)
	h.Holder = func(id ref.Person) *day.Calendar {
		return map[ref.Person]*day.Calendar{3: never, 4: h.Calendar.For(day.MondayToFriday, []day.Span{{From: date("2026-11-01"), To: date("2027-02-01")}})}[id]
	}
	p := sevenLegs(h)
	p.ID, p.DeskID, p.Legs[1].Holder = 1, 1, 4
	if pr := h.Forward(&p, date("2026-11-24")); pr.Pace != Short || h.Calendar.Day(pr.End[1]) < date("2027-02-01") {
		t.Errorf("away all through: %s, ends %v", pr.Pace, h.Calendar.Day(pr.End[1]))
	}
	p.Legs[1].Holder = 3
	pr := h.Forward(&p, date("2026-11-24"))
	if pr.Pace != Short || pr.Lands != day.Never {
		t.Errorf("who never works: %s, lands %d", pr.Pace, pr.Lands)
	}
	if legs := h.Set(p.Legs, date("2026-12-18")); legs[0].Due != 0 {
		t.Errorf("the leg before somebody who never works is due %v", legs[0].Due)
	}
	p.Legs[1].Holder = 0
	p.GoesOut = day.Wall(date("2056-11-24"), 480, time.UTC)
	p.Legs = h.Set(p.Legs, date("2056-11-24"))
	if pr := h.Forward(&p, date("2026-11-24")); pr.Pace != InHand || pr.InHand < 7000 {
		t.Errorf("thirty years away: %s %d", pr.Pace, pr.InHand)
	}
}

func TestTheRunwayEndsAtTheFirstGap(t *testing.T) {
	b := randomBoard(rand.New(rand.NewPCG(25, 26)), 5)
	slots := b.Slots(1)
	for i, p := range b.Pieces {
		p.GoesOut = slots[[]int{0, 1, 3, 4, 5}[i]]
		for k := range p.Legs {
			p.Legs[k].State = relay.Passed
		}
	}
	b.Pieces[4].Legs[0].State = relay.Running
	r := b.Runway([]ref.Channel{1}, 8)
	if r.Finished != 2 || r.Running != 1 || r.Nothing != 3 || len(r.Slots) != 8 || r.Slots[2].Cover != ByNothing || r.Slots[5].Cover != ByRunning {
		t.Errorf("%+v", r)
	}
}

func TestALegKeptUntilADateBeginsThen(t *testing.T) {
	h := week(t)
	p := relay.Piece{ID: 1, DeskID: 1, Stage: relay.UnderWay, Legs: network("a 1, b 2 a")}
	running(&p.Legs[0], "2026-11-24", 0)
	p.Legs[1].NotBefore = date("2026-12-07")
	pr := h.Forward(&p, date("2026-11-24"))
	if got := h.Calendar.Day(pr.Start[1]); got != date("2026-12-07") {
		t.Errorf("it begins %v", got)
	}
	m, err := relay.Pass(p, "a", nil, nil, "", relay.Scene{Today: date("2026-11-24"), Calendar: h.Calendar})
	if err != nil || m.Piece.Legs[1].StartDay != date("2026-12-07") {
		t.Errorf("%v: passed, it counts from %v", err, m.Piece.Legs[1].StartDay)
	}
}

// A leg after release is planned from the day on which its piece goes out; where that has no
// day, as if it went out when it is ready.
func TestAnOpenLegAfterReleaseIsPlannedFromTheRelease(t *testing.T) {
	h := week(t)
	b := &Board{Now: day.Wall(date("2026-11-24"), 600, time.UTC), Desks: map[ref.Desk]*Desk{1: h}, People: crew(h)}
	for _, x := range []struct{ goesOut, from, due string }{{"", "2026-11-27", "2026-12-04"}, {"2026-12-09", "2026-12-09", "2026-12-16"}} {
		p := relay.Piece{ID: 1, DeskID: 1, Stage: relay.UnderWay, Legs: network("a 1, b 2 a"), After: []relay.Leg{{Key: "say", Position: 2, Allowance: 5, Effort: 60, State: relay.Waiting, Later: true}}}
		running(&p.Legs[0], "2026-11-24", 0)
		if x.goesOut != "" {
			p.GoesOut = day.Wall(date(x.goesOut), 480, time.UTC)
		}
		h.Dates(&p)
		if o := b.Opening(&p, 2, nil); o.From != date(x.from) || o.Due != date(x.due) {
			t.Errorf("goes out %q: planned %s to %s", x.goesOut, o.From, o.Due)
		}
	}
}

func BenchmarkReproject(b *testing.B) {
	for _, n := range []int{1_000, 10_000, 100_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			h := week(b)
			pieces := make([]relay.Piece, n)
			for i := range pieces {
				pieces[i] = sevenLegs(h)
			}
			today := date("2026-11-25")
			b.ReportAllocs()
			for b.Loop() {
				for i := range pieces {
					h.Forward(&pieces[i], today)
				}
			}
		})
	}
}

func BenchmarkPreviewAndWaysOutAmongTenThousand(b *testing.B) {
	board := randomBoard(rand.New(rand.NewPCG(27, 28)), 10_000)
	board.Worked = board.Load()
	var short ref.Piece
	for _, p := range board.Pieces {
		if board.Desk(p).Forward(p, board.Today(1)).Pace == Short {
			short = p.ID
		}
	}
	b.Run("Preview", func(b *testing.B) {
		for b.Loop() {
			if _, err := board.Preview([]Change{{Do: DoMove, Piece: short, At: board.Slots(1)[60]}}); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("Ways", func(b *testing.B) {
		for b.Loop() {
			board.Ways(short)
		}
	})
}

func FuzzPreview(f *testing.F) {
	f.Add(uint64(1), uint64(2))
	f.Fuzz(func(t *testing.T, seed, more uint64) {
		r := rand.New(rand.NewPCG(seed, more))
		b := randomBoard(r, 3)
		c, err := b.Preview([]Change{randomChange(r, b), randomChange(r, b)})
		if err != nil {
			if r, ok := err.(*relay.Refusal); !ok || r.Text == "" {
				t.Fatalf("refused without a sentence: %v", err)
			}
			return
		}
		for _, e := range c.Effects {
			p := &e.Move.Piece
			if (&relay.Piece{Legs: p.Legs}).Ready() != p.Ready() || len(p.Legs) != len(e.Was.Legs) {
				t.Fatal("legs are lost")
			}
			seen := map[string]bool{}
			for i := range p.Legs {
				for k := range p.Legs {
					if p.Legs[i].WaitsFor(p.Legs[k].Key) && !seen[p.Legs[k].Key] {
						t.Fatalf("%s stands before %s, which it waits for", p.Legs[i].Key, p.Legs[k].Key)
					}
				}
				seen[p.Legs[i].Key] = true
			}
		}
	})
}
