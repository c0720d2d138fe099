package browser

import (
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// A lead tries a move and somebody else for a leg together, sees what follows of both, and
// nobody else sees anything; then all of it is done as one act and taken back as one. What a
// hand lets fall in a sketch is taken out of it again by the key that takes back.
func TestASketchIsTriedOnLineupAndLoadAndDoneAsOne(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(adaeze, 1280)
	u.open("/lineup")
	other.open("/lineup")
	spelt := s.titled("Spelt, a second look")
	u.press("Sketch") // its keys are there once the page is
	u.seeIn(".sketch-bar", "Nothing is in it yet.")
	carry := func() {
		u.eval(`(s) => document.querySelector(s + " a.title").focus()`, card(spelt))
		u.keys('m', input.ArrowDown, input.ArrowDown, input.ArrowLeft, input.ArrowLeft, input.ArrowLeft, input.ArrowLeft)
		u.told("Monday 14 December. Goes out Mon 14 Dec")
		u.keys(input.Enter)
		u.seeIn(".foot", "In the sketch: goes out Mon 14 Dec")
		u.shownOn(spelt, "2026-12-14")
	}
	carry()
	u.seeIn(cell("2026-12-04"), "to Mon 14 Dec, 08:00")
	u.seeIn(card(spelt), "is on Fri 4 Dec, 08:00")
	u.keys('u') // takes it out again, and nothing that was done before
	u.shownOn(spelt, "2026-12-04")
	u.seeIn(".sketch-bar", "Nothing is in it yet.")
	carry()
	other.shownOn(spelt, "2026-12-04")
	if got := s.outOn(spelt); got != "2026-12-04" {
		t.Fatalf("it goes out %s though it is only tried", got)
	}
	// On the load the same sketch is looked at, and somebody else tried for a leg.
	u.act(func() { u.clickIn(".sketch-bar", "Load") })
	u.seeIn(".sketch-bar", "piece")
	leg := `.open-leg[data-take]`
	u.find(leg)
	name := u.eval(`(s) => document.querySelector(s).dataset.name`, leg)
	u.clickIn(leg, "Give it to")
	u.seeIn("#what", "Put it into the sketch")
	if strings.Contains(u.eval(`() => document.getElementById("what").innerText`), "Try it in a sketch") {
		t.Error("in a sketch it is offered to try it in a sketch")
	}
	u.clickIn("#what", "Put it into the sketch")
	u.seeIn(".foot", "In the sketch: gives")
	u.act(func() { u.clickIn(".sketch-bar", "See what follows, and do it") })
	u.see("The lineup, before and after")
	u.seeIn(".sketch-days", "Spelt, a second look")
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	u.isFit("a sketch", string(axe))
	u.fill("#sketch-name", "Later in December")
	u.click("Keep")
	u.see("Later in December")
	u.click("Do it all")
	u.see("Done: ")
	u.shownOn(spelt, "2026-12-14")
	other.shownOn(spelt, "2026-12-14")
	u.open("/load")
	u.waits(`() => ![...document.querySelectorAll(".open-leg")].some((e) => e.dataset.name === `+strconv.Quote(name)+`)`, "the leg is open still")
	u.keys('u')
	u.waits(`() => [...document.querySelectorAll(".open-leg")].some((e) => e.dataset.name === `+strconv.Quote(name)+`)`, "the leg was not taken back with the rest")
	other.shownOn(spelt, "2026-12-04")
}

// A way out is tried in a sketch first, and what changes meanwhile is said.
func TestAWayOutIsTriedInASketch(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(maren, 1280)
	spelt := s.titled("Spelt, a second look")
	u.open("/pieces/" + strconv.FormatInt(int64(spelt), 10) + "/ways")
	u.clickIn(".way", "Try it in a sketch")
	u.see("What is in it")
	at := u.eval(`() => location.pathname`)
	other.open("/pieces/" + strconv.FormatInt(int64(spelt), 10) + "/do")
	other.click("Take its day away…")
	other.click("Do it")
	other.see("Done: takes its day away")
	u.open(at)
	u.see("Since you last looked")
	u.click("I have seen it")
	u.waits(`() => !document.body.innerText.includes("Since you last looked")`, "it is said still")
	u.click("Throw it away")
	u.see("nothing of it was done")
}

// clickIn presses what says something within a part of the page.
func (u *user) clickIn(within, text string) {
	u.t.Helper()
	const find = `(s, t) => [...document.querySelectorAll(s + " button, " + s + " a")].find((e) => e.innerText.includes(t))`
	u.seeIn(within, text)
	u.eval(`(s, t) => (`+find+`)(s, t).click()`, within, text)
}
