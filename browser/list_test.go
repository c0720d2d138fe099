package browser

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/planning"
)

// The list is changed where it stands, by one and seen by another: a cell, a day with
// what it would do first, several rows at once; a refusal keeps what was typed.
func TestTheListIsChangedInPlace(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(adaeze, 1280)
	u.tall(1500)
	const path = "/pieces?pace=running&cols=title,owner,priority,tags,out,who,x1&sort=number"
	u.open(path)
	other.open(path)
	grit := s.titled("Millstone grit")
	cell := func(col string) string { return fmt.Sprintf(`tr[data-piece="%d"] [data-col=%s]`, grit, col) }
	edit := func(col string) {
		u.eval(`(s) => document.querySelector(s + " .cell-edit").click()`, cell(col))
		u.find(cell(col) + " form")
	}
	edit("title")
	u.fill(cell("title")+" input[name=value]", "")
	u.eval(`(s) => document.querySelector(s + " form button").click()`, cell("title"))
	u.seeIn("#what", "Give the piece a title")
	u.keys(input.Escape)
	u.fill(cell("title")+" input[name=value]", "Millstone grit, and why France")
	u.eval(`(s) => document.querySelector(s + " form button").click()`, cell("title"))
	u.seeIn(cell("title"), "Millstone grit, and why France")
	other.seeIn(cell("title"), "Millstone grit, and why France")

	// What somebody types is not drawn over by what others do; it comes once they are done.
	edit("title")
	u.fill(cell("title")+" input[name=value]", "half a tit")
	stone := s.titled("How a stone is dressed")
	wait := relay.CanWait
	s.must(s.Newsroom.Planning.EditPieces(ctx, maren, []planning.Edit{{Piece: stone, Priority: &wait}}))
	stones := fmt.Sprintf(`tr[data-piece="%d"] [data-col=priority]`, stone)
	other.seeIn(stones, "Can wait")
	if typed := u.eval(`(s) => document.querySelector(s + " input[name=value]")?.value ?? "gone"`, cell("title")); typed != "half a tit" {
		t.Errorf("what was typed is %q now", typed)
	}
	u.keys(input.Escape)
	u.seeIn(stones, "Can wait")

	edit("priority")
	u.choose(cell("priority")+" select", "2")
	u.eval(`(s) => document.querySelector(s + " form button").click()`, cell("priority"))
	other.seeIn(cell("priority"), "First")
	edit("x1")
	u.fill(cell("x1")+" textarea", "millstone")
	u.eval(`(s) => document.querySelector(s + " form button").click()`, cell("x1"))
	other.seeIn(cell("x1"), "millstone")

	edit("out")
	u.choose(cell("out")+" [name=date]", "2026-12-14")
	u.eval(`(s) => document.querySelector(s + " form button").click()`, cell("out"))
	u.seeIn("#what", "Do it, and let the dates follow")
	u.keys(input.Enter)
	other.seeIn(cell("out"), "Mon 14 Dec")
	if got := s.outOn(grit); got != "2026-12-14" {
		t.Errorf("it goes out %s", got)
	}

	tide := s.titled("The last tide mill on the Severn")
	for _, id := range []ref.Piece{grit, tide} {
		u.eval(`(s) => document.querySelector(s).click()`, fmt.Sprintf(`tr[data-piece="%d"] [data-tick]`, id))
	}
	u.seeIn("[data-count]", "2 ticked")
	u.choose("[data-what]", "addtag")
	u.find("[data-ticked-form] input[name=value]")
	u.fill("[data-ticked-form] input[name=value]", "winter")

	// What is chosen for those ticked, and typed, outlives what others do meanwhile.
	u.eval(`() => document.activeElement.blur()`)
	first := relay.First
	s.must(s.Newsroom.Planning.EditPieces(ctx, maren, []planning.Edit{{Piece: stone, Priority: &first}}))
	u.seeIn(stones, "First")
	if kept := u.eval(`() => document.querySelector("[data-what]").value + " " + document.querySelector("[data-ticked-form] input[name=value]")?.value`); kept != "addtag winter" {
		t.Errorf("after others' changes the form for those ticked is %q", kept)
	}
	u.eval(`() => document.querySelector("[data-ticked-form] button").click()`)
	other.seeIn(cell("tags"), "winter")
	for _, id := range []ref.Piece{grit, tide} {
		if row := s.stored(id); row.TagList()[len(row.TagList())-1] != "winter" {
			t.Errorf("%s has the tags %s", row.Title, row.Tags)
		}
	}
	u.keys(input.Escape)
	u.eval(`() => document.activeElement.blur()`)
	u.keys('u')
	other.waits(fmt.Sprintf(`() => !document.querySelector('%s').innerText.includes("winter")`, cell("tags")), "the tag stays")
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	u.isFit("the list with rows ticked", string(axe))
}

// What is found as one types, by key; and a view kept under a name, opened by its address.
func TestFindingAndKeepingAView(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/")
	u.keys('/')
	u.must(u.page.InsertText("tdie mlil"))
	u.seeIn(".found-box", "The last tide mill on the Severn")
	u.told("found")
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	for _, v := range u.axe(string(axe), true) {
		t.Error("what is found:", v)
	}
	u.act(func() { u.keys(input.ArrowDown, input.Enter) })
	u.see("Skelder Pill")

	u.open("/track?lanes=person&pace=short")
	u.unfold("^Views$")
	u.fill("#v-name", "Who is behind")
	u.eval(`() => document.querySelector("[name=whose][value=desk]").click()`)
	u.press("^Save$")
	u.see("“Who is behind” is saved")
	other := s.as(yusuf, 1280)
	other.open("/v/1")
	other.seeIn("h1", "Track")
	other.see("Pace: short")
	other.see("Who is behind")
	other.open("/lineup?hue=format")
	other.see("Format:") // the legend
	other.seeIn("[aria-label^='Colours by']", "Recipe")
}

// A view is filtered by several values of a field, or by what is not so, found among all
// fields by its name; what is said above it follows.
func TestAViewIsFiltered(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.tall(1500)
	u.open("/pieces?pace=running&cols=title,format,priority")
	u.keys('f')
	u.find("#facet-find")
	u.eval(`() => { document.querySelector("[data-facet=format]").open = true }`)
	for _, name := range []string{"Recipe", "Letter"} {
		u.eval(`(n) => [...document.querySelectorAll("[data-facet=format] .facet-ticks label")].find((l) => l.textContent === n).click()`, name)
	}
	u.seeIn("[data-facet=format] [data-says]", "Recipe or Letter")
	u.fill("#facet-find", "overd")
	u.waits(`() => [...document.querySelectorAll(".facet")].filter((f) => f.offsetParent).map((f) => f.dataset.facet).join() === "overdue"`, "the fields are not searched")
	u.fill("#facet-find", "no such field")
	u.seeIn("[data-no-facet]", "No field is called that")
	u.eval(`() => document.querySelector("[data-filter] .btn-main").click()`)
	u.seeIn("[aria-label='Only these are shown']", "Format: Recipe or Letter")
	formats := `() => [...new Set([...document.querySelectorAll("td[data-col=format]")].map((x) => x.textContent.trim()))].sort().join()`
	if got := u.eval(formats); got != "Letter,Recipe" {
		t.Errorf("the list shows %v", got)
	}

	u.eval(`() => document.querySelector("[data-key=filter]").click()`)
	u.find("[data-facet=format]")
	if got := u.eval(`() => document.querySelector("[data-facet=format] [data-says]").textContent`); got != "Recipe or Letter" {
		t.Errorf("the panel says %v", got)
	}
	u.eval(`() => { document.querySelector("[name='not.format'][data-not]").click(); document.querySelector("[data-filter] .btn-main").click() }`)
	u.seeIn("[aria-label='Only these are shown']", "Format: not Recipe or Letter")
	if got := u.eval(formats); got == "" || strings.Contains(got, "Recipe") || strings.Contains(got, "Letter") {
		t.Errorf("turned round the list shows %v", got)
	}

	// What is not understood is said, and what was typed is there still.
	u.eval(`() => document.querySelector("[data-key=filter]").click()`)
	u.find("[data-facet=due]")
	u.eval(`() => { const f = document.querySelector("[name='from.due']"); f.value = "soon"; f.form.querySelector(".btn-main").click() }`)
	u.seeIn("[role=alert]", "“soon” is none of these")
	u.eval(`() => document.querySelector("[data-key=filter]").click()`)
	u.find("[data-facet=due]")
	if got := u.eval(`() => document.querySelector("[name='from.due']").value`); got != "soon" {
		t.Errorf("what was typed is %v", got)
	}

	// The lineup says how many are short, and which slots are open, of what is looked at.
	u.open("/lineup")
	u.seeIn("[data-part=answer]", "open")
	u.open("/lineup?priority=!1")
	if got := u.eval(`() => document.querySelector("[data-part=answer]").textContent`); strings.Contains(got, "open") {
		t.Errorf("slots are no pieces of a priority: %s", got)
	}
}
