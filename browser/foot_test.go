package browser

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"greenbaton/core/relay"
	"greenbaton/newsroom/planning"
)

// What was done is said in one line, also where it is long and on the phone; it covers no
// field, stays away once closed until something else is done, and goes by itself.
func TestTheStripThatOffersToTakeBackGoesAway(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	id := s.titled("Millstone grit")
	long := strings.Repeat("A very long title of a piece about millstone grit and where it came from, ", 2) + "and why"
	s.must(s.Newsroom.Planning.EditPieces(ctx, maren, []planning.Edit{{Piece: id, Title: &long}}))
	high := relay.Priority(1)
	for _, width := range []int{1280, 390} {
		u := s.as(maren, width)
		high = 3 - high // another each time
		s.must(s.Newsroom.Planning.EditPieces(ctx, maren, []planning.Edit{{Piece: id, Priority: &high}}))
		const shown = `() => { const f = document.getElementById("foot"); return String(!f.hidden && getComputedStyle(f).visibility === "visible") }`
		u.open("/pieces")
		u.seeIn("#foot", "A very long title")
		if h, err := strconv.ParseFloat(u.eval(`() => String(document.getElementById("foot").getBoundingClientRect().height)`), 64); err != nil || h > 52 {
			t.Errorf("at %d it is %v high, %v", width, h, err)
		}
		if wide := u.eval(`() => String(document.getElementById("foot").getBoundingClientRect().right <= innerWidth)`); wide != "true" {
			t.Errorf("at %d it is cut off", width)
		}
		u.eval(`() => { const t = document.createElement("textarea"); t.id = "beneath"; Object.assign(t, { rows: 3 }); document.body.append(t); t.className = "foot"; t.scrollIntoView(); t.focus() }`)
		u.waits(`() => { const f = document.getElementById("foot").getBoundingClientRect(), t = document.getElementById("beneath").getBoundingClientRect(); return getComputedStyle(document.getElementById("foot")).visibility === "hidden" || f.bottom <= t.top || f.top >= t.bottom || f.left >= t.right || f.right <= t.left }`, fmt.Sprintf("at %d it covers a field", width))
		u.open("/pieces")
		u.must(u.find("#foot [data-close]").Click("left", 1))
		u.waits(`() => document.getElementById("foot").hidden`, "it is not closed")
		u.open("/")
		if u.eval(shown) == "true" {
			t.Errorf("at %d it is there again on the next page", width)
		}
		high = 3 - high
		s.must(s.Newsroom.Planning.EditPieces(ctx, maren, []planning.Edit{{Piece: id, Priority: &high}}))
		u.open("/")
		u.seeIn("#foot", "A very long title")
		u.waits(`() => document.getElementById("foot").hidden`, "it does not go by itself")
	}
}
