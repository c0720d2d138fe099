package plan

import (
	"math/rand/v2"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// A draft whose due date was set by hand was passed, and came back: it was then due on that
// past day, the piece four days short and no way out. It is due when its rework ends.
func TestADateSetByHandDoesNotOutliveSendingBack(t *testing.T) {
	h := week(t)
	p := relay.Piece{ID: 1, Stage: relay.UnderWay, GoesOut: day.Wall(date("2026-12-07"), 480, time.UTC), Legs: network("draft 4, edit 1 draft")}
	draft, edit := &p.Legs[0], &p.Legs[1]
	draft.State, draft.Pin, draft.StartDay, draft.EndDay = relay.Passed, date("2026-11-18"), date("2026-11-12"), date("2026-11-18")
	edit.State, edit.StartDay, edit.Pin = relay.Running, date("2026-11-19"), date("2026-11-20")
	p.Legs = h.Set(p.Legs, date("2026-12-07"))
	m, err := relay.SendBack(p, "edit", "draft", "again", 0, relay.Scene{Now: day.Wall(date("2026-11-24"), 600, time.UTC), Today: date("2026-11-24"), Calendar: h.Calendar})
	if err != nil {
		t.Fatal(err)
	}
	m.Piece.Legs = h.Set(m.Piece.Legs, date("2026-12-07"))
	if got := dues(m.Piece.Legs); got != "draft 26 Nov, edit 4 Dec" {
		t.Errorf("due are %s", got)
	}
	if pr := h.Forward(&m.Piece, date("2026-11-24")); pr.InHand < 0 {
		t.Errorf("it is short by %d", -pr.InHand)
	}
	if got := relay.Lifted(&p, &m.Piece); len(got) != 2 || got[0].Key != "draft" || got[1].Pin != date("2026-11-20") {
		t.Errorf("lifted are %v", got)
	}
}

// worked gives the day on which somebody has worked so many of the desk's days from one on,
// day by day.
func worked(h *Desk, from day.Date, need int, holder ref.Person) day.Date {
	for d := from; ; d++ {
		if !h.Calendar.Working(d) || h.Days(holder) != nil && !h.Days(holder).Working(d) {
			continue
		}
		if need--; need <= 0 {
			return d
		}
	}
}

// Whatever was set by hand, a leg that comes back is due when its rework ends, never in the
// past, and dates set by hand hold where nothing was reset.
func TestSendingBackLiftsWhatWasSetByHand(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 1))
	h := week(t)
	sent := 0
	for sent < 20_000 {
		today := date("2026-11-16") + day.Date(r.IntN(30))
		if !h.Calendar.Working(today) {
			continue
		}
		p := onItsWay(r, h, today)
		goesOut := p.GoesOut.Date(time.UTC)
		for i := range p.Legs {
			if r.IntN(2) == 0 {
				p.Legs[i].Pin = today - 10 + day.Date(r.IntN(30))
			}
		}
		from, to := p.Legs[r.IntN(len(p.Legs))].Key, p.Legs[r.IntN(len(p.Legs))].Key
		m, err := relay.SendBack(p, from, to, "why", r.IntN(4), relay.Scene{Now: day.Wall(today, 600, time.UTC), Today: today, Calendar: h.Calendar})
		if err != nil {
			continue
		}
		sent++
		m.Piece.Legs = h.Set(m.Piece.Legs, goesOut)
		behind := p.Behind(to)
		for i, l := range m.Piece.Legs {
			was := p.Legs[i]
			reset := l.Key == to || behind[l.Key] && (was.State == relay.Running || was.State == relay.Passed)
			switch {
			case reset && l.Pin != 0:
				t.Fatalf("%s is due by hand on %s after it was reset", l.Key, l.Pin)
			case !reset && l.Pin != was.Pin:
				t.Fatalf("%s was due by hand on %s, and is on %s", l.Key, was.Pin, l.Pin)
			}
		}
		l := m.Piece.Leg(to)
		if want := worked(h, l.StartDay, l.Need(), l.Holder); l.Due != want || l.Due < today {
			t.Fatalf("%s, %d days from %s on, is due %s, want %s", to, l.Need(), l.StartDay, l.Due, want)
		}
	}
}
