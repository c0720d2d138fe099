package browser

import (
	"fmt"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"greenbaton/core/relay"
	"greenbaton/newsroom/planning"
)

// The focus stays where it is when others change things, on the inbox and in views, so that
// a key goes where it was going, and never to another piece.
func TestTheFocusStaysWhenOthersChangeThings(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(adaeze, 1280)
	u.open("/inbox")
	on := func() string {
		return u.eval(`() => document.activeElement.tagName + " " + document.activeElement.textContent.trim() + " " + (document.activeElement.closest("[data-piece]")?.dataset.piece ?? "")`)
	}
	focus := func(selector string) string {
		u.find(selector)
		u.eval(`(s) => document.querySelector(s).focus()`, selector)
		return on()
	}
	was := focus("section a.title")
	draft := planning.Draft{Title: "A letter that comes in between", Format: 2, Owner: maren}
	_, err := s.Newsroom.Intake.Create(ctx, maren, draft) // its first leg is hers
	s.must(err)
	u.see(draft.Title)
	if now := on(); now != was {
		t.Errorf("the inbox: the focus is on %q, was on %q", now, was)
	}
	u.act(func() { u.keys(input.Enter) })

	u = s.as(maren, 1280)
	u.open("/pieces?pace=running&cols=title,owner,priority&sort=-priority")
	stone, grit := s.titled("How a stone is dressed"), s.titled("Millstone grit")
	was = focus(fmt.Sprintf(`tr[data-piece="%d"] [data-col=priority] .cell-edit`, grit))
	first := relay.First
	s.must(s.Newsroom.Planning.EditPieces(ctx, maren, []planning.Edit{{Piece: stone, Priority: &first}})) // which comes to stand above it
	u.seeIn(fmt.Sprintf(`tr[data-piece="%d"] [data-col=priority]`, stone), "First")
	if now := on(); now != was {
		t.Errorf("the list: the focus is on %q, was on %q", now, was)
	}
}
