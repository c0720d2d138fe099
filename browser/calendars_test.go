package browser

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
)

// Somebody on a phone makes the address of a calendar, a program finds their leg at it, follows it
// when it moves and is given away, and is refused once the calendar is ended.
func TestACalendarIsSubscribedTo(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	id, err := s.Newsroom.Intake.Create(ctx, maren, planning.Draft{Title: "The lock keeper", Format: 1, Owner: maren, GoesOut: s.Newsroom.Now() + 20*86400, Legs: map[string]planning.DraftLeg{"draft": {Holder: petra, Days: 5}}})
	s.must(err)
	s.must(s.Newsroom.Planning.PassLeg(ctx, maren, planning.Pass{Piece: id, Leg: "brief", Why: "said"}))
	p := s.as(petra, 390)
	p.open("/calendars")
	p.see("No calendar program asks for your work yet.")
	p.fill("#name", "Work")
	p.press("Make an address to subscribe to")
	p.see("Copy this address now")
	address := p.eval(`() => document.querySelector("[data-calendar-address]").value`)
	at := strings.Index(address, "/calendar/")
	if at < 0 {
		t.Fatalf("the address is %q", address)
	}
	fetch := func() (int, string) {
		res, err := http.Get(s.url + address[at:])
		s.must(err)
		defer res.Body.Close()
		b, err := io.ReadAll(res.Body)
		s.must(err)
		return res.StatusCode, strings.ReplaceAll(string(b), "\r\n ", "")
	}
	if code, text := fetch(); code != http.StatusOK || !strings.Contains(text, "SUMMARY:Draft: The lock keeper") || !strings.Contains(text, "X-WR-CALNAME:Work") {
		t.Errorf("%d\n%s", code, text)
	}
	p.open("/calendars")
	p.see("last asked for")
	if seen := p.eval(`() => document.body.textContent.includes("Copy this address now") ? "again" : ""`); seen != "" {
		t.Error("the address is shown twice")
	}
	s.must(s.Newsroom.Planning.GiveLeg(ctx, maren, id, "draft", ref.Person(maren), 0))
	if _, text := fetch(); !strings.Contains(text, "STATUS:CANCELLED") {
		t.Errorf("it is given away, and\n%s", text)
	}
	p.press("End it")
	p.see("Its address opens nothing any more.")
	if code, text := fetch(); code != http.StatusForbidden || !strings.Contains(text, "opens nothing now") {
		t.Errorf("%d\n%s", code, text)
	}
}
