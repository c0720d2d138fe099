package format

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"greenbaton/core/bring"
	"greenbaton/core/ref"
)

func zipOf(t testing.TB, files map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write([]byte(text))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// pngBytes is how a picture begins, by the PNG specification.
const pngBytes = "\x89PNG\r\n\x1a\n"

// cells gives a row without its empty cells, by name.
func cells(t bring.Table, row int) string {
	var out []string
	for i, v := range t.Rows[row] {
		if v != "" {
			out = append(out, t.Header[i]+"="+v)
		}
	}
	return strings.Join(out, " | ")
}

// Pages of a folder are rows: with front matter as common practice writes it (no source), by the name
// of the file, by a first heading, and from the head of HTML.
func TestAFolderOfPagesIsRead(t *testing.T) {
	for name, x := range map[string]struct{ file, text, want string }{
		"front matter":          {"a.md", "---\ntitle: \"The mill: a day\"\ndate: 2024-03-01\nauthor: Ines Rowe\ntags: [mills, rivers]\ncategory: Water\nurl: https://old.example/mill\nsummary: It turns.\n---\n\n## One\n\nWords.\n", "Title=The mill: a day | Day it went out=2024-03-01 | Address=https://old.example/mill | Who wrote it=Ines Rowe | Topic=Water | Tags=mills, rivers | Description=It turns. | Copy=## One\n\nWords."},
		"with carriage returns": {"a.md", "---\r\ntitle: Mill\r\ndate: 2024-03-01\r\n---\r\nWords.\r\n", "Title=Mill | Day it went out=2024-03-01 | Copy=Words."},
		"an author with a name": {"a.md", "---\ntitle: Mill\nauthor:\n  name: Ines\n---\nWords.\n", "Title=Mill | Who wrote it=Ines | Copy=Words."},
		"by its name":           {"posts/2023-05-06-the-tide-mill.md", "Words.", "Title=the tide mill | Day it went out=2023-05-06 | Copy=Words."},
		"by its heading":        {"x.markdown", "# The tide mill\n\nWords.", "Title=The tide mill | Copy=Words."},
		"of a folder":           {"the-tide-mill/index.md", "Words.", "Title=the tide mill | Copy=Words."},
		"a draft":               {"a.md", "---\ntitle: Mill\ndraft: true\n---\nWords.\n", "Title=Mill | Copy=Words. | State=draft"},
		"one that is not out":   {"a.md", "---\ntitle: Mill\ndate: 2024-03-01\npublished: false\n---\nWords.\n", "Title=Mill | Day it went out=2024-03-01 | Copy=Words. | State=draft"},
		"one that is":           {"a.md", "---\ntitle: Mill\ndate: 2024-03-01\npublished: true\n---\nWords.\n", "Title=Mill | Day it went out=2024-03-01 | Copy=Words."},
		"with a state":          {"a.md", "---\ntitle: Mill\nstatus: In review\ndraft: true\n---\nWords.\n", "Title=Mill | Copy=Words. | State=In review"},
		"HTML":                  {"a.html", `<html><head><title>Mill</title><link rel="canonical" href="https://old.example/a"><meta name="author" content="Ines"><meta property="article:published_time" content="2024-03-01T08:00:00Z"><meta name="description" content="It turns."></head><body><nav>Menu</nav><article><p>Words.</p></article></body></html>`, "Title=Mill | Day it went out=2024-03-01T08:00:00Z | Address=https://old.example/a | Who wrote it=Ines | Description=It turns. | Copy=<article><p>Words.</p></article>"},
	} {
		got, err := ReadHistory("pages.zip", zipOf(t, map[string]string{x.file: x.text}))
		if err != nil || len(got.Rows) != 1 || cells(got, 0) != x.want {
			t.Errorf("%s: %v\n%s\nnot\n%s", name, err, cells(got, 0), x.want)
		}
	}
	got, err := ReadHistory("pages.zip", zipOf(t, map[string]string{"a.md": "Words.", "bad.md": "---\ntitle: [\n---\nWords.", "p.png": pngBytes, ".hidden.md": "x", "__MACOSX/a.md": "x", "__MACOSX/p.png": "x"}))
	if err != nil || len(got.Rows) != 1 || len(got.Notes) != 2 || !strings.Contains(got.Notes[0], "One page could not be read") || !strings.Contains(got.Notes[1], "One picture is left out") {
		t.Errorf("%v %+v", err, got)
	}
}

// Pictures of a folder come with the pages that show them, by whatever way leads to them; a copy has
// those that are stored, on lines of their own.
func TestPicturesComeWithTheirPages(t *testing.T) {
	got, err := ReadHistory("pages.zip", zipOf(t, map[string]string{
		"posts/a.md":       "One.\n\n![The gate, \"shut\"](../img/the%20gate.png)\n\n![Away](https://far.example/x.png) and ![Not here](none.png)\n\n![Again](/img/the%20gate.png)\n",
		"posts/b.html":     `<article><p>Two <img src="c.jpg" alt="Up &amp; down"> end.</p></article>`,
		"img/the gate.png": pngBytes, "posts/c.jpg": "\xff\xd8\xff\xe0", "img/unseen.gif": "GIF89a", "none.png": "no picture", "posts/none.png": "<html>",
	}))
	if err != nil || len(got.Rows) != 2 || len(got.Files) != 2 || string(got.Files["img/the gate.png"]) != pngBytes || len(got.Notes) != 1 || !strings.Contains(got.Notes[0], "3 pictures are left out") || !strings.Contains(got.Notes[0], "no pictures at all") {
		t.Fatalf("%v %+v", err, got)
	}
	texts := map[string]string{}
	for _, r := range got.Rows {
		text, err := FromText(r[8], func(address string) (ref.File, bool) {
			return map[string]ref.File{InArchive + "img%2Fthe%20gate.png": 7, InArchive + "posts%2Fc.jpg": 8}[address], strings.HasPrefix(address, InArchive)
		})
		if err != nil {
			t.Fatal(err)
		}
		texts[r[0]] = string(text.JSON())
	}
	for title, want := range map[string]string{
		"a": `[{"insert":"One.\n"},{"insert":{"picture":"7"},"attributes":{"alt":"The gate, \"shut\""}},{"insert":"\nand\n"},{"insert":{"picture":"7"},"attributes":{"alt":"Again"}},{"insert":"\n"}]`,
		"b": `[{"insert":"Two\n"},{"insert":{"picture":"8"},"attributes":{"alt":"Up & down"}},{"insert":"\nend.\n"}]`,
	} {
		if texts[title] != want {
			t.Errorf("%s:\n%s\nnot\n%s", title, texts[title], want)
		}
	}
}

// Feeds as three generators write them, made up and kept small: Atom 1.0 (RFC 4287), RSS 2.0 with
// content:encoded, and RSS 1.0.
func TestFeedsAreRead(t *testing.T) {
	for name, x := range map[string]struct{ feed, want string }{
		"Atom":    {`<?xml version="1.0"?><feed xmlns="http://www.w3.org/2005/Atom"><title>Old</title><entry><title>Mill</title><link href="https://old.example/mill"/><published>2024-03-01T08:00:00+01:00</published><author><name>Ines</name></author><category term="mills"/><summary>It turns.</summary><content type="html">&lt;p&gt;Words.&lt;/p&gt;</content></entry></feed>`, "Title=Mill | Day it went out=2024-03-01T07:00:00Z | Address=https://old.example/mill | Who wrote it=Ines | Tags=mills | Description=It turns. | Copy=<p>Words.</p>"},
		"RSS 2.0": {`<rss version="2.0" xmlns:content="http://purl.org/rss/1.0/modules/content/" xmlns:dc="http://purl.org/dc/elements/1.1/"><channel><title>Old</title><item><title>Mill</title><link>https://old.example/mill</link><pubDate>Fri, 01 Mar 2024 08:00:00 GMT</pubDate><dc:creator>Ines</dc:creator><category>mills</category><category>rivers</category><description>It &lt;b&gt;turns&lt;/b&gt;.</description><content:encoded><![CDATA[<p>Words.</p>]]></content:encoded></item></channel></rss>`, "Title=Mill | Day it went out=2024-03-01T08:00:00Z | Address=https://old.example/mill | Who wrote it=Ines | Tags=mills, rivers | Description=It turns. | Copy=<p>Words.</p>"},
		"RSS 1.0": {`<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#" xmlns="http://purl.org/rss/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/"><channel rdf:about="x"><title>Old</title></channel><item rdf:about="https://old.example/mill"><title>Mill</title><link>https://old.example/mill</link><dc:date>2024-03-01T08:00:00Z</dc:date><description>Words.</description></item></rdf:RDF>`, "Title=Mill | Day it went out=2024-03-01T08:00:00Z | Address=https://old.example/mill | Copy=Words."},
	} {
		got, err := ReadHistory("feed.xml", []byte(x.feed))
		if err != nil || len(got.Rows) != 1 || cells(got, 0) != x.want {
			t.Errorf("%s: %v\n%+v\nnot\n%s", name, err, got.Rows, x.want)
		}
	}
}

func TestWhatIsNoHistoryIsRefusedWithASentence(t *testing.T) {
	bomb := zipOf(t, map[string]string{"a.md": strings.Repeat("0", 40<<20), "b.md": "Words."})
	for name, x := range map[string]struct {
		data []byte
		says string
	}{
		"a feed with entities": {[]byte(`<?xml version="1.0"?><!DOCTYPE r [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><rss version="2.0"><channel><item><title>&b;</title></item></channel></rss>`), "declares entities"},
		"a feed without any":   {[]byte(`<rss version="2.0"><channel></channel></rss>`), "no entry"},
		"a broken feed":        {[]byte(`<rss version="2.0"><channel><item>`), "no feed"},
		"only bad pages":       {zipOf(t, map[string]string{"a.md": "---\n\tx: {\n---\n"}), "No page"},
	} {
		if got, err := ReadHistory("x", x.data); err == nil || !strings.Contains(err.Error(), x.says) {
			t.Errorf("%s: %v %+v", name, err, got)
		}
	}
	if got, err := ReadHistory("x", bomb); err != nil || len(got.Rows) != 1 || len(got.Notes) != 1 {
		t.Errorf("a page that swells: %v, %d rows", err, len(got.Rows))
	}
	many := map[string]string{}
	for i := range 40 {
		many[fmt.Sprint(i, ".md")] = strings.Repeat("0", 2<<20)
	}
	if _, err := ReadHistory("x", zipOf(t, many)); err == nil || !strings.Contains(err.Error(), "unpacked") {
		t.Errorf("forty pages that swell: %v", err)
	}
}

func FuzzReadHistory(f *testing.F) {
	f.Add([]byte("---\ntitle: x\n---\nwords"))
	f.Add([]byte(`<feed xmlns="http://www.w3.org/2005/Atom"><entry><title>x</title></entry></feed>`))
	f.Add([]byte("title: &a [*a, *a]"))
	f.Fuzz(func(t *testing.T, data []byte) {
		for _, d := range [][]byte{data, zipOf(t, map[string]string{"a.md": string(data), "b.html": string(data)}), zipOf(t, map[string]string{"a.md": "---\n" + string(data) + "\n---\nWords."})} {
			got, err := ReadHistory("x", d)
			for _, r := range got.Rows {
				if err == nil && len(got.Header) == len(historyHeader) && len(r) != len(got.Header) {
					t.Errorf("%d cells", len(r))
				}
			}
		}
	})
}
