package browser

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// legs reads the names of the legs in the editor, in order.
func (u *user) legs() string {
	u.t.Helper()
	return u.eval(`() => [...document.querySelectorAll("[data-leg] input[name^=name-]")].map(i => i.value).join(", ")`)
}

// waitLegs waits until the editor shows the legs in an order.
func (u *user) waitLegs(want string) {
	u.t.Helper()
	if !eventually(func() bool { return u.legs() == want }) {
		u.t.Fatalf("the legs are %s, want %s", u.legs(), want)
	}
}

func (s *site) way(format ref.Format) route.Route {
	s.t.Helper()
	b, err := s.Newsroom.Setup(ctx)
	s.must(err)
	return b.Latest(format).Way
}

// A format is made and its route built by hand: legs added, named, moved with the
// mouse and by keyboard, set side by side; a circle is refused at the spot.
func TestBuildingARouteByHand(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/formats/new")
	u.fill("#name", "Obituary")
	u.choose("#channel", "1")
	u.press("Make it, then give it its legs")
	u.see("The format is made. Give it its legs.")
	u.waitLegs("Draft")
	for _, name := range []string{"Edit", "Portrait", "Release"} {
		u.unfold("Add a leg at the end")
		u.seeIn("[data-route-answer]", "New leg")
		u.eval(`(n) => { const i = [...document.querySelectorAll("[data-leg] input[name^=name-]")].at(-1); i.value = n; i.dispatchEvent(new Event("change", { bubbles: true })) }`, name)
		u.seeIn("[data-route-answer]", name)
	}
	u.waitLegs("Draft, Edit, Portrait, Release")
	u.seeIn("[data-route-answer]", "6 working days by the longest way, Draft → Edit → Portrait → Release")

	// Portrait is dragged before Edit, then put back by keyboard.
	grip := `[data-leg]:nth-child(3) [data-grip]`
	rise := u.eval(`() => { const r = [...document.querySelectorAll("[data-leg]")].map(e => e.getBoundingClientRect().top); return String(r[1] - r[2] - 12) }`)
	var dy float64
	fmt.Sscan(rise, &dy)
	u.drag(grip, 0, dy, func() {})
	u.waitLegs("Draft, Portrait, Edit, Release")
	u.must(u.find(`[aria-label="Name of leg 2"]`).Focus())
	u.must(u.page.Keyboard.Press(input.AltLeft))
	u.must(u.page.Keyboard.Type(input.ArrowDown))
	u.must(u.page.Keyboard.Release(input.AltLeft))
	u.waitLegs("Draft, Edit, Portrait, Release")

	// Side by side with Edit: the longest way is a day shorter.
	u.eval(`() => [...document.querySelectorAll("[data-leg] summary")].find(x => x.innerText.startsWith("Portrait waits for")).click()`)
	u.unfold("Side by side with the leg above")
	u.seeIn("[data-route-answer]", "5 working days by the longest way, Draft → Edit → Release")

	// A circle is refused where it is made.
	u.eval(`() => { const b = [...document.querySelectorAll("[data-leg]")][0]; const c = [...b.querySelectorAll("input[type=checkbox][name^=after-]")].at(-1); c.checked = true; c.dispatchEvent(new Event("change", { bubbles: true })) }`)
	u.seeIn("#route-problem", "it waits, in a circle, for itself")
	if !strings.Contains(u.eval(`() => document.querySelector("[data-leg]").className`), "faulty") {
		t.Error("the leg is not marked")
	}
	u.see("It cannot be drawn like this")
	u.eval(`() => { const c = document.querySelector("[data-leg] input[name^=after-]:checked"); c.checked = false; c.dispatchEvent(new Event("change", { bubbles: true })) }`)
	u.seeIn("[data-route-answer]", "5 working days")
	u.eval(`() => { const i = document.querySelector("[aria-label='Working days for Draft']"); i.value = "-2"; i.dispatchEvent(new Event("change", { bubbles: true })) }`)
	u.seeIn("#route-problem", "the allowance lies between 0 and 250")
	u.eval(`() => { const i = document.querySelector("[aria-label='Working days for Draft']"); i.value = "4"; i.dispatchEvent(new Event("change", { bubbles: true })) }`)
	u.seeIn("[data-route-answer]", "6 working days")
	u.press("Save as a new version")
	u.see("saved as version 2")
	way := s.way(6)
	edit, portrait, release := way.Legs[1], way.Legs[2], way.Legs[3]
	if way.Longest() != 6 || !slices.Equal(edit.After, portrait.After) || len(release.After) != 2 {
		t.Errorf("stored is %+v", way)
	}
	u.open("/pieces/new?format=6")
	u.see("Portrait")
}

// A route is changed under running pieces: they stay on theirs, and are moved over
// with what would change shown, done legs kept.
func TestChangingARouteUnderRunningPieces(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	tide := s.titled("The last tide mill on the Severn")
	u.open("/formats/1")
	u.eval(`() => document.querySelector('[aria-label="Add a leg behind Edit"]').click()`)
	u.seeIn("[data-route-answer]", "New leg")
	u.eval(`() => { const i = [...document.querySelectorAll("[data-leg] input[name^=name-]")][3]; i.value = "Fact check"; i.dispatchEvent(new Event("change", { bubbles: true })) }`)
	u.seeIn("[data-route-answer]", "Fact check")
	u.press("Save as a new version")
	u.see("Running pieces of Feature")
	u.see("will also run Fact check")
	u.see("is past Fact check")
	before := s.stored(tide)
	if before.Leg("newleg") != nil {
		t.Error("a running piece was moved by itself")
	}
	u.eval(`(id) => { for (const c of document.querySelectorAll("input[name=piece]")) c.checked = c.value.startsWith(id + ".") }`, fmt.Sprint(tide))
	shown := u.eval(`(id) => document.querySelector('input[name=piece][value^="' + id + '."]').closest("tr").children[5].querySelector(".tag").innerText`, fmt.Sprint(tide))
	u.press("Move the ticked ones over")
	u.see("1 piece is now on the newest version of the route.")
	after := s.stored(tide)
	if l := after.Leg("newleg"); l == nil || l.State != relay.Waiting || l.Name != "Fact check" {
		t.Fatalf("the new leg is %+v", l)
	}
	if after.Leg("draft").State != relay.Passed || after.Leg("edit").Holder != before.Leg("edit").Holder || after.Leg("edit").State != relay.Running {
		t.Error("what was done or runs is not kept")
	}
	u.open(fmt.Sprintf("/pieces/%d", tide))
	u.see(shown)
	u.see("Fact check")
	var left int
	s.must(s.Newsroom.DB.Get(ctx, &left, "SELECT COUNT(*) FROM piece WHERE stage = 'running' AND format_id = 1 AND route_id <> ?", after.RouteID))
	if left == 0 {
		t.Error("all pieces were moved, one was ticked")
	}
	u.open("/formats/1/pieces")
	u.see("would end up short by it, or shorter")
	u.eval(`() => { for (const c of document.querySelectorAll("input[name=piece]")) c.checked = true }`)
	u.press("Move the ticked ones over")
	u.see("on version 3, the newest.")
	s.must(s.Newsroom.DB.Get(ctx, &left, "SELECT COUNT(*) FROM piece WHERE stage = 'running' AND format_id = 1 AND route_id <> ?", after.RouteID))
	if left != 0 {
		t.Errorf("%d pieces are left", left)
	}
}
