package browser

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// alt presses a key with Alt held.
func (u *user) alt(k input.Key) {
	u.t.Helper()
	u.must(u.page.KeyActions().Press(input.AltLeft).Type(k).Release(input.AltLeft).Do())
}

// An editor proposes and asks; the writer is told, answers and settles; the owner goes
// through the margin by key, takes one change and leaves another, exactly.
func TestTheMarginIsWorkedOffByKey(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("Millstone grit") // with Yusuf, whom Maren leads
	writer, editor := s.as(yusuf, 1280), s.as(adaeze, 1280)
	writer.openCopy(path)
	writer.eval(`() => { const q = document.querySelector("[data-copy]").copy.quill; q.setContents([{ insert: "The grit comes from Derbyshire.\nIt was cut at Hathersage.\n" }], "user") }`)
	writer.rests()
	before := writer.copyIs()

	editor.openCopy(path)
	editor.seeIn("[data-mode]", "Proposing")
	editor.at(9, 5)
	editor.keys(input.Backspace)
	editor.must(editor.page.InsertText("has come"))
	editor.at(0, 3)
	editor.must(editor.find("[data-format=bold]").Click("left", 1))
	editor.at(editor.index("cut"), 3)
	editor.alt(input.KeyA)
	editor.must(editor.page.InsertText("By whom? @Ruth has the letters."))
	editor.choose("#ask-for", "3")
	editor.eval(`() => document.querySelector("[data-ask]").requestSubmit()`)
	for _, u := range []*user{writer, editor} {
		u.seeIn("[data-notes]", "1 query · 2 changes")
		u.seeIn("[data-notes]", "By whom?")
	}
	writer.seeIn("[data-badges]", "1")

	writer.open("/queries")
	writer.see("2 wait for your answer") // the other one is the demo’s own
	writer.open("/")
	writer.see("Waits for your answer")
	writer.press("Millstone grit")
	writer.rests()
	writer.eval(`() => document.querySelector(".noted[data-query] summary").click()`)
	writer.must(writer.find(".noted[data-query] textarea").Focus())
	writer.must(writer.page.InsertText("By the Heathcotes."))
	writer.eval(`() => document.querySelector(".noted[data-query] form[action$=answer]").requestSubmit()`)
	editor.seeIn("[data-notes]", "By the Heathcotes.")

	writer.alt(input.KeyR) // read as if taken
	writer.seeIn("[data-as-taken]", "The grit has come from Derbyshire.")
	writer.alt(input.KeyR)
	writer.must(writer.find(".ql-editor").Focus())
	writer.alt(input.KeyN) // the first is the bold one
	writer.alt(input.KeyL)
	writer.seeIn("[data-notes]", "1 query · 1 change")
	writer.waits(`() => Boolean((document.activeElement.closest(".noted") ?? document.querySelector(".noted.is-at"))?.querySelector("[name=do][value=take]"))`, "the next proposal is not the one that keys are about")
	writer.alt(input.KeyT)
	writer.seeIn("[data-notes]", "1 query")
	for _, u := range []*user{writer, editor} {
		u.seeIn(".ql-editor", "The grit has come from Derbyshire.")
		u.waits(`() => !document.querySelector(".ql-editor .is-put, .ql-editor .is-cut, .ql-editor .is-set, .ql-editor strong")`, "a mark is left")
	}
	writer.unfold("^Settle$")
	editor.seeIn("[data-notes]", "1 settled")

	// what was there before is compared and brought back
	writer.open(path + "/versions?from=v1&to=now")
	writer.see("new word")
	before = strings.TrimSpace(before)
	if !strings.Contains(before, "comes from") {
		t.Fatal(before)
	}
	s.must(s.Newsroom.Copyroom.Recover(ctx))
}

// index gives where words are in the copy of a page.
func (u *user) index(words string) int {
	u.t.Helper()
	n := 0
	for _, c := range u.eval(`(w) => document.querySelector("[data-copy]").copy.quill.getText().indexOf(w)`, words) {
		n = n*10 + int(c-'0')
	}
	return n
}

// A piece is sent back with a query; whom it returns to sees it as a list, and cannot pass
// before it is answered.
func TestAPieceGoesBackWithItsQueries(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	path := s.pieceNamed("The last tide mill on the Severn")
	u.openCopy(path)
	u.unfold("Send back…")
	u.eval(`() => [...document.querySelectorAll("label")].find((l) => l.textContent.includes("Is this on the recording?")).querySelector("input").click()`)
	u.fill("#reasons", "Two things to look at.")
	u.press("^Send back$")
	u.see("Two things to look at.")
	w := s.as(yusuf, 1280)
	w.open(path)
	w.see("Draft came back:")
	w.seeIn(".warn", "Is this on the recording?")
	w.seeIn(".warn", "to answer")
	w.see("A query it came back with is not answered")
	w.rests()
	w.eval(`() => { const n = [...document.querySelectorAll(".noted[data-query]")].find((n) => n.innerText.includes("recording")); n.querySelector("summary").click(); n.querySelector("textarea").value = "It is, at 12:40."; n.querySelector("form[action$=answer]").requestSubmit() }`)
	w.seeIn("[data-notes]", "It is, at 12:40.")
	w.open(path)
	w.seeIn(".warn", "answered")
}

// Files go in and out: a document is brought in, what was there is a version; attachments
// keep their versions, and the newest is shown.
func TestFilesGoInAndOutOfACopy(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	path := s.pieceNamed("The last tide mill on the Severn")
	u.openCopy(path)
	doc, err := filepath.Abs("../format/testdata/libreoffice.docx")
	s.must(err)
	u.unfold("Import and export")
	u.must(u.find("#in-file").SetFiles([]string{doc}))
	u.press("Replace what is there")
	u.seeIn(".ql-editor", "says the keeper")
	u.seeIn(".ql-editor li", "open it")
	u.open(path + "/versions")
	u.see("As it was before a file was brought in")
	u.act(func() {
		u.eval(`() => [...document.querySelectorAll("li")].find((l) => l.innerText.includes("before a file was brought in")).querySelector("button[value=use]").click()`)
	})
	u.seeIn(".ql-editor", "Twice a day the river does the lifting")
	bad := filepath.Join(t.TempDir(), "<script>alert(1)<.svg")
	s.must(os.WriteFile(bad, []byte(`<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>`), 0o600))
	u.unfold("Attach a file")
	u.must(u.find("#att-file").SetFiles([]string{bad}))
	u.press("Attach it")
	u.see("is of a kind that is not taken here")
}

// A picture is put into the copy, told about, and asked about at a point of it.
func TestAPictureIsPutInAndAskedAbout(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	path := s.pieceNamed("The last tide mill on the Severn")
	u.openCopy(path)
	u.at(39, 0)
	u.eval(`async () => {
		const c = document.createElement("canvas"); c.width = 1800; c.height = 900;
		c.getContext("2d").fillRect(300, 300, 900, 300);
		const blob = await new Promise((go) => c.toBlob(go, "image/jpeg"));
		await document.querySelector("[data-copy]").pictures.send(new File([blob], "mill.jpg", { type: "image/jpeg" }));
	}`)
	u.fill("#pic-alt", "A mill behind a pond")
	u.fill("#pic-caption", "Skelder Pill at low water.")
	u.unfold("^Set it$")
	u.seeIn(".ql-editor", "Skelder Pill at low water.")
	u.rests()
	u.waits(`() => document.querySelector(".ql-editor .picture img").naturalWidth === 1200`, "the small version is not shown")
	u.eval(`() => { const img = document.querySelector(".ql-editor .picture img"); img.scrollIntoView({ block: "center" }); const r = img.getBoundingClientRect(); img.dispatchEvent(new MouseEvent("click", { bubbles: true, clientX: r.left + r.width * 0.75, clientY: r.top + r.height * 0.25 })) }`)
	u.alt(input.KeyA)
	u.seeIn("[data-about]", "on the picture")
	u.must(u.page.InsertText("Is that the sluice?"))
	u.eval(`() => document.querySelector("[data-ask]").requestSubmit()`)
	u.seeIn("[data-notes]", "Is that the sluice?")
	if at := u.eval(`() => { const n = [...document.querySelectorAll(".noted")].find((n) => n.dataset.picture); return n.dataset.x + " " + n.dataset.y }`); at != "75 25" {
		t.Errorf("asked about %s", at)
	}
	u.open(path)
	u.seeIn(".ql-editor .picture", "Skelder Pill at low water.")
	if alt := u.eval(`() => document.querySelector(".ql-editor .picture img").alt`); alt != "A mill behind a pond" {
		t.Errorf("in words %q", alt)
	}
	other := s.as(bram, 1280)
	if res := other.eval(`async (to) => String((await fetch(to)).status)`, u.eval(`() => document.querySelector(".ql-editor .picture img").src`)); res != "404" && res != "403" {
		t.Errorf("a partner who must not read it gets the picture: %s", res)
	}
}

// Whatever part of marked words is pressed, the note that belongs to them is shown: of one person who proposes
// in many places under one key, with other marks inside, on line breaks, and under a query.
func TestEveryMarkFindsItsNote(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("Millstone grit")
	writer, editor := s.as(yusuf, 1280), s.as(adaeze, 1280)
	writer.openCopy(path)
	writer.eval(`() => { const q = document.querySelector("[data-copy]").copy.quill; q.setContents([...Array(9).keys()].map((i) => ({ insert: "Line " + i + " of the grit that comes from Derbyshire.\n" })), "user"); q.formatText(60, 30, "bold", true, "user") }`)
	writer.rests()
	editor.openCopy(path)
	editor.seeIn("[data-mode]", "Proposing")
	editor.eval(`() => { const q = document.querySelector("[data-copy]").copy.quill, line = (i) => q.getText().indexOf("Line " + i);
		q.formatText(line(1), 40, "italic", true, "user"); q.deleteText(line(2) + 5, 1, "user"); q.insertText(line(3), "Now ", "user");
		q.formatText(line(4) + 10, 20, "bold", true, "user"); q.deleteText(line(5) + 12, 9, "user"); q.formatLine(line(6), 1, "header", 2, "user"); q.insertText(line(8) + 6, "\n", "user") }`)
	editor.rests()
	editor.at(editor.index("Line 4")+14, 8)
	editor.alt(input.KeyA)
	editor.must(editor.page.InsertText("Whose?"))
	editor.eval(`() => document.querySelector("[data-ask]").requestSubmit()`)
	editor.seeIn("[data-notes]", "Whose?")
	editor.rests()
	editor.waits(`() => document.querySelectorAll(".noted[data-proposal]").length >= 6`, "the notes are not drawn")
	got := editor.eval(`() => {
		const on = [...document.querySelectorAll(".ql-editor .is-put, .ql-editor .is-cut, .ql-editor .is-set, .ql-editor .is-asked")], wrong = [], seen = new Set();
		for (const el of on) {
			for (const n of document.querySelectorAll(".noted.is-at")) n.classList.remove("is-at");
			getSelection().removeAllRanges();
			el.dispatchEvent(new MouseEvent("click", { bubbles: true }));
			const at = document.querySelectorAll(".noted.is-at");
			if (at.length !== 1) { wrong.push(el.outerHTML); continue }
			seen.add(at[0]);
		}
		const notes = document.querySelectorAll("ol.notes .noted").length;
		return wrong.length || seen.size !== notes ? on.length + " marks, " + seen.size + " of " + notes + " notes: " + wrong.join() : "all"
	}`)
	if got != "all" {
		t.Error(got)
	}
	// And the other way: each note leads to its own words.
	places := editor.eval(`() => { const m = document.querySelector("[data-copy]"), tops = []; for (const n of document.querySelectorAll("ol.notes .noted[data-proposal]")) { n.click(); tops.push(document.querySelector(".ql-editor .is-here")?.getBoundingClientRect().top + scrollY) } return String(new Set(tops.map(Math.round)).size === tops.length) }`)
	if places != "true" {
		t.Error("two notes lead to the same words")
	}
}
