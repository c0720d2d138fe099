package browser

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// Somebody without an account asks for a recipe on a phone, the lead asks back and takes
// it by keyboard, and a piece runs with checklist, outline, brief, file and dates.
func TestARequestBecomesARunningPiece(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	asker, lead := s.visitor(390), s.as(maren, 1280)
	asker.open("/ask/a-piece-please")
	asker.see("Ask Millrace for a piece")
	asker.fill("#title", "Laverbread, after the tide")
	asker.fill("#f1", "People by the sea")
	asker.fill("#who", "Nest Pugh")
	asker.fill("#mail", "nest@pugh.example")
	asker.press("Send it")
	asker.see("“What is it?” is needed.")
	if got := asker.eval(`() => document.querySelector("#f1").value`); got != "People by the sea" {
		t.Errorf("what was typed is %q", got)
	}
	asker.choose("#f0", "A recipe")
	asker.fill("#f2", "My grandmother’s, weighed for the first time.")
	asker.choose("#wanted", "2026-12-18")
	file := filepath.Join(t.TempDir(), "weights.txt")
	if err := os.WriteFile(file, []byte("300 g"), 0o600); err != nil {
		t.Fatal(err)
	}
	asker.must(asker.find("#f4").SetFiles([]string{file}))
	asker.press("Send it")
	asker.see("has not decided yet")
	private := strings.TrimPrefix(asker.page.MustInfo().URL, s.url)

	lead.open("/requests")
	lead.see("3 requests wait for a decision")
	lead.press("Go through them")
	lead.see("Where our oats go")
	lead.act(func() { lead.keys(input.ArrowRight) })
	lead.see("A recipe for the carol evening")
	lead.act(func() { lead.keys(input.ArrowRight) })
	lead.see("Laverbread, after the tide")
	lead.see("My grandmother’s, weighed for the first time.")
	lead.see("weights.txt")
	if got := lead.eval(`() => document.querySelector("[data-answer]").innerText`); !strings.Contains(got, "works") {
		t.Errorf("the capacity is %q", got)
	}
	lead.keys('r')
	lead.typed("Which seaweed?")
	lead.act(func() { lead.press("Send the question") })
	lead.see("Asked. It comes back when they answer.")
	asker.open(private)
	asker.see("Which seaweed?")
	asker.fill("#text", "Purple laver, from Corran sands.")
	asker.press("Send it")
	asker.see("Purple laver")

	lead.open("/requests")
	lead.press("Laverbread, after the tide")
	lead.see("Purple laver, from Corran sands.")
	lead.choose("#t-day", "2026-12-17")
	lead.press("Does it work")
	lead.see("“Spelt griddle cakes from Fenner’s Race” goes out on Web then as well. The next free slot is Mon 21 Dec, 08:00")
	lead.choose("#t-day", "2026-12-21")
	lead.press("Does it work")
	lead.see("Mon 21 Dec, 08:00 works")
	lead.act(func() { lead.choose("#t-writer", "2") })
	lead.see("works")
	lead.fill("#t-word", "Keep the pan warm.")
	lead.press("^Take it$")
	lead.see("It is a piece now, and they are told.")
	lead.see("Laverbread, after the tide")
	lead.seeIn(".ql-editor", "You need")
	lead.see("weights.txt")
	id := s.titled("Laverbread, after the tide")
	row, err := store.Piece(ctx, s.Newsroom.DB.View(), id)
	s.must(err)
	steps, err := store.Steps(ctx, s.Newsroom.DB.View(), id)
	s.must(err)
	if len(steps) == 0 || row.Leg("writeup").Due == 0 || row.Leg("writeup").Holder != adaeze || row.Leg("brief").State != relay.Running || row.GoesOut.In(s.zone()).Format("2 Jan 15:04") != "21 Dec 08:00" {
		t.Errorf("%d steps, %+v", len(steps), row.Piece)
	}
	asker.open(private)
	asker.see("Millrace takes it. It is to go out Mon 21 Dec, 08:00.")
	asker.see("Keep the pan warm.")

	lead.open("/requests/4")
	lead.see("Which of the two recordings")
	lead.open("/requests/1")
	lead.see("Turned down by Maren")
	lead.open("/requests/2")
	lead.keys('x')
	lead.typed("We print oats in spring.")
	lead.act(func() { lead.press("^Turn it down$") })
	lead.see("Turned down; they are told why.")
}

// A partner says yes to a pitch on their page: the piece is made, what only waited for
// their yes is passed, and the writer has it.
func TestAPartnersYesStartsTheRoute(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	lead, partner := s.as(maren, 1280), s.as(bram, 390)
	lead.open("/ideas")
	lead.press("Bread for a hundred: the harvest supper")
	lead.press("Pitch it to a partner")
	lead.fill("#pi-text", "Your supper, written down with its weights.")
	lead.choose("#pi-partner", "9")
	lead.choose("#pi-format", "5")
	lead.press("^Pitch it$")
	lead.see("It is pitched; they get a mail.")
	partner.open("/")
	partner.press("Pitches")
	partner.see("You are asked about 2 pitches.")
	partner.see("Your supper, written down with its weights.")
	partner.fill("li [name=why]", "Gladly, with the children.")
	partner.press("Yes, make it")
	partner.see("Yes: the piece is made, and its route has begun.")
	id := s.titled("Bread for a hundred: the harvest supper")
	if s.leg(id, "pitch").State != relay.Passed || s.leg(id, "draft").State != relay.Running {
		t.Errorf("the pitch is %s, the draft is %s", s.leg(id, "pitch").State, s.leg(id, "draft").State)
	}
	lead.open("/inbox")
	lead.see("Bram says yes to “Bread for a hundred: the harvest supper”.")
	lead.see("Gladly, with the children.")
}
