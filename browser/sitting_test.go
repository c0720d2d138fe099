package browser

import (
	"strings"
	"testing"
	"time"

	"greenbaton/core/relay"
)

// At a planning sitting three ideas are put into slots one after the other, one is taken
// out and put elsewhere, nothing is made until all of it is, and it is taken back as one.
func TestThePlanningSittingFillsThreeSlots(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	before := s.pieces()
	u.open("/ideas")
	u.press("Planning sitting")
	u.see("Take an idea, choose its format")
	put := func(title, format, slot string) {
		u.press(title)
		u.see("is in hand.")
		if got := u.eval(`() => document.querySelector("#sit-format").value`); got != format {
			u.choose("#sit-format", format)
			u.waits(`() => document.querySelectorAll(".sit-slot button").length > 0`, "it is not said how it would stand")
		}
		u.act(func() {
			u.eval(`(s) => [...document.querySelectorAll(".sit-slot")].find((x) => x.textContent.includes(s) && x.querySelector("button")).querySelector("button").click()`, slot)
		})
		u.seeIn(".is-placed", title)
	}
	put("What a peel is for", "1", "Mon 14 Dec")
	u.seeIn(".is-placed", "2 days in hand")
	u.see("1 idea is placed, nothing made yet.")
	put("Twelve words millers gave us", "3", "Tue 22 Dec")
	put("What flour costs now", "1", "Mon 21 Dec")
	u.see("3 ideas are placed")
	u.press("Undo the last step")
	u.see("2 ideas are placed")
	put("Why bread goes stale, and why it should", "1", "Mon 21 Dec")
	if s.pieces() != before {
		t.Fatal("something was made before it was confirmed")
	}
	u.press("Make all 3")
	u.see("3 pieces are made, and their first legs have begun.")
	if n := s.pieces(); n != before+3 {
		t.Fatalf("%d pieces were made", n-before)
	}
	var p relay.Piece
	s.must(s.Newsroom.DB.Get(ctx, &p, "SELECT id, title, goes_out, number FROM piece WHERE title = 'Why bread goes stale, and why it should'"))
	if at := p.GoesOut.In(s.zone()).Format("Mon 2 Jan 15:04"); at != "Mon 21 Dec 08:00" {
		t.Errorf("it goes out %s", at)
	}
	var state, phrase string
	s.must(s.Newsroom.DB.Get(ctx, &state, "SELECT state FROM idea WHERE title = 'Why bread goes stale, and why it should'"))
	s.must(s.Newsroom.DB.Get(ctx, &phrase, "SELECT says FROM brief WHERE piece_id = ?", p.ID))
	if state != "used" || !strings.Contains(phrase, "why does bread go stale") {
		t.Errorf("the idea is %s, the brief says %s", state, phrase)
	}
	u.keys('u')
	u.see("Taken back: made “What a peel is for”")
	if n := s.pieces(); n != before {
		t.Errorf("%d pieces are left", n-before)
	}
	s.must(s.Newsroom.DB.Get(ctx, &state, "SELECT state FROM idea WHERE title = 'Why bread goes stale, and why it should'"))
	if state != "waiting" {
		t.Errorf("the idea is %s", state)
	}
}

// What somebody else took meanwhile is said, and nothing is made.
func TestASlotThatIsTakenMeanwhileIsNotFilledTwice(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(adaeze, 1280)
	before := s.pieces()
	for _, x := range []*user{u, other} {
		x.open("/sitting")
		x.press(map[*user]string{u: "What a peel is for", other: "What flour costs now"}[x])
		x.choose("#sit-format", "1")
		x.waits(`() => document.querySelectorAll(".sit-slot button").length > 0`, "it is not said how it would stand")
		x.act(func() {
			x.eval(`() => [...document.querySelectorAll(".sit-slot")].find((x) => x.textContent.includes("Mon 14 Dec")).querySelector("button").click()`)
		})
		x.seeIn(".is-placed", "2 days in hand")
	}
	other.press("Make it")
	other.see("1 piece is made")
	u.press("Make it")
	u.see("Mon 14 Dec, 08:00 on Web is taken meanwhile.")
	if n := s.pieces(); n != before+1 {
		t.Errorf("%d pieces were made", n-before)
	}
	u.press("Start over")
	u.see("Take an idea")
}

// zone is the clock of Millrace.
func (s *site) zone() *time.Location {
	s.t.Helper()
	b, err := s.Newsroom.Setup(ctx)
	s.must(err)
	return b.Zones[1]
}
