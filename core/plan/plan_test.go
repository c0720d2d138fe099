package plan

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

func date(s string) day.Date {
	x, err := day.ParseDate(s)
	if err != nil {
		panic(err)
	}
	return x
}

// network writes legs as "a 2, b 4 a, h 9 e+g": key, days, what it waits for.
func network(s string) []relay.Leg {
	var out []relay.Leg
	for i, x := range strings.Split(s, ", ") {
		f := strings.Fields(x)
		l := relay.Leg{Position: i, Key: f[0], Name: f[0], State: relay.Waiting}
		for _, c := range f[1] {
			l.Allowance = l.Allowance*10 + int(c-'0')
		}
		if len(f) > 2 {
			l.After = strings.ReplaceAll(f[2], "+", ",")
		}
		out = append(out, l)
	}
	return out
}

// The project network of the Reliable Construction Company in Hillier and
// Lieberman, Introduction to Operations Research: 14 activities, 44 weeks, and
// the published earliest starts, latest starts and slacks (from memory).
func TestThePlanAgreesWithATextbookNetwork(t *testing.T) {
	legs := network("a 2, b 4 a, c 10 b, d 6 c, e 4 c, f 5 e, g 7 d, h 9 e+g, i 7 c, j 8 f+i, k 4 j, l 5 j, m 2 h, n 6 k+l")
	early := map[string]int{"a": 0, "b": 2, "c": 6, "d": 16, "e": 16, "f": 20, "g": 22, "h": 29, "i": 16, "j": 25, "k": 33, "l": 33, "m": 38, "n": 38}
	slack := map[string]int{"d": 4, "g": 4, "h": 4, "m": 4, "i": 2, "k": 1}
	h := &Desk{Calendar: day.NewCalendar(everyDay, nil), Zone: time.UTC}
	today := date("2026-01-01")
	zero := h.Calendar.Start(today)
	fin := h.Backward(legs, zero+44)
	pr := h.Forward(&relay.Piece{Legs: legs, Stage: relay.UnderWay}, today)
	if got := pr.Lands - zero; got != 44 {
		t.Errorf("the project takes %d, want 44", got)
	}
	for i, l := range legs {
		if got := int(pr.Start[i] - zero); got != early[l.Key] {
			t.Errorf("%s starts at %d, want %d", l.Key, got, early[l.Key])
		}
		if got := int(fin[i].Start - pr.Start[i]); got != slack[l.Key] {
			t.Errorf("%s has slack %d, want %d", l.Key, got, slack[l.Key])
		}
	}
}

// The project network of Milwaukee Paper in Heizer and Render, Operations
// Management: eight activities, fifteen weeks, and the published early and late
// times and slacks (from memory).
func TestThePlanAgreesWithASecondTextbookNetwork(t *testing.T) {
	legs := network("a 2, b 3, c 2 a, d 4 a+b, e 4 c, f 3 c, g 5 d+e, h 2 f+g")
	h := &Desk{Calendar: day.NewCalendar(everyDay, nil), Zone: time.UTC}
	today := date("2026-01-01")
	zero := h.Calendar.Start(today)
	fin := h.Backward(legs, zero+15)
	p := relay.Piece{Legs: legs, Stage: relay.UnderWay, GoesOut: day.Wall(today+15, 0, time.UTC)}
	pr := h.Forward(&p, today)
	slack := h.InHand(&p, &pr)
	for i, want := range []struct{ es, ef, ls, lf, slack int }{
		{0, 2, 0, 2, 0}, {0, 3, 1, 4, 1}, {2, 4, 2, 4, 0}, {3, 7, 4, 8, 1}, {4, 8, 4, 8, 0}, {4, 7, 10, 13, 6}, {8, 13, 8, 13, 0}, {13, 15, 13, 15, 0},
	} {
		got := struct{ es, ef, ls, lf, slack int }{int(pr.Start[i] - zero), int(pr.End[i] - zero), int(fin[i].Start - zero), int(fin[i].Finish - zero), slack[i]}
		if got != want {
			t.Errorf("%s: %+v, the book has %+v", legs[i].Key, got, want)
		}
	}
	way := ""
	for _, i := range pr.Chain(&p) {
		way += legs[i].Key
	}
	if way != "aceg"+"h" {
		t.Errorf("the critical path is %s, the book has aceg h", way)
	}
}

func week(t testing.TB) *Desk {
	t.Helper()
	cal := day.NewCalendar(day.MondayToFriday, []day.Date{date("2026-12-25")})
	away := cal.For(day.MondayToFriday, []day.Span{{From: date("2026-12-01"), To: date("2026-12-03")}})
	return &Desk{Calendar: cal, Zone: time.UTC, Quiet: 3, Holder: func(id ref.Person) *day.Calendar {
		if id == 7 {
			return away
		}
		return nil
	}}
}

func dues(legs []relay.Leg) string {
	var out []string
	for _, l := range legs {
		out = append(out, l.Key+" "+l.Due.Format("2 Jan"))
	}
	return strings.Join(out, ", ")
}

func TestDueDatesFollowFromTheDay(t *testing.T) {
	h := week(t)
	base := "brief 1, draft 5 brief, edit 2 draft, pics 2 edit, copy 1 edit, out 0 pics+copy"
	for _, x := range []struct {
		name, legs, day, want string
		change                func([]relay.Leg)
		margin                int
	}{
		{"over a weekend", base, "2026-12-10", "brief 26 Nov, draft 3 Dec, edit 7 Dec, pics 9 Dec, copy 9 Dec, out 9 Dec", nil, 0},
		{"on a day off: ready by the end of the last working day", base, "2026-12-25", "brief 11 Dec, draft 18 Dec, edit 22 Dec, pics 24 Dec, copy 24 Dec, out 24 Dec", nil, 0},
		{"a holder's days off are not counted", base, "2026-12-04", "brief 17 Nov, draft 24 Nov, edit 26 Nov, pics 3 Dec, copy 3 Dec, out 3 Dec", func(l []relay.Leg) { l[3].Holder = 7 }, 0},
		{"a margin", base, "2026-12-10", "brief 24 Nov, draft 1 Dec, edit 3 Dec, pics 7 Dec, copy 7 Dec, out 7 Dec", nil, 2},
		{"a skipped leg takes nothing", base, "2026-12-10", "brief 1 Dec, draft 8 Dec, edit 8 Dec, pics 9 Dec, copy 9 Dec, out 9 Dec", func(l []relay.Leg) { l[2].State = relay.Skipped; l[3].Allowance = 1 }, 0},
		{"a pinned leg pulls those before it", base, "2026-12-10", "brief 24 Nov, draft 1 Dec, edit 3 Dec, pics 9 Dec, copy 9 Dec, out 9 Dec", func(l []relay.Leg) { l[2].Pin = date("2026-12-03") }, 0},
	} {
		legs := network(x.legs)
		if x.change != nil {
			x.change(legs)
		}
		h.Margin = x.margin
		if got := dues(h.Set(legs, date(x.day))); got != x.want {
			t.Errorf("%s:\n got %s\nwant %s", x.name, got, x.want)
		}
	}
	if got := h.Set(network(base), 0); got[0].Due != 0 {
		t.Error("a piece without a day has due dates")
	}
}

func running(l *relay.Leg, from string, holder ref.Person) {
	l.State, l.StartDay, l.Holder, l.Run = relay.Running, date(from), holder, 1
	l.TouchedAt = day.Wall(date(from), 600, time.UTC)
}

func TestPaceAndCause(t *testing.T) {
	for _, x := range []struct {
		name, today, goesOut string
		set                  func(*relay.Piece)
		pace                 Pace
		inHand               int
		why                  Why
	}{
		{"in hand", "2026-11-24", "2026-12-07", func(p *relay.Piece) { running(&p.Legs[0], "2026-11-24", 1) }, InHand, 1, ""},
		{"no room", "2026-11-24", "2026-12-04", func(p *relay.Piece) { running(&p.Legs[0], "2026-11-24", 1) }, NoRoom, 0, Overlong},
		{"short because late", "2026-11-26", "2026-12-04", func(p *relay.Piece) { running(&p.Legs[0], "2026-11-24", 1) }, Short, -2, Late},
		{"short because open", "2026-11-25", "2026-12-04", func(p *relay.Piece) { running(&p.Legs[0], "2026-11-24", 0) }, Short, -1, Open},
		{"short because away", "2026-11-30", "2026-12-04", func(p *relay.Piece) {
			p.Legs[0].State, p.Legs[0].StartDay, p.Legs[0].EndDay = relay.Passed, date("2026-11-24"), date("2026-11-24")
			running(&p.Legs[1], "2026-11-27", 7)
		}, Short, -5, Away},
		{"late, and away only after it should end", "2026-11-30", "2026-12-04", func(p *relay.Piece) { running(&p.Legs[0], "2026-11-24", 7) }, Short, -4, Late},
		{"ready", "2026-11-24", "2026-12-04", func(p *relay.Piece) {
			for i := range p.Legs {
				p.Legs[i].State, p.Legs[i].StartDay, p.Legs[i].EndDay = relay.Passed, date("2026-11-20"), date("2026-11-23")
			}
		}, Ready, 8, ""},
		{"no day", "2026-11-24", "", func(p *relay.Piece) { running(&p.Legs[0], "2026-11-24", 1) }, Unplaced, 0, ""},
		{"out", "2026-11-24", "2026-11-20", func(p *relay.Piece) { p.Stage = relay.Out }, Out, 0, ""},
	} {
		h := week(t)
		p := relay.Piece{Stage: relay.UnderWay, Legs: network("brief 1, draft 5 brief, edit 2 draft")}
		if x.goesOut != "" {
			p.GoesOut = day.Wall(date(x.goesOut), 480, time.UTC)
			p.Legs = h.Set(p.Legs, date(x.goesOut))
		}
		x.set(&p)
		pr := h.Forward(&p, date(x.today))
		if pr.Pace != x.pace || x.pace != Out && pr.InHand != x.inHand || pr.Cause.Why != x.why {
			t.Errorf("%s: %s %d because %q, want %s %d because %q", x.name, pr.Pace, pr.InHand, pr.Cause.Why, x.pace, x.inHand, x.why)
		}
	}
}

func TestQuietCountsWorkingDaysWithoutARecord(t *testing.T) {
	h := week(t)
	p := relay.Piece{Stage: relay.UnderWay, Legs: network("draft 9")}
	running(&p.Legs[0], "2026-11-18", 1)
	for today, want := range map[string]int{"2026-11-18": 0, "2026-11-20": 2, "2026-11-22": 3, "2026-11-24": 4} {
		pr := h.Forward(&p, date(today))
		if pr.Quiet != want || pr.IsQuiet != (want >= 3) {
			t.Errorf("%s: quiet for %d (%v), want %d", today, pr.Quiet, pr.IsQuiet, want)
		}
	}
}

func TestEarliestTakesTheFirstTimeWithNothingShort(t *testing.T) {
	h := week(t)
	lands := h.Calendar.End(date("2026-11-30"))
	at := func(s string) day.Moment { return day.Wall(date(s), 480, time.UTC) }
	times := []day.Moment{at("2026-11-30"), at("2026-12-01"), at("2026-12-02")}
	if got := h.Earliest(lands, times); got != times[1] {
		t.Errorf("%v", got.In(time.UTC))
	}
	if got := h.Earliest(day.Never, times); got != 0 {
		t.Error("a piece that never lands has a time")
	}
}

// randomPiece makes a piece with a random acyclic route on a random calendar.
func randomPiece(r *rand.Rand, h *Desk) []relay.Leg {
	legs := make([]relay.Leg, 1+r.IntN(8))
	for i := range legs {
		l := &legs[i]
		l.Position, l.Key, l.Allowance, l.State, l.Holder = i, string(rune('a'+i)), r.IntN(6), relay.Waiting, ref.Person(r.IntN(9))
		var after []string
		for k := range i {
			if r.IntN(3) == 0 {
				after = append(after, legs[k].Key)
			}
		}
		l.After = strings.Join(after, ",")
		if r.IntN(9) == 0 {
			l.State = relay.Skipped
		}
	}
	return legs
}

// The relations every project network has: a leg's latest start lies its need
// before its latest finish, which is the smallest latest start behind it; and
// projected forward from the earliest latest start nothing is short.
func TestNetworkRelationsHoldOnRandomRoutes(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	h := week(t)
	for range 2000 {
		legs := randomPiece(r, h)
		goesOut := date("2026-12-01") + day.Date(r.IntN(60))
		ready := h.Ready(goesOut)
		fin := h.Backward(legs, ready)
		first := ready
		for i, l := range legs {
			latest := ready
			for k := range legs {
				if legs[k].WaitsFor(l.Key) {
					latest = min(latest, fin[k].Start)
				}
			}
			if fin[i].Finish != latest {
				t.Fatalf("leg %s: LF %d, want %d", l.Key, fin[i].Finish, latest)
			}
			need := l.Need()
			if l.State == relay.Skipped {
				need = 0
			}
			if h.Calendar.Advance(fin[i].Start, need, h.Days(l.Holder)) > latest {
				t.Fatalf("leg %s begun at its latest start ends too late", l.Key)
			}
			first = min(first, fin[i].Start)
		}
		p := relay.Piece{Stage: relay.UnderWay, Legs: h.Set(legs, goesOut), GoesOut: day.Wall(goesOut, 480, time.UTC)}
		today := h.Calendar.Day(first)
		if pr := h.Forward(&p, today); pr.Pace == Short {
			t.Fatalf("begun in time and yet %d short", pr.InHand)
		} else if again := h.Forward(&p, today); again.InHand != pr.InHand {
			t.Fatal("the same input gives another output")
		}
	}
}

func sevenLegs(h *Desk) relay.Piece {
	p := relay.Piece{Stage: relay.UnderWay, Legs: network("brief 1, draft 5 brief, edit 2 draft, pics 2 edit, copy 2 edit, sign 1 pics+copy, out 1 sign")}
	p.Legs[3].Holder = 7
	p.GoesOut = day.Wall(date("2026-12-18"), 480, time.UTC)
	running(&p.Legs[0], "2026-11-24", 1)
	p.Legs = h.Set(p.Legs, date("2026-12-18"))
	return p
}

func BenchmarkPlanSevenLegs(b *testing.B) {
	h := week(b)
	p := sevenLegs(h)
	b.ReportAllocs()
	for b.Loop() {
		h.Set(p.Legs, date("2026-12-18"))
	}
}

func BenchmarkPlanAndProjectSevenLegs(b *testing.B) {
	h := week(b)
	p := sevenLegs(h)
	today, goesOut := date("2026-11-24"), date("2026-12-18")
	b.ReportAllocs()
	for b.Loop() {
		p.Legs = h.Set(p.Legs, goesOut)
		h.Forward(&p, today)
	}
}
