package browser

import (
	"slices"
	"testing"
)

// Saving one part of a page warns of what was typed in another, and leaving asks.
func TestWhatWasTypedInAnotherPartIsNotDroppedSilently(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/formats/1")
	u.focus("#to")
	u.eval(`() => document.querySelector("#to").select()`)
	u.must(u.page.InsertText("1500"))
	u.click("Save the checks")
	u.seeIn("#unsaved[open]", "This does not save everything")
	u.seeIn("#unsaved[open]", "“Name, channel and words”")
	u.click("Go back to it")
	u.waits(`() => document.activeElement.id === "to" && document.activeElement.value === "1500"`, "the hand is not where it was")
	u.click("Save the checks")
	u.seeIn("#unsaved[open]", "This does not save everything")
	u.press("Save only this")
	u.waits(`() => document.querySelector("#to").value !== "1500"`, "what was not saved is there")

	u.focus("#to")
	u.eval(`() => document.querySelector("#to").select()`)
	u.must(u.page.InsertText("1600"))
	u.act(func() { u.must(u.find("form[action='/formats/1'] button.btn").Click("left", 1)) })
	u.waits(`() => document.querySelector("#to").value === "1600"`, "its own part is not saved")
	u.press("^Today$")
	asked := func() bool {
		u.mu.Lock()
		defer u.mu.Unlock()
		return slices.Contains(u.asked, "beforeunload")
	}
	if asked() {
		t.Error("leaving asks although all is saved")
	}
	u.open("/formats/1")
	u.focus("#name")
	u.must(u.page.InsertText("x"))
	u.press("^Today$")
	if !asked() {
		t.Error("leaving does not ask")
	}
}
