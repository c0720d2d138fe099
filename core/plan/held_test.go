package plan

import (
	"math/rand/v2"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// A draft of five days was handed to somebody a fortnight ago. Given to somebody else it was
// taken for done on the same day, with thirty hours in it; they have their five days.
func TestALegCountsFromWhenItCameToWhoeverHasIt(t *testing.T) {
	h := week(t)
	p := relay.Piece{ID: 1, Stage: relay.UnderWay, GoesOut: day.Wall(date("2026-12-18"), 480, time.UTC), Legs: network("draft 5, edit 1 draft")}
	running(&p.Legs[0], "2026-11-10", 3)
	today := date("2026-11-24")
	lands := func(p relay.Piece) string {
		_, due := h.Window(0, h.Forward(&p, today).End[0])
		return due.Format("Mon 2 Jan")
	}
	if got := lands(p); got != "Tue 24 Nov" {
		t.Errorf("whoever has had it for a fortnight is to end it %s", got)
	}
	s := relay.Scene{Now: day.Wall(today, 600, time.UTC), Today: today, Calendar: h.Calendar}
	m, err := relay.Give(p, "draft", 4, s)
	if err != nil {
		t.Fatal(err)
	}
	if got := lands(m.Piece); got != "Mon 30 Nov" {
		t.Errorf("given today it ends %s", got)
	}
	if got := m.Piece.Legs[0].Since(time.UTC); got != today {
		t.Errorf("they have had it since %s", got)
	}
	open, err := relay.Give(p, "draft", 0, s)
	if err != nil {
		t.Fatal(err)
	}
	if got := lands(open.Piece); got != "Mon 30 Nov" {
		t.Errorf("open it ends %s", got)
	}
	today += 3 // and nobody took it
	if got := lands(open.Piece); got != "Thu 3 Dec" {
		t.Errorf("three days later it ends %s", got)
	}
	passed, err := relay.Pass(m.Piece, "draft", nil, nil, "", relay.Scene{Now: day.Wall(today, 600, time.UTC), Today: today, Calendar: h.Calendar})
	if err != nil {
		t.Fatal(err)
	}
	if r := passed.Runs[0]; r.StartDay != date("2026-11-24") || r.Holder != 4 {
		t.Errorf("on record is %+v", r)
	}
	back, err := relay.SendBack(passed.Piece, "edit", "draft", "why", 0, relay.Scene{Now: day.Wall(today, 600, time.UTC), Today: today, Calendar: h.Calendar})
	if err != nil {
		t.Fatal(err)
	}
	if got := back.Piece.Legs[0].From(); got != date("2026-11-30") {
		t.Errorf("sent back it counts from %s", got)
	}
}

// Looked at day by day: whoever has a leg works its days from the first on which they can,
// on days on which desk and they work; open it begins anew each day. It never ends in the past.
func TestRunningLegsAgreeWithALookAtEachDay(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 3))
	h := week(t)
	given := 0
	for given < 20_000 {
		today := date("2026-11-16") + day.Date(r.IntN(30))
		p := onItsWay(r, h, today)
		came := map[string]day.Date{}
		for range r.IntN(4) {
			l := &p.Legs[r.IntN(len(p.Legs))]
			on := today - day.Date(r.IntN(6))
			if m, err := relay.Give(p, l.Key, ref.Person(r.IntN(9)), relay.Scene{Now: day.Wall(on, 600, time.UTC), Today: on, Calendar: h.Calendar}); err == nil {
				if l.State == relay.Running {
					came[l.Key] = on
					given++
				}
				p = m.Piece
			}
		}
		pr := h.Forward(&p, today)
		for i := range p.Legs {
			l := &p.Legs[i]
			if l.State != relay.Running {
				continue
			}
			from := max(l.StartDay, came[l.Key])
			if l.Holder == 0 {
				from = max(l.StartDay, today)
			}
			ends := today
			if l.Need() > 0 {
				ends = max(today, worked(h, from, l.Need(), l.Holder))
			}
			if pr.End[i] != h.Calendar.End(ends) {
				t.Fatalf("today %s: %s of %d days with %d since %s ends at %d, day by day %s, %d", today, l.Key, l.Need(), l.Holder, from, pr.End[i], ends, h.Calendar.End(ends))
			}
		}
	}
}

// minutes gives what everybody has on each day, dealt out over the days they work, found by
// looking at each.
func minutes(b *Board) map[ref.Person]map[day.Date]int {
	out := map[ref.Person]map[day.Date]int{}
	for _, p := range b.People {
		out[p.ID] = map[day.Date]int{}
	}
	today := b.Today(1)
	for _, w := range b.Works(nil) {
		p := b.Person(w.Person)
		if p == nil {
			continue
		}
		var days []day.Date
		for d := max(today, w.From); d <= w.Due; d++ {
			if p.Works(d) > 0 {
				days = append(days, d)
			}
		}
		for d := max(today, w.From); len(days) == 0 && d < today+200; d++ { // the next day on which they work
			if p.Works(d) > 0 {
				days = append(days, d)
			}
		}
		for i, d := range days { // dealt out in turn, the first days first
			if m := (w.Minutes + len(days) - 1 - i) / len(days); m > 0 {
				out[w.Person][d] += m
			}
		}
	}
	return out
}

// No way out that is offered as complete puts more into a day of somebody than they work,
// or more still where it is over already.
func TestACompleteWayOutFitsIntoTheDaysOfEverybody(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 33))
	complete, over := 0, 0
	for range 2_500 {
		b := randomBoard(r, 8)
		for _, p := range b.Pieces {
			if r.IntN(3) == 0 {
				for i := range p.Legs {
					p.Legs[i].Effort *= 4
				}
			}
		}
		before := minutes(b)
		for _, p := range b.Pieces {
			for _, w := range b.Ways(p.ID) {
				after := b
				moved := map[ref.Piece]*Effect{}
				for i := range w.Result.Effects {
					moved[w.Result.Effects[i].Was.ID] = &w.Result.Effects[i]
				}
				after = after.with(moved)
				most := 0
				var at load.Shift
				for who, days := range minutes(after) {
					for d, m := range days {
						if works := b.Person(who).Works(d); d <= b.Today(1)+LoadDays && m > before[who][d] && m-works > most {
							most, at = m-works, load.Shift{Person: who, Date: d, Before: before[who][d], After: m, Works: works}
						}
					}
				}
				if w.Over != (most >= FewMinutes) {
					t.Fatalf("%s is over: %v; day by day %+v", w.Kind, w.Over, at)
				}
				if w.Complete {
					complete++
					if w.Over || !w.Whole {
						t.Fatalf("%s is complete: %+v", w.Kind, w)
					}
				} else if w.Whole {
					over++
				}
			}
		}
	}
	if complete < 1000 || over < 100 {
		t.Errorf("only %d complete ways and %d that put too much on a day", complete, over)
	}
}

// Looked at day by day: who is off on the day a leg is due keeps it by the last day before on
// which they work, if there is one since it came to them. The plan stays as it is.
func TestWhoIsOffOnTheDueDayHasTheLastDayBefore(t *testing.T) {
	h := week(t)
	l := relay.Leg{State: relay.Running, StartDay: date("2026-11-20"), Holder: 7, Due: date("2026-12-02")}
	if got := h.Keeps(&l); got != date("2026-11-30") { // away from Tuesday to Thursday
		t.Errorf("they keep it by %s", got)
	}
	l.HeldDay = date("2026-12-01")
	if got := h.Keeps(&l); got != l.Due {
		t.Errorf("given after that day, by %s", got)
	}
	r := rand.New(rand.NewPCG(17, 90))
	off := 0
	for range 20_000 {
		from := date("2026-11-16") + day.Date(r.IntN(30))
		l := relay.Leg{State: []relay.State{relay.Running, relay.Waiting, relay.Passed}[r.IntN(3)], StartDay: from, Holder: []ref.Person{0, 3, 7}[r.IntN(3)]}
		if r.IntN(8) > 0 {
			l.Due = from + day.Date(r.IntN(12))
		}
		want := l.Due
		if days := h.Days(l.Holder); days != nil && l.Due != 0 && l.State != relay.Passed && !days.Working(l.Due) {
			off++
			for d := l.Due; ; d-- {
				if l.State == relay.Running && d < from {
					break
				}
				if days.Working(d) {
					want = d
					break
				}
			}
		}
		if got := h.Keeps(&l); got != want {
			t.Fatalf("%+v is kept by %s, day by day %s", l, got, want)
		}
	}
	if off < 500 {
		t.Errorf("they were off only %d times", off)
	}
}

// A leg that was given on is opened when its piece is sent to a desk of which whoever has it is
// none: nobody has it since it was given, and it counts from today.
func TestALegThatNobodyHasAnyMoreForgetsWhenItWasGiven(t *testing.T) {
	h := week(t)
	p := relay.Piece{ID: 1, DeskID: 1, Stage: relay.UnderWay, Legs: network("draft 2")}
	running(&p.Legs[0], "2026-11-10", 3)
	p.Legs[0].StartedAt = day.Wall(date("2026-11-10"), 600, time.UTC)
	today := date("2026-11-24")
	m, err := relay.Give(p, "draft", 4, relay.Scene{Now: day.Wall(today, 600, time.UTC), Today: today, Calendar: h.Calendar})
	if err != nil {
		t.Fatal(err)
	}
	l := m.Piece.Legs[0]
	l.Holder = 0 // as sending on leaves it
	if got := l.Since(time.UTC); got != date("2026-11-10") {
		t.Errorf("it has waited since %s", got)
	}
	if got := l.From(); got != date("2026-11-10") {
		t.Errorf("it counts from %s", got)
	}
}
