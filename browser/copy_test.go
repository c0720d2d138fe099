package browser

import (
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
)

func (s *site) pieceNamed(title string) string {
	s.t.Helper()
	var id string
	s.must(s.House.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = ?", title))
	return "/pieces/" + id
}

// Two people write in the same copy: nothing is overwritten, both texts are shown.
func TestTwoInTheSameCopyBothSeeBothTexts(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("The last tide mill on the Severn")
	one, two := s.as(maren, 1280), s.as(maren, 1280)
	one.open(path)
	two.open(path)
	one.write("The first window wrote this.")
	two.must(two.find(".ql-editor").Focus())
	two.eval(`() => getSelection().selectAllChildren(document.querySelector(".ql-editor"))`)
	two.must(two.page.InsertText("The second window wrote that."))
	two.see("Nothing was overwritten")
	two.press("See both")
	two.see("Kept beside the copy")
	two.seeIn(".ql-editor", "The first window wrote this.")
	two.unfold("Read it")
	two.see("The second window wrote that.")
	two.press("Make it the copy")
	two.seeIn(".ql-editor", "The second window wrote that.")
	if n := two.eval(`() => document.querySelectorAll(".warn").length`); n != "1" { // the hidden one of the editor
		t.Errorf("%s notices are left", n)
	}
}

// What is typed is formatted, saved, and there again after a reload.
func TestTheEditorFormatsAndSavesByItself(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("The last tide mill on the Severn")
	u := s.as(maren, 1280)
	u.open(path)
	u.must(u.find(".ql-editor").Focus())
	u.eval(`() => getSelection().selectAllChildren(document.querySelector(".ql-editor"))`)
	u.must(u.page.InsertText("A heading"))
	u.must(u.find("[data-format=header][data-value='3']").Click("left", 1))
	u.keys(input.Enter)
	u.must(u.page.InsertText("plain and "))
	u.must(u.find("[data-format=bold]").Click("left", 1))
	u.must(u.page.InsertText("strong <b>words</b>"))
	u.seeIn("[data-state]", "Saved")
	u.open(path)
	u.see("6 words")
	html := u.eval(`() => document.querySelector(".ql-editor").innerHTML`)
	if !strings.Contains(html, "<h3>A heading</h3>") || !strings.Contains(html, "<strong>strong &lt;b&gt;words&lt;/b&gt;</strong>") {
		t.Errorf("stored as %s", html)
	}
	// A reload in the middle of a word: what was typed is sent as the page goes.
	u.must(u.find(".ql-editor").Focus())
	u.keys(input.End)
	u.must(u.page.InsertText(" unsent"))
	u.open(path)
	u.seeIn(".ql-editor", "unsent")
}

// The house goes away while somebody writes: what is typed is kept and sent when it is back.
func TestWritingGoesOnWhileTheHouseIsAway(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("Millstone grit")
	u := s.as(yusuf, 1280)
	u.open(path)
	u.eval(`() => { window.kept = window.fetch; window.fetch = () => Promise.reject(new Error("away")) }`)
	u.must(u.find(".ql-editor").Focus())
	u.must(u.page.InsertText("typed while it was away "))
	u.seeIn("[data-state]", "Not saved")
	u.eval(`() => { window.fetch = window.kept }`)
	u.seeIn("[data-state]", "Saved")
	u.open(path)
	u.seeIn(".ql-editor", "typed while it was away")
}
