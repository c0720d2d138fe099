package browser

import (
	"fmt"
	"strings"
	"testing"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/newsroom/copyroom"
)

// clipboard cuts, copies or pastes as the browser does; what is on the clipboard stays
// there from one to the next.
func (u *user) clipboard(what string) {
	u.t.Helper()
	u.eval(`(what) => {
		const data = new DataTransfer();
		if (what === "paste") for (const [k, v] of Object.entries(window.clip)) data.setData(k, v);
		document.querySelector(".ql-editor").dispatchEvent(new ClipboardEvent(what, { clipboardData: data, bubbles: true, cancelable: true }));
		if (what !== "paste") window.clip = Object.fromEntries([...data.types].map((k) => [k, data.getData(k)]));
	}`, what)
}

// dragTo drags what is chosen to before some words.
func (u *user) dragTo(words string, copies bool) {
	u.t.Helper()
	u.eval(`(index, ctrlKey) => {
		const q = document.querySelector("[data-copy]").copy.quill, data = new DataTransfer(), range = q.getSelection();
		const on = (i) => { const [leaf, offset] = q.getLeaf(Number(i) + 1), r = document.createRange(); r.setStart(leaf.domNode, offset - 1); r.setEnd(leaf.domNode, offset); return r.getBoundingClientRect(); };
		q.root.scrollIntoView({ block: "center" });
		const fire = (what, r) => {
			const x = r.left + 1, y = r.top + r.height / 2;
			document.elementFromPoint(x, y).dispatchEvent(new DragEvent(what, { dataTransfer: data, bubbles: true, cancelable: true, clientX: x, clientY: y, ctrlKey }));
		};
		fire("dragstart", on(range.index));
		fire("drop", on(index));
		fire("dragend", on(0));
	}`, u.index(words), copies)
}

// marksOn gives the words of the copy with what is marked on them.
func (u *user) marksOn() string {
	u.t.Helper()
	return u.eval(`() => document.querySelector("[data-copy]").copy.quill.getContents().ops.map((op) => {
		const a = op.attributes ?? {}, text = (typeof op.insert === "string" ? op.insert : "▪").replaceAll("\n", "¶");
		const kinds = Object.keys(a).map((k) => k.replace(/-\d.*/, "")).sort().join("+");
		return kinds ? "[" + kinds + ":" + text + "]" : text;
	}).join("")`)
}

// choose chooses words of the copy, up to others.
func (u *user) chooseWords(from, to string) {
	u.t.Helper()
	u.eval(`(from, to) => { const q = document.querySelector("[data-copy]").copy.quill, text = q.getText(), at = text.indexOf(from); q.focus(); q.setSelection(at, text.indexOf(to, at) + to.length - at) }`, from, to)
}

// marked makes the copy of a piece three paragraphs with a query and proposals in the
// second, and gives it as it then is.
func (s *site) marked(path string) copy.Text {
	s.t.Helper()
	var id ref.Piece
	_, err := fmt.Sscanf(path, "/pieces/%d", &id)
	s.must(err)
	edit := func(by, turn int, change func(copy.Text) copy.Change) (copy.Text, int) {
		c, err := s.Newsroom.Planning.Newest(ctx, maren, id)
		s.must(err)
		text, err := copy.Parse([]byte(c.Text))
		s.must(err)
		if change == nil {
			return text, c.Seq
		}
		_, err = s.Newsroom.Copyroom.EditCopy(ctx, ref.Person(by), id, copyroom.CopyEdit{Client: "set up", Turn: turn, Base: c.Seq, Change: change(text)})
		s.must(err)
		return text, c.Seq + 1
	}
	_, seq := edit(maren, 1, func(was copy.Text) copy.Change {
		return copy.Change{}.Put("The mill pond drops.\nThe weir is old, and Joan knows it.\nNobody opens the gate.", nil).Cut(was.Len() - 1)
	})
	_, err = s.Newsroom.Copyroom.AskAbout(ctx, maren, id, copyroom.Ask{Query: query.Query{About: query.Words, Text: "Which weir?"}, Seq: seq, Place: copy.Place{At: 25, Len: 4}})
	s.must(err)
	edit(adaeze, 2, func(was copy.Text) copy.Change {
		return was.Propose(copy.Change{}.Keep(33, nil).Put("very ", nil).Keep(5, nil).Cut(4), "2.k1")
	})
	text, _ := edit(0, 0, nil)
	return text
}

// has compares the copy that the page shows with what it should be, and with the house's.
func (u *user) has(path, when, want string) {
	u.t.Helper()
	u.rests()
	if got := u.marksOn(); got != want {
		u.t.Errorf("%s:\n%s\nwant\n%s", when, got, want)
	}
	var id ref.Piece
	_, err := fmt.Sscanf(path, "/pieces/%d", &id)
	u.must(err)
	c, err := u.Newsroom.Planning.Newest(ctx, maren, id)
	u.must(err)
	is, err := copy.Parse([]byte(u.copyIs()))
	u.must(err)
	if string(is.JSON()) != c.Text {
		u.t.Errorf("%s: the page has %s\nthe house %s", when, is.JSON(), c.Text)
	}
}

const (
	markedMill = "The mill pond drops.¶"
	markedWeir = "The [query:weir] is [put:very ]old, [cut:and ]Joan knows it.¶"
	markedGate = "Nobody opens the gate.¶"
	markedAll  = markedMill + markedWeir + markedGate
	cleanWeir  = "The weir is old, and Joan knows it.¶"
)

// Words that are moved keep what is proposed and asked about them, once; words that are
// copied are as readers would have them.
func TestWordsThatAreMovedKeepTheirMarks(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("The last tide mill on the Severn")
	s.marked(path)
	u := s.as(maren, 1280)
	u.openCopy(path)
	back := func(steps int) {
		t.Helper()
		for range steps {
			u.eval(`() => document.querySelector("[data-copy]").copy.quill.history.undo()`)
		}
		u.has(path, "taken back", markedAll)
	}
	u.has(path, "at first", markedAll)
	u.chooseWords("The weir", "knows it.\n")
	u.clipboard("cut")
	u.has(path, "cut", markedMill+markedGate)
	u.at(0, 0)
	u.clipboard("paste")
	u.has(path, "pasted", markedWeir+markedMill+markedGate)
	u.clipboard("paste")
	u.has(path, "pasted a second time", markedWeir+cleanWeir+markedMill+markedGate)
	back(3)

	u.chooseWords("weir", "very")
	u.clipboard("cut")
	u.at(u.index("gate"), 0)
	u.clipboard("paste")
	u.has(path, "put into another paragraph", markedMill+"The [put: ]old, [cut:and ]Joan knows it.¶Nobody opens the [query:weir] is [put:very]gate.¶")
	u.eval(`() => document.querySelector("[data-copy]").copy.quill.history.undo()`)
	u.at(0, 0)
	u.clipboard("paste")
	u.has(path, "taken back and pasted elsewhere", "[query:weir] is [put:very]"+markedMill+"The [put: ]old, [cut:and ]Joan knows it.¶"+markedGate)
	back(2)

	u.chooseWords("The weir", "knows it.\n")
	u.clipboard("cut")
	back(1)
	u.at(0, 0)
	u.clipboard("paste")
	u.has(path, "pasted after the cut was taken back", cleanWeir+markedAll)
	back(1)

	u.chooseWords("The weir", "knows it.\n")
	u.clipboard("copy")
	u.at(0, 0)
	u.clipboard("paste")
	u.has(path, "copied", cleanWeir+markedAll)
	back(1)

	u.chooseWords("The weir", "knows it.\n")
	u.dragTo("The mill", false)
	u.has(path, "dragged up", markedWeir+markedMill+markedGate)
	back(1)
	u.chooseWords("weir", "very ")
	u.dragTo("gate", false)
	u.has(path, "dragged down", markedMill+"The old, [cut:and ]Joan knows it.¶Nobody opens the [query:weir] is [put:very ]gate.¶")
	back(1)
	u.chooseWords("weir", "very ")
	u.dragTo("gate", true)
	u.has(path, "dragged as a copy", markedMill+markedWeir+"Nobody opens the weir is gate.¶")
	back(1)
	u.chooseWords("The weir", "knows it.")
	u.dragTo("old", false)
	u.has(path, "dragged onto itself", markedAll)
}

// Whoever proposes moves words with what is asked and proposed about them: taken, the move
// leaves no query without its words, and what others propose of them stays proposed.
func TestWhoProposesMovesWordsWithTheirMarks(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("The last tide mill on the Severn")
	s.marked(path)
	for _, how := range []string{"cut and pasted", "dragged"} {
		u := s.as(hollis, 1280)
		u.openCopy(path)
		u.has(path, "at first", markedAll)
		u.chooseWords("The weir", "knows it.\n")
		if how == "dragged" {
			u.dragTo("The mill", false)
		} else {
			u.clipboard("cut")
			u.at(0, 0)
			u.clipboard("paste")
		}
		u.has(path, how, "[put:The ][put+query:weir][put: is old, ][cut+put:and ][put:Joan knows it.][break-put:¶]"+markedMill+
			"[cut:The ][cut+query:weir][cut: is ][put:very ][cut:old, ][cut+cut:and ][cut:Joan knows it.][break-cut:¶]"+markedGate)
		is, err := copy.Parse([]byte(u.copyIs()))
		s.must(err)
		if got, want := is.Left().Plain(), "The mill pond drops.\nThe weir is old, and Joan knows it.\nNobody opens the gate.\n"; got != want {
			t.Errorf("left it is %q", got)
		}
		theirs, err := is.Apply(is.Decide(true, func(key string) bool { return copy.By(key) == hollis }))
		s.must(err)
		if places := theirs.Places(); len(places) != 1 {
			t.Errorf("queries are at %v", places)
		}
		if got, want := theirs.Plain(), "The weir is old, and Joan knows it.\nThe mill pond drops.\nvery Nobody opens the gate.\n"; got != want {
			t.Errorf("taken it is %q", got)
		}
		u.eval(`() => { const h = document.querySelector("[data-copy]").copy.quill.history; h.undo(); h.undo() }`)
		u.has(path, how+" and taken back", markedAll)
	}
}

// What is pasted from elsewhere keeps bold and italic however they are said, in silence.
func TestWhatIsPastedFromElsewhereIsRead(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.openCopy(s.pieceNamed("The last tide mill on the Severn"))
	for html, want := range map[string]string{
		`<p style="margin:0"><span style="font-weight:700">bold</span> <span style='font-style: italic'>slant</span> <span style=font-weight:600;font-style:oblique>both</span></p>`: "[bold:bold] [italic:slant] [bold+italic:both]¶",
		`<b style="font-weight:normal" id="docs-internal-guid-1"><p><span style="font-weight:400">plain</span></p></b>`:                                                              "plain¶",
		`<strong>bold <span style="font-weight: normal">not</span></strong>`:                                                                                                         "[bold:bold ]not¶",
		`<em style="font-style:normal">upright</em> <span style="font: italic bold 12px serif">short</span> <span style="color:red">red</span>`:                                      "upright [bold+italic:short] red¶",
		`<h2 style="font-weight:bold" onclick="x()">Head</h2><p onmouseover="x()">a<img src="https://elsewhere.example/x.png" onerror="x()"></p>`:                                    "[bold:Head][header:¶]a¶",
		`<html xmlns:w="urn:schemas-microsoft-com:office:word"><head><style>@list l0:level1 {mso-level-number-format:bullet;}</style></head><body><p class=MsoListParagraph style='mso-list:l0 level1 lfo1'><span style='mso-list:Ignore'>·<span style='font:7.0pt "Times New Roman"'>&nbsp;</span></span><b style='font-weight:bold'>one</b></p><p class=MsoListParagraph style='mso-list:l0 level1 lfo1' onclick="x()"><span style='mso-list:Ignore'>·</span>two</p></body></html>`: "[bold:one][list:¶]two[list:¶]¶",
		`<style>p { color: red }</style><link rel=stylesheet href="https://elsewhere.example/x.css"><svg onload="x()"><style>p{}</style></svg><iframe src="https://elsewhere.example/"></iframe><p style="x">text</p>`:                                                                                                                                                                                                                                                                "text¶",
	} {
		u.eval(`(html) => {
			const q = document.querySelector("[data-copy]").copy.quill, data = new DataTransfer();
			q.setContents([{ insert: "\n" }], "user"); q.focus(); q.setSelection(0, 0);
			data.setData("text/html", html);
			q.root.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
		}`, html)
		u.rests()
		if got := strings.TrimSuffix(u.marksOn(), "¶") + "¶"; got != want && got != want+"¶" {
			t.Errorf("%s\nis %s\nwant %s", html, got, want)
		}
	}
	for _, lie := range []string{"{", `"x"`, `[{"retain":5}]`, `[null]`} { // another page only says that it comes from a copy
		u.eval(`(lie) => {
			const q = document.querySelector("[data-copy]").copy.quill, data = new DataTransfer();
			q.setContents([{ insert: "\n" }], "user"); q.focus(); q.setSelection(0, 0);
			data.setData("application/x-green-baton-words", lie); data.setData("text/plain", "plain words");
			q.root.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
		}`, lie)
		u.rests()
		if got := u.marksOn(); got != "plain words¶" {
			t.Errorf("%s is pasted as %s", lie, got)
		}
	}
	if strings.Contains(u.eval(`() => JSON.stringify(performance.getEntriesByType("resource").map((r) => r.name))`), "elsewhere") {
		t.Error("something was fetched")
	}
}
