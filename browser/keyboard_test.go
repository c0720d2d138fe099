package browser

import (
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// tabTo presses Tab until something that says or is named text has the focus.
func (u *user) tabTo(text string) {
	u.t.Helper()
	for range 120 {
		u.keys(input.Tab)
		at := u.eval(`() => { const e = document.activeElement; return (e.getAttribute("aria-label") || "") + " " + (e.labels?.[0]?.innerText || "") + " " + (e.innerText ?? e.textContent).slice(0, 200) }`)
		if strings.Contains(at, text) {
			return
		}
	}
	u.t.Fatalf("the keyboard does not reach %q", text)
}

func (u *user) typed(text string) {
	u.t.Helper()
	for _, r := range text {
		u.must(u.page.Keyboard.Type(input.Key(r)))
	}
}

// enter presses Enter where it leads to another page.
func (u *user) enter() {
	u.t.Helper()
	u.act(func() { u.keys(input.Enter) })
}

// The lap of a letter, by two people who never touch a mouse.
func TestTheLapWithTheKeyboardAlone(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	lead, writer := s.visitor(1280), s.visitor(1280)
	for u, name := range map[*user]string{lead: "Maren Holt", writer: "Adaeze Brandt"} {
		u.open("/signin")
		u.tabTo(name)
		u.enter()
		u.see("Tuesday 24 November")
	}

	lead.keys('?')
	lead.seeIn("dialog[open]", "Keys")
	lead.keys(input.Escape)
	lead.act(func() { lead.keys('n') })
	lead.typed("A letter by hand")
	lead.tabTo("Format")
	lead.typed("Lett")
	lead.see("The earliest it could go out is")
	lead.tabTo("At least")
	lead.typed("3")
	lead.keys(input.Enter)
	lead.see("is made, and its first leg has begun")
	path := strings.TrimPrefix(lead.page.MustInfo().URL, s.url)
	lead.tabTo("Pass to Adaeze, Draft")
	lead.enter()

	writer.act(func() { writer.keys('b') })
	writer.tabTo("A letter by hand")
	writer.enter()
	writer.tabTo("Copy")
	writer.typed("grain and rain")
	writer.seeIn("[data-state]", "Saved")
	writer.keys(input.Tab) // leaves the copy: Tab is not caught in it
	writer.open(path)
	writer.tabTo("Pass to Maren, Edit")
	writer.enter()

	lead.open(path)
	lead.tabTo("Send back")
	lead.keys(input.Enter)
	lead.tabTo("Reasons")
	lead.typed("rhyme less")
	lead.tabTo("Send back")
	lead.see("Working days for it")
	if at := lead.eval(`() => document.activeElement.tagName`); at != "BUTTON" {
		lead.tabTo("Send back")
	}
	lead.enter()
	lead.see("Sent back. Now Draft with Adaeze.")

	var id ref.Piece
	s.must(s.Newsroom.DB.Get(ctx, &id, "SELECT MAX(id) FROM piece"))
	writer.open(path)
	writer.tabTo("Pass to Maren, Edit")
	writer.enter()
	lead.open(path)
	lead.tabTo("Pass to Hollis, Release")
	lead.enter()
	if got := s.leg(id, "release").State; got != relay.Running {
		t.Errorf("the release is %s", got)
	}
}
