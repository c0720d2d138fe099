package browser

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
)

func (s *site) pieceNamed(title string) string {
	s.t.Helper()
	var id string
	s.must(s.Newsroom.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = ?", title))
	return "/pieces/" + id
}

// openCopy opens a piece and waits until its copy is connected.
func (u *user) openCopy(path string) {
	u.t.Helper()
	u.open(path)
	u.rests()
}

// rests waits until everything typed is taken by the house, and everything sent beside the
// copy is answered.
func (u *user) rests() {
	u.t.Helper()
	u.waits(`() => { const l = document.querySelector("[data-copy]").copy.line; return l.open && !l.waiting && !document.querySelector("[data-margin][aria-busy]") }`, "what was typed does not arrive")
}

// focus puts the focus on a field.
func (u *user) focus(selector string) {
	u.t.Helper()
	u.eval(`(s) => document.querySelector(s).focus()`, selector)
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
	one.openCopy(path)
	two.openCopy(path)
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

// What others write waits while a character is being made of several keys, and is there
// once it is made.
func TestACharacterInTheMakingIsNotDisturbed(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("The last tide mill on the Severn")
	one, two := s.as(maren, 1280), s.as(yusuf, 1280)
	one.openCopy(path)
	two.openCopy(path)
	one.at(5, 0)
	one.must(proto.InputImeSetComposition{Text: "すい", SelectionStart: 2, SelectionEnd: 2}.Call(one.page))
	one.waits(`() => document.querySelector("[data-copy]").copy.line.how.composing()`, "no character is being made")
	two.at(0, 0)
	two.must(two.page.InsertText("Before. "))
	two.rests()
	one.waits(`() => document.querySelector("[data-copy]").copy.line.later.length > 0`, "nothing is heard meanwhile")
	one.must(one.page.InsertText("水車"))
	for _, u := range []*user{one, two} {
		u.seeIn(".ql-editor", "水車")
		u.seeIn(".ql-editor", "Before. ")
		u.rests()
	}
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
	u.openCopy(path)
	u.eval(`() => { const l = document.querySelector("[data-copy]").copy.line; window.kept = l.connect; l.connect = () => {}; l.via.close() }`)
	u.seeIn("[data-state]", "Not connected")
	u.must(u.find(".ql-editor").Focus())
	u.must(u.page.InsertText("typed while it was away "))
	u.seeIn("[data-state]", "kept here")
	u.eval(`() => { const l = document.querySelector("[data-copy]").copy.line; l.connect = window.kept; l.connect() }`)
	u.seeIn("[data-state]", "Saved")
	u.open(path)
	u.seeIn(".ql-editor", "typed while it was away")
}

// What is typed is set as in print, and what is pasted keeps its structure and nothing
// else; the house has the same as the page, which it is asked about at the end.
func TestTypedAndPastedTextIsMadeFit(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("Winter bread letter")
	u := s.as(maren, 1280)
	u.openCopy(path)
	u.eval(`() => { const q = document.querySelector("[data-copy]").copy.quill; q.setContents([{ insert: "\n" }], "user"); q.focus() }`)
	for _, r := range `She said "it's 'now' -- or..." ok` {
		u.must(u.page.InsertText(string(r)))
	}
	u.rests()
	if got := u.eval(`() => document.querySelector(".ql-editor").innerText.trim()`); got != "She said “it’s ‘now’ – or…” ok" {
		t.Errorf("typed %q", got)
	}
	u.eval(`() => {
		const q = document.querySelector("[data-copy]").copy.quill;
		q.setSelection(q.getLength() - 1, 0);
		const data = new DataTransfer();
		data.setData("text/html", '<h1 style="color:red" onclick="x()">Pasted</h1><script>window.hacked = 1<\/script><style>p { color: red }</style><p class="MsoNormal">a <b style="font-size:40px">b</b> <a href="javascript:alert(1)">bad</a> <a href="https://weir.example/">good</a><img src=x onerror="window.hacked = 1"></p><ul><li>one<li>two</ul><p data-put="1.zz" class="is-put"><span data-put="1.zz">forged</span></p><table><tr><td>cell</td></tr></table>');
		q.root.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
	}`)
	u.seeIn(".ql-editor", "forged")
	u.rests()
	if u.eval(`() => String(window.hacked)`) != "undefined" {
		t.Error("a pasted script ran")
	}
	id := ref.Piece(0)
	s.must(s.Newsroom.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = ?", "Winter bread letter"))
	c, err := s.Newsroom.Planning.Newest(ctx, adaeze, id)
	s.must(err)
	for _, want := range []string{`{"insert":"good","attributes":{"link":"https://weir.example/"}}`, `"list":"bullet"`, `"bold":true`, `"header":2`} {
		if !strings.Contains(c.Text, want) {
			t.Errorf("%s is not in %s", want, c.Text)
		}
	}
	for _, bad := range []string{"javascript", "script", "onerror", "put", "color", "hacked"} {
		if strings.Contains(c.Text, bad) {
			t.Errorf("%s is in %s", bad, c.Text)
		}
	}
	is, err := copy.Parse([]byte(u.copyIs()))
	s.must(err)
	if string(is.JSON()) != c.Text {
		t.Errorf("the page has %s\nthe house %s", is.JSON(), c.Text)
	}
	// a megabyte in one paste
	u.eval(`() => { const q = document.querySelector("[data-copy]").copy.quill; q.updateContents([{ insert: ("A mill on every stream. ".repeat(100) + "\n").repeat(420) }], "user") }`)
	u.rests()
	if c, err = s.Newsroom.Planning.Newest(ctx, adaeze, id); err != nil || len(c.Text) < 1_000_000 {
		t.Errorf("%d bytes, %v", len(c.Text), err)
	}
}

// The page and the house make the same proposal of an edit: two thousand random
// edits of random texts, most of which have proposals on them already.
func TestThePageProposesAsTheHouseDoes(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open(s.pieceNamed("The last tide mill on the Severn"))
	type step struct {
		Old  copy.Text   `json:"old"`
		Edit copy.Change `json:"edit"`
		Key  string      `json:"key"`
	}
	r := rand.New(rand.NewPCG(6, 6))
	words := []string{"mill", " ", "🌾", "stone\n", "\n", "“tide” ", "水車"}
	attributes := func(line bool) copy.Attributes {
		if line {
			return []copy.Attributes{nil, copy.Set("header", 2), copy.Set("list", "bullet"), copy.Set("blockquote", true)}[r.IntN(4)]
		}
		return []copy.Attributes{nil, copy.Set("bold", true), copy.Set("italic", true), copy.Set("link", "https://weir.example/")}[r.IntN(4)]
	}
	var steps []step
	var want []string
	for range 400 {
		var c copy.Change
		for range 1 + r.IntN(6) {
			w := words[r.IntN(len(words))]
			c = c.Put(w, attributes(w == "\n"))
		}
		text, err := copy.Parse(c.Put("\n", nil).JSON())
		s.must(err)
		for n := range 5 {
			units := utf16.Encode([]rune(text.Plain()))
			safe := func(at int) int { // not within a character
				if at > 0 && at < len(units) && units[at] >= 0xDC00 && units[at] < 0xE000 {
					return at - 1
				}
				return at
			}
			from := safe(r.IntN(len(units)))
			to := safe(from + r.IntN(len(units)-from))
			edit := copy.Change{}.Keep(from, nil)
			switch r.IntN(3) {
			case 0:
				edit = edit.Put(words[r.IntN(len(words))], attributes(false))
				fallthrough
			case 1:
				if to > from {
					edit = edit.Cut(to - from)
				}
			default:
				if to > from {
					edit = edit.Keep(to-from, attributes(r.IntN(2) == 0))
				}
			}
			key := fmt.Sprintf("%d.k%d", 1+r.IntN(2), n)
			edit = edit.Sound()
			p := text.Propose(edit, key)
			steps, want = append(steps, step{text, edit, key}), append(want, string(p.JSON()))
			text, err = text.Apply(p.Sound())
			s.must(err)
		}
	}
	in, err := json.Marshal(steps)
	s.must(err)
	out := u.eval(`(steps) => JSON.stringify(JSON.parse(steps).map((s) => document.querySelector("[data-copy]").copy.asProposal(s.old, s.edit, s.key)))`, string(in))
	var got []copy.Change
	s.must(json.Unmarshal([]byte(out), &got))
	for i := range got {
		if string(got[i].JSON()) != want[i] {
			t.Fatalf("%s on %s as %s:\nthe page makes %s\nthe house %s", steps[i].Edit.JSON(), steps[i].Old.JSON(), steps[i].Key, got[i].JSON(), want[i])
		}
	}
}

// What stands beside the copy is sent once, however often it is pressed, and says so when
// it cannot be sent because what was typed before it does not arrive.
func TestWhatIsPressedTwiceIsDoneOnce(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	w := newWire(t, strings.TrimPrefix(s.url, "http://"))
	away := &site{t: t, Newsroom: s.Newsroom, url: "http://" + w.l.Addr().String()}
	u := away.as(maren, 1280)
	u.forgiven = "ERR_"
	u.openCopy(s.pieceNamed("The last tide mill on the Severn"))
	const take = `document.querySelector("[data-margin] [name=do][value=take]")`
	u.waits(`() => Boolean(`+take+`)`, "nothing is proposed")
	u.eval(`() => { ` + take + `.click(); ` + take + `.click() }`)
	u.seeIn("#foot", "1 proposed change taken")
	u.rests()
	u.waits(`() => document.querySelector("[data-refused]").hidden`, "the second press is refused")

	// Two queries in a row, while what was typed is on its way: both arrive, each about its words.
	u.eval(`() => {
		const { copy: { quill }, margin } = document.querySelector("[data-copy]");
		const ask = (at, len, text) => { quill.setSelection(at, len); margin.ask(); margin.form.elements.text.value = text; margin.form.requestSubmit() };
		quill.insertText(0, "One stone. ", "user");
		ask(0, 3, "Only one?");
		quill.insertText(0, "So: ", "user");
		ask(8, 5, "Which stone?");
		margin.form.requestSubmit();
	}`)
	u.seeIn("[data-notes]", "Only one?")
	u.seeIn("[data-notes]", "Which stone?")
	u.waits(`() => { const on = [...document.querySelectorAll(".is-asked")].map((x) => x.innerText); return on.includes("One") && on.includes("stone") }`, "they are not on their words")
	u.rests()
	u.waits(`() => document.querySelector("[data-ask]").hidden`, "the form stays open")
	if n := u.eval(`() => [...document.querySelectorAll("[data-notes] .noted")].filter((x) => x.innerText.includes("Which stone?")).length`); n != "1" {
		t.Errorf("pressed twice, it is asked %s times", n)
	}

	w.set(true)
	u.at(3, 0)
	u.must(u.page.InsertText("x"))
	u.eval(`() => { const m = document.querySelector("[data-copy]").margin; m.ask(); m.form.elements.text.value = "Which?"; m.form.requestSubmit() }`)
	u.seeIn("[data-refused]", "has not arrived yet")
	if got := u.eval(`() => document.querySelector("[data-copy]").margin.form.elements.text.value`); got != "Which?" {
		t.Errorf("and of what was asked is left %q", got)
	}
	w.set(false)
	u.rests()
}

// The count says how many of the words are chosen, and all of them when none is.
func TestChosenWordsAreCounted(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	path := s.pieceNamed("Millstone grit")
	u := s.as(yusuf, 1280)
	u.openCopy(path)
	u.eval(`() => document.querySelector("[data-copy]").copy.quill.setContents([{ insert: "The grit comes from Derbyshire.\nIt was cut.\n" }], "user")`)
	u.seeIn("[data-words]", "8 words")
	u.at(4, 20)
	u.seeIn("[data-words]", "4 of 8 words")
	u.keys(input.Backspace)
	u.seeIn("[data-words]", "5 words")
	u.at(0, 5)
	u.seeIn("[data-words]", "of 5 words")
	u.at(2, 0)
	u.waits(`() => document.querySelector("[data-words]").textContent === "5 words"`, "what is chosen is counted on")
}
