package format

import (
	"archive/zip"
	"bytes"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"greenbaton/core/copy"
)

// document packs the parts of a word processor's document.
func document(t testing.TB, parts map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range parts {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(text)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// lists is a document of n lists, each with a form of its own, every second numbered.
func lists(t testing.TB, n int) []byte {
	var numbering, body strings.Builder
	numbering.WriteString(`<w:numbering xmlns:w="` + wordNS + `">`)
	for i := range n {
		fmt.Fprintf(&numbering, `<w:abstractNum w:abstractNumId="%d"><w:lvl w:ilvl="0"><w:numFmt w:val="%s"/></w:lvl><w:lvl w:ilvl="1"><w:numFmt w:val="bullet"/></w:lvl></w:abstractNum>`, i, []string{"bullet", "decimal"}[i%2])
	}
	body.WriteString(`<w:document xmlns:w="` + wordNS + `"><w:body>`)
	for i := range n {
		fmt.Fprintf(&numbering, `<w:num w:numId="%d"><w:abstractNumId w:val="%d"/></w:num>`, i+1, i)
		fmt.Fprintf(&body, `<w:p><w:pPr><w:numPr><w:ilvl w:val="0"/><w:numId w:val="%d"/></w:numPr></w:pPr><w:r><w:t>item %d</w:t></w:r></w:p>`, i+1, i)
	}
	return document(t, map[string]string{"word/numbering.xml": numbering.String() + `</w:numbering>`, "word/document.xml": body.String() + `</w:body></w:document>`})
}

// paragraphs is a document of n paragraphs of a few words.
func paragraphs(t testing.TB, n int) []byte {
	return document(t, map[string]string{"word/document.xml": `<w:document xmlns:w="` + wordNS + `"><w:body>` + strings.Repeat(`<w:p><w:r><w:t>four words of it</w:t></w:r></w:p>`, n) + `</w:body></w:document>`})
}

// Each list of a document with very many is what it says of itself.
func TestADocumentWithManyListsIsRead(t *testing.T) {
	const n = 24_000
	text, err := FromDOCX(lists(t, n))
	if err != nil {
		t.Fatal(err)
	}
	lines := text.Lines()
	if len(lines) != n {
		t.Fatalf("%d lines", len(lines))
	}
	for i, l := range lines {
		if want := []string{"bullet", "ordered"}[i%2]; l.Text("list") != want {
			t.Fatalf("item %d is of a list that is %s", i, l.Text("list"))
		}
	}
}

// What is beyond the bounds is refused with what to do.
func TestWhatIsBeyondTheBoundsIsRefused(t *testing.T) {
	html := func(s string) error { _, err := FromHTML([]byte(s)); return err }
	markdown := func(s string) error { _, err := FromMarkdown([]byte(s)); return err }
	for name, x := range map[string]struct {
		err  error
		says string
	}{
		"a page that is too large":      {html(strings.Repeat("word ", 1<<20)), "larger than 4 MB"},
		"a page of elements":            {html(strings.Repeat("<b>x</b>", 120_000)), "too many elements"},
		"elements in each other":        {html(strings.Repeat("<div>", 5000)), "nested too deep"},
		"a page of too much text":       {html(strings.Repeat("<p>"+strings.Repeat("word ", 2000)+"</p>", 300)), "more than 2 MB of text"},
		"too much Markdown":             {markdown(strings.Repeat("word\n\n", 1<<19)), "larger than 2 MB"},
		"signs in one paragraph":        {markdown(strings.Repeat("*a _b ", 1100)), "more than 2000 signs"},
		"brackets over several lines":   {markdown(strings.Repeat("[a](\n", 1001)), "more than 2000 signs"},
		"definitions one after another": {markdown(strings.Repeat("[a]: x\n", 1001)), "more than 2000 signs"},
		"quotations in each other":      {markdown(strings.Repeat("> ", 61) + "a"), "nested more than 60 deep"},
		"lists in each other":           {markdown(strings.Repeat("- ", 61) + "a"), "nested more than 60 deep"},
		"a document of too much text":   {func() error { _, err := FromDOCX(paragraphs(t, 200_000)); return err }(), "more than 2 MB of text"},
	} {
		if x.err == nil || !strings.Contains(x.err.Error(), x.says) {
			t.Errorf("%s: %v", name, x.err)
		}
	}
	if err := markdown(strings.Repeat("- an *item* with a [link](https://mill.example)\n", 3000)); err != nil {
		t.Errorf("a long list: %v", err)
	}
}

// What a reader allocates grows with the length of what it reads, whatever that is.
func TestReadersAllocateInProportion(t *testing.T) {
	for name, read := range readers(t) {
		small, large := allocated(t, read, 500), allocated(t, read, 8000)
		if large > 24*small+1<<20 { // sixteen times as much to read
			t.Errorf("%s: %d KB for 500, %d KB for 8,000", name, small>>10, large>>10)
		}
	}
}

func allocated(t *testing.T, read func(n int) func() error, n int) int64 {
	t.Helper()
	do := read(n)
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	err := do()
	runtime.ReadMemStats(&after)
	if err != nil {
		t.Fatal(err)
	}
	return int64(after.TotalAlloc - before.TotalAlloc)
}

// readers are the readers of foreign files, on what could be hard for them.
func readers(t testing.TB) map[string]func(n int) func() error {
	page := func(f func(n int) string) func(n int) func() error {
		return func(n int) func() error {
			s := []byte(f(n))
			return func() error { _, err := FromHTML(s); return err }
		}
	}
	markdown := func(f func(n int) string) func(n int) func() error {
		return func(n int) func() error {
			s := []byte(f(n))
			return func() error { _, err := FromMarkdown(s); return err }
		}
	}
	return map[string]func(n int) func() error{
		"HTML, one paragraph":       page(func(n int) string { return strings.Repeat("word ", n) }),
		"HTML, paragraphs":          page(func(n int) string { return strings.Repeat("<p>word <b>bold</b></p>", n) }),
		"HTML, an open list":        page(func(n int) string { return "<ul>" + strings.Repeat("<li>word", n) }),
		"HTML, 400 bold elements":   page(func(n int) string { return bold(400) + strings.Repeat("<p>x</p>", n) }),
		"HTML, fonts closed":        page(func(n int) string { return bold(400) + strings.Repeat("</p>x", n) }),
		"Markdown, paragraphs":      markdown(func(n int) string { return strings.Repeat("a *word* and `code`\n\n", n) }),
		"Markdown, one paragraph":   markdown(func(n int) string { return strings.Repeat("words of it\n", n) }),
		"Markdown, a list of links": markdown(func(n int) string { return strings.Repeat("- [a](b)\n", n) }),
		"DOCX, paragraphs": func(n int) func() error {
			b := paragraphs(t, n)
			return func() error { _, err := FromDOCX(b); return err }
		},
		"DOCX, lists": func(n int) func() error { b := lists(t, n); return func() error { _, err := FromDOCX(b); return err } },
		"CSV": func(n int) func() error {
			b := []byte("a;b;c\n" + strings.Repeat("1;\"two words\";3\n", n))
			return func() error { _, err := ReadTable("x.csv", b); return err }
		},
		"XLSX": func(n int) func() error {
			b := sheet(t, n)
			return func() error { _, err := ReadTable("x.xlsx", b); return err }
		},
	}
}

// bold opens n bold elements that are each another.
func bold(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "<b id=%d>", i)
	}
	return b.String()
}

func sheet(t testing.TB, n int) []byte {
	t.Helper()
	f := excelize.NewFile()
	defer f.Close()
	for i := range n + 1 {
		if err := f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &[]any{"a", i, "two words"}); err != nil {
			t.Fatal(err)
		}
	}
	b, err := f.WriteToBuffer()
	if err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// Sizes that double: the time should not grow faster.
func BenchmarkReaders(b *testing.B) {
	for name, read := range readers(b) {
		for _, n := range []int{1000, 2000, 4000, 8000} {
			do := read(n)
			b.Run(fmt.Sprintf("%s/%d", strings.ReplaceAll(name, " ", "_"), n), func(b *testing.B) {
				b.ReportAllocs()
				for b.Loop() {
					if err := do(); err != nil {
						b.Fatal(err)
					}
				}
				b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(n), "ns/item")
			})
		}
	}
}

func FuzzFromHTML(f *testing.F) {
	f.Add([]byte("<h2>a</h2><ul><li>b<li><a href=x>c</a></ul><table><tr><td>d<p><b>e<i>f</b>"))
	f.Add([]byte("<font id=1><p><font id=2></p>x<select><option><!--"))
	f.Fuzz(func(t *testing.T, b []byte) { stays(t, b, FromHTML) })
}

func FuzzFromDOCX(f *testing.F) {
	f.Add(lists(f, 3))
	f.Add(paragraphs(f, 2))
	f.Fuzz(func(t *testing.T, b []byte) {
		stays(t, b, FromDOCX)
		stays(t, document(t, map[string]string{"word/document.xml": string(b), "word/numbering.xml": string(b), "word/styles.xml": string(b), "word/_rels/document.xml.rels": string(b)}), FromDOCX)
	})
}

// stays reads something and looks whether what comes of it is a copy.
func stays(t *testing.T, b []byte, read func([]byte) (copy.Text, error)) {
	x, err := read(b)
	if err != nil {
		return
	}
	if again, err := copy.Parse(x.JSON()); err != nil || string(again.JSON()) != string(x.JSON()) {
		t.Fatalf("%s is read again as %s: %v", x.JSON(), again.JSON(), err)
	}
}
