package browser

import (
	"os"
	"strconv"
	"testing"

	"github.com/go-rod/rod/lib/proto"
)

// A channel is told what it needs and that people schedule; a ready piece then lacks its
// description, has it drafted from the copy, kept, and is scheduled; a change takes that back.
func TestAReleaseSheetIsFilledInAndThePieceScheduled(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	id := s.titled("Six ovens, one village")
	s.exec("UPDATE piece SET summary = '' WHERE id = ?", id)
	s.exec("UPDATE release_sheet SET fields = '{}' WHERE piece_id = ?", id)
	sheet := "/pieces/" + strconv.FormatInt(int64(id), 10) + "/sheet"
	u.open(sheet)
	u.see("Nothing is missing; it is scheduled")
	u.open("/channels/1/asks")
	u.eval(`() => { document.querySelector("[name=must][value=description]").checked = true; document.querySelector("[name=by_hand][value=yes]").checked = true }`)
	u.press("Save what it asks")
	u.see("Saved.")
	u.open("/pieces/" + strconv.FormatInt(int64(id), 10))
	u.see("and is not scheduled yet")
	u.press("Release sheet")
	u.see("1 to do")
	u.see("It is not described")
	u.fill("#s-desc", "A")
	u.seeIn("#part-description", "1 of 155")
	u.fill("#s-desc", "")
	u.open(sheet)
	u.press("Draft the texts from the copy")
	u.see("Words it is about")
	u.waits(`() => document.getElementById("s-desc").value.length > 20 && document.getElementById("s-say-short").value.length > 10`, "nothing is drafted")
	u.see("was drafted by a machine")
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	u.isFit("a drafted sheet", string(axe))
	u.takesWhole("Six ovens, one village")
	u.eval(`() => document.querySelector("[name=keep][value=description]").click()`)
	u.click("^Shared$")
	u.waits(`() => document.querySelector("[data-seen=page]").hidden && !document.querySelector("[data-seen=shared]").hidden`, "it is not seen as a shared link")
	u.press("Save the sheet")
	u.see("Nothing is missing.")
	u.press("Schedule it for")
	u.see("Maren scheduled it; it goes out Wed 25 Nov, 08:00.")
	if p := s.stored(id); !p.Piece.Scheduled() {
		t.Error("it is not scheduled")
	}
	u.fill("#s-slug", "../ovens")
	u.press("Save the sheet")
	u.see("An address is made of the letters a to z")
	u.waits(`() => document.getElementById("s-slug").value === "../ovens"`, "what was typed is gone")
	u.fill("#s-slug", "six-ovens")
	u.press("Save the sheet")
	u.see("It has its place on Wed 25 Nov, 08:00, and is not scheduled yet.")
	u.press("Schedule it for")
	u.see("Maren scheduled it")
}

// takesWhole puts a piece on the clipboard from its sheet, and pastes it where formatting is taken
// and where it is not.
func (u *user) takesWhole(title string) {
	u.t.Helper()
	u.click("^Copy with formatting$")
	u.see("Copied, with its formatting and as plain text.")
	u.eval(`() => {
		const rich = document.createElement("div"), plain = document.createElement("textarea");
		rich.contentEditable = "true"; rich.id = "rich"; plain.id = "plain";
		document.body.append(rich, plain); rich.focus();
	}`)
	paste := func() { // a key that is pressed by a program does not paste without saying so
		u.must(proto.InputDispatchKeyEvent{Type: proto.InputDispatchKeyEventTypeKeyDown, Key: "v", Code: "KeyV", Modifiers: 2, Commands: []string{"paste"}}.Call(u.page))
	}
	paste()
	u.waits(`() => document.getElementById("rich").querySelectorAll("p").length > 1`, "nothing is pasted with formatting")
	u.eval(`() => document.getElementById("plain").focus()`)
	paste()
	got := u.eval(`() => {
		const r = document.getElementById("rich"), p = document.getElementById("plain").value, out = [r.querySelector("h1").innerText, p.slice(0, p.indexOf("\n"))];
		const words = (s) => s.split(/\s+/).filter(Boolean).join(" ");
		out.push(words(p) === words(r.innerText), r.querySelector("[id], [style*=url], button, [x-data]") === null, [...r.querySelectorAll("img")].every((i) => i.src.startsWith("http")));
		r.remove(); document.getElementById("plain").remove();
		return out.join("|");
	}`)
	if want := title + "|" + title + "|true|true|true"; got != want {
		u.t.Errorf("what is pasted: %s, not %s", got, want)
	}
}

// What follows release stands on the page of a piece that is out, is done there and in its list,
// added to and left out.
func TestWhatFollowsReleaseIsDoneFromItsList(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u, other := s.as(maren, 1280), s.as(yusuf, 390)
	id := s.titled("Bread without a mill")
	page := "/pieces/" + strconv.FormatInt(int64(id), 10)
	other.open("/")
	other.see("Answer readers")
	other.open("/after")
	other.see("Bread without a mill")
	u.open("/after")
	u.see("overdue")
	other.open(page)
	other.see("2 left to do afterwards") // above the copy, where there is no room beside it
	other.click("^Done")
	other.see("1 left to do afterwards")
	u.waits(`() => ![...document.querySelectorAll('[data-piece="`+strconv.FormatInt(int64(id), 10)+`"] .after-line')].some((e) => e.innerText.includes("Answer readers"))`, "what was done stands in the list of somebody else")
	u.open(page)
	u.unfold("Add something")
	u.fill("#after-name", "Tell the co-op")
	u.press("^Add it$")
	u.see("2 left to do")
	u.see("Tell the co-op")
	u.unfold("Leave all of it out")
	u.fill("#leave-all", "It was said at the fair.")
	u.press("Leave\\s+2 out")
	u.see("nothing is left to do")
	if p := s.stored(id); !p.Closed() {
		t.Error("it is not closed")
	}
}
