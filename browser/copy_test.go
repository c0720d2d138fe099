package browser

import (
	"fmt"
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

// rests waits until everything typed is taken by the house.
func (u *user) rests() {
	u.t.Helper()
	u.waits(`() => { const l = document.querySelector("[data-copy]").copy.line; return l.open && !l.waiting }`, "what was typed does not arrive")
}

// at puts the cursor of the copy somewhere.
func (u *user) at(index, length int) {
	u.t.Helper()
	u.eval(`(i, n) => { const q = document.querySelector("[data-copy]").copy.quill; q.focus(); q.setSelection(Number(i), Number(n)) }`, fmt.Sprint(index), fmt.Sprint(length))
}

// copyIs gives the copy as a page has it.
func (u *user) copyIs() string {
	u.t.Helper()
	return u.eval(`() => JSON.stringify(document.querySelector("[data-copy]").copy.quill.getContents().ops)`)
}

// Two people write in the same copy: both see both texts at once.
func TestTwoInTheSameCopySeeEachOther(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("The last tide mill on the Severn")
	one, two := s.as(maren, 1280), s.as(yusuf, 1280)
	one.open(path)
	two.open(path)
	one.rests()
	two.rests()
	one.at(0, 0)
	one.must(one.page.InsertText("First. "))
	two.at(20, 0)
	two.must(two.page.InsertText("second "))
	for _, u := range []*user{one, two} {
		u.seeIn(".ql-editor", "First. ")
		u.seeIn(".ql-editor", "second ")
		u.rests()
	}
	one.waits(`() => Boolean(document.querySelector(".there[data-who=Yusuf]"))`, "she does not see where he is")
	if a, b := one.copyIs(), two.copyIs(); a != b {
		t.Errorf("one has %s\ntwo has %s", a, b)
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
	u.rests()
	u.eval(`() => { const l = document.querySelector("[data-copy]").copy.line; window.kept = l.connect; l.connect = () => {}; l.socket.close() }`)
	u.seeIn("[data-state]", "Not connected")
	u.must(u.find(".ql-editor").Focus())
	u.must(u.page.InsertText("typed while it was away "))
	u.seeIn("[data-state]", "kept here")
	u.eval(`() => { const l = document.querySelector("[data-copy]").copy.line; l.connect = window.kept; l.connect() }`)
	u.seeIn("[data-state]", "Saved")
	u.open(path)
	u.seeIn(".ql-editor", "typed while it was away")
}
