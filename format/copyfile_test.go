package format

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"greenbaton/core/copy"
)

func read(t *testing.T, name string) []byte {
	t.Helper()
	b, err := os.ReadFile("testdata/" + name)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// bare gives a copy whose spaces are set like nothing: how a space between words is set is
// not kept by all formats.
func bare(t copy.Text) copy.Text {
	var c copy.Change
	for _, o := range t {
		for i, part := range strings.Split(o.Insert, " ") {
			if i > 0 {
				c = c.Put(" ", nil)
			}
			c = c.Put(part, o.Attributes)
		}
	}
	return copy.Text(c)
}

func same(t *testing.T, what string, got copy.Text, err error, want copy.Text) {
	t.Helper()
	if err != nil || string(got.JSON()) != string(want.JSON()) {
		t.Errorf("%s:\n got %s\nwant %s (%v)", what, got.JSON(), want.JSON(), err)
	}
}

// A document that LibreOffice 7.4 wrote of a page with all that a copy knows.
func TestADocumentOfAnotherProgramIsRead(t *testing.T) {
	want, err := copy.Parse([]byte(`[{"insert":"The leat"},{"insert":"\n","attributes":{"header":2}},{"insert":"Twice a day"},{"insert":"\n","attributes":{"header":2}},{"insert":"The water "},{"insert":"drops","attributes":{"bold":true}},{"insert":" and "},{"insert":"rises","attributes":{"italic":true}},{"insert":", says "},{"insert":"the keeper","attributes":{"link":"https://weir.example/leat"}},{"insert":".\none sluice"},{"insert":"\n","attributes":{"list":"bullet"}},{"insert":"two "},{"insert":"stones","attributes":{"bold":true}},{"insert":"\n","attributes":{"list":"bullet"}},{"insert":"open it"},{"insert":"\n","attributes":{"list":"ordered"}},{"insert":"wait"},{"insert":"\n","attributes":{"list":"ordered"}},{"insert":"Nothing happens when it suits you."},{"insert":"\n","attributes":{"blockquote":true}},{"insert":"After"},{"insert":"\n","attributes":{"header":3}},{"insert":"Tŷ melin & “quotes” – 🌾.\n"}]`))
	if err != nil {
		t.Fatal(err)
	}
	got, err := FromDOCX(read(t, "libreoffice.docx"))
	same(t, "docx", got, err, want)
	back, err := DOCX("Leat", want, nil)
	if err != nil {
		t.Fatal(err)
	}
	got, err = FromDOCX(back)
	titled, _ := copy.Parse([]byte(`[{"insert":"Leat"},{"insert":"\n","attributes":{"header":2}}]`))
	same(t, "our own docx", got, err, append(titled[:2:2], want...))
	got, err = FromMarkdown([]byte(Markdown(want, nil)))
	same(t, "markdown", got, err, want)
	got, err = FromHTML([]byte(HTML(want)))
	same(t, "html", got, err, want)

	soffice, err := exec.LookPath("soffice")
	if err != nil {
		t.Fatal("LibreOffice is not there; ./test installs it")
	}
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "x.docx"), back, 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command(soffice, "-env:UserInstallation=file://"+dir+"/lo", "--headless", "--convert-to", "txt:Text (encoded):UTF8", "--outdir", dir, filepath.Join(dir, "x.docx")).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	text, err := os.ReadFile(filepath.Join(dir, "x.txt"))
	if err != nil || !strings.Contains(string(text), "The water drops and rises, says the keeper.") || !strings.Contains(string(text), "Tŷ melin & “quotes” – 🌾.") {
		t.Errorf("LibreOffice reads %q, %v", text, err)
	}
}

// CommonMark's own examples (spec 0.31, CC BY-SA 4.0) for headings, emphasis, links,
// lists, quotations and paragraphs: what is read of the Markdown is what is read of the
// HTML that the specification gives for it.
func TestMarkdownAgainstTheSpecification(t *testing.T) {
	var cases []struct {
		Example                 int
		Section, Markdown, HTML string
	}
	if err := json.Unmarshal(read(t, "commonmark.json"), &cases); err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, x := range cases {
		if strings.Contains(x.HTML, "<img") || strings.Contains(x.Markdown, "<") { // HTML in Markdown is not read
			continue
		}
		n++
		want, err := FromHTML([]byte(x.HTML))
		if err != nil {
			t.Fatal(err)
		}
		got, err := FromMarkdown([]byte(x.Markdown))
		same(t, x.Section+" "+x.Markdown, got, err, want)
		again, err := FromMarkdown([]byte(Markdown(got, nil))) // and written again it is the same
		same(t, "again: "+Markdown(got, nil), bare(again), err, bare(got))
	}
	if n < 250 {
		t.Errorf("%d examples", n)
	}
}

func TestWhatIsNotWordsOfAPageIsDropped(t *testing.T) {
	got, err := FromHTML([]byte(`<title>T</title><script>alert(1)</script><style>p{}</style><p onclick="x()">a<br>b <a href="javascript:x">c</a></p><svg><text>s</text></svg><iframe>i</iframe><table><tr><td>1<td>2</table>`))
	want := copy.FromPlain("a\nb c\n1\n2")
	same(t, "page", got, err, want)
}

func TestBrokenDocumentsAreRefused(t *testing.T) {
	pack := func(name, text string) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write([]byte(text))
		}
		if err = errors.Join(err, z.Close()); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	for name, b := range map[string][]byte{
		"no zip": []byte("hello"), "another zip": pack("x.txt", "x"), "no XML": pack("word/document.xml", "<w:p"),
		"a bomb": pack("word/document.xml", strings.Repeat(" ", mostUnpacked+1)), "cut off": read(t, "libreoffice.docx")[:2000],
	} {
		if x, err := FromDOCX(b); err == nil {
			t.Errorf("%s is read as %s", name, x.JSON())
		}
	}
	if x, err := FromDOCX(pack("word/document.xml", `<!DOCTYPE d [<!ENTITY e SYSTEM "file:///etc/passwd">]><d>&e;</d>`)); err == nil {
		t.Errorf("an entity is read as %s", x.JSON())
	}
}

func FuzzFromMarkdown(f *testing.F) {
	f.Add("# a\n\n- *b*\n- c\n\n> d\n\n1. e **f**[g](h)")
	f.Fuzz(func(t *testing.T, s string) {
		x, err := FromMarkdown([]byte(s))
		if err != nil {
			return
		}
		if _, err := copy.Parse(x.JSON()); err != nil {
			t.Fatal(err)
		}
	})
}
