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

// farApart is a house with a desk in Auckland and one in Los Angeles, at a moment, and three
// people: one of each, and one of both.
func farApart(t testing.TB, now day.Moment) *Board {
	b := &Board{Now: now, Desks: map[ref.Desk]*Desk{}}
	kiwi, west := ref.Desk(1), ref.Desk(2)
	week := map[ref.Person]day.Weekdays{1: day.MondayToFriday, 2: {1: true, 2: true, 4: true, 5: true, 6: true}, 3: day.MondayToFriday}
	away := map[ref.Person][]day.Span{3: {{From: date("2026-12-01"), To: date("2026-12-02")}}}
	for desk, at := range map[ref.Desk]string{kiwi: "Pacific/Auckland", west: "America/Los_Angeles"} {
		zone, err := time.LoadLocation(at)
		if err != nil {
			t.Fatal(err)
		}
		off := map[ref.Desk][]day.Date{kiwi: {date("2026-12-25"), date("2026-12-28")}, west: {date("2026-11-26"), date("2026-12-25")}}[desk]
		cal, holders := day.NewCalendar(day.MondayToFriday, off), map[ref.Person]*day.Calendar{}
		for p, w := range week {
			holders[p] = cal.For(w, away[p])
		}
		b.Desks[desk] = &Desk{Calendar: cal, Zone: zone, Holder: func(p ref.Person) *day.Calendar { return holders[p] }}
	}
	for id, desks := range map[ref.Person][]ref.Desk{1: {kiwi}, 2: {west}, 3: {kiwi, west}} {
		p := load.Person{ID: id, Roles: []string{"r"}, Desks: desks, Days: b.Desks[desks[0]].Holder(id)}
		for d := range p.Minutes {
			p.Minutes[d] = 360
		}
		if len(desks) > 1 {
			p.On = map[ref.Desk]*day.Calendar{kiwi: b.Desks[kiwi].Holder(id), west: b.Desks[west].Holder(id)}
		}
		b.People = append(b.People, p)
	}
	return b
}

// At 10:00 on Thursday in Auckland it is 13:00 on Wednesday in Los Angeles, and Thursday is
// Thanksgiving there. What is overdue there falls on Wednesday still; a holiday of one desk is
// none for what the other gives somebody of both.
func TestEachDeskHasItsOwnTodayAndItsOwnHolidays(t *testing.T) {
	auckland, err := time.LoadLocation("Pacific/Auckland")
	if err != nil {
		t.Fatal(err)
	}
	b := farApart(t, day.Wall(date("2026-11-26"), 600, auckland))
	if here, there := b.Today(1), b.Today(2); here != date("2026-11-26") || there != date("2026-11-25") || b.FirstDay() != there {
		t.Fatalf("today is %s and %s", here, there)
	}
	leg := func(desk ref.Desk, holder ref.Person, from, due string) *relay.Piece {
		l := relay.Leg{Key: "a", Role: "r", State: relay.Running, Holder: holder, Allowance: 1, Effort: 120, StartDay: date(from), Due: date(due)}
		return &relay.Piece{ID: ref.Piece(len(b.Pieces) + 1), DeskID: desk, Stage: relay.UnderWay, Legs: []relay.Leg{l}}
	}
	add := func(p *relay.Piece) { b.Pieces = append(b.Pieces, p) }
	add(leg(1, 3, "2026-11-20", "2026-11-24")) // overdue in Auckland: today there
	add(leg(2, 3, "2026-11-20", "2026-11-24")) // overdue in Los Angeles: today there
	add(leg(2, 3, "2026-11-26", "2026-11-27")) // not on Thanksgiving
	add(leg(1, 3, "2026-11-27", "2026-11-30"))
	s := b.Load()
	for d, want := range map[string]int{"2026-11-25": 120, "2026-11-26": 120, "2026-11-27": 180, "2026-11-30": 60} {
		if got := s.At(3, date(d)); got != want {
			t.Errorf("on %s there are %d minutes, want %d", d, got, want)
		}
	}
	if p := b.Person(3); p.Works(date("2026-11-26")) != 360 || p.Works(date("2026-12-25")) != 0 || b.Person(2).Works(date("2026-11-26")) != 0 {
		t.Error("who works for one desk on a holiday of the other works")
	}
	o := load.Open{Work: load.Work{Desk: 2, Minutes: 60, From: date("2026-11-26"), Due: date("2026-11-26"), Today: b.Today(2)}, Role: "r"}
	for _, c := range load.Suggest(o, b.People, s, b.Today(1)) {
		t.Errorf("%d is to work on a holiday of the desk", c.Person)
	}
}

// Day by day, each leg by the days and the today of its own desk.
func TestLoadsOfTwoDesksAgreeWithALookAtEachDay(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 5))
	apart := 0
	for range 20_000 {
		b := farApart(t, day.Wall(date("2026-11-16"), 0, time.UTC)+day.Moment(r.IntN(30*86_400)))
		if b.Today(1) != b.Today(2) {
			apart++
		}
		for id := range 4 {
			p := &relay.Piece{ID: ref.Piece(id + 1), DeskID: ref.Desk(1 + r.IntN(2)), Stage: relay.UnderWay}
			from := b.Today(p.DeskID) - 6 + day.Date(r.IntN(14))
			l := relay.Leg{Key: "a", State: relay.Running, Holder: []ref.Person{0, ref.Person(p.DeskID), 3}[r.IntN(3)], Allowance: 1 + r.IntN(4), Effort: r.IntN(700), StartDay: from, Due: from + day.Date(r.IntN(9)-2)}
			p.Legs = []relay.Leg{l}
			b.Pieces = append(b.Pieces, p)
		}
		want := map[ref.Person]map[day.Date]int{1: {}, 2: {}, 3: {}}
		for _, p := range b.Pieces {
			l := &p.Legs[0]
			if l.Holder == 0 {
				continue
			}
			h := b.Desks[p.DeskID]
			today := b.Now.Date(h.Zone)
			var days []day.Date
			for d := max(today, l.StartDay); d <= l.Due; d++ {
				if h.Holder(l.Holder).Working(d) {
					days = append(days, d)
				}
			}
			for d := max(today, min(l.StartDay, l.Due)); len(days) == 0; d++ {
				if h.Holder(l.Holder).Working(d) {
					days = append(days, d)
				}
			}
			for m := range l.Effort {
				want[l.Holder][days[m%len(days)]]++
			}
		}
		s := b.Load()
		for who, days := range want {
			sum := 0
			for d, m := range days {
				if sum += m; s.At(who, d) != m {
					t.Fatalf("%d has %d minutes on %s, day by day %d", who, s.At(who, d), d, m)
				}
			}
			if s.Total(who) != sum {
				t.Fatalf("%d has %d minutes in all, day by day %d", who, s.Total(who), sum)
			}
		}
	}
	if apart < 5_000 {
		t.Errorf("the days differed only %d times", apart)
	}
}
