package format

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/mmcdole/gofeed"
	"github.com/mmcdole/gofeed/atom"

	"greenbaton/core/copy"
)

func TestHTMLKeepsStructureAndEscapesWhatWasTyped(t *testing.T) {
	text, err := copy.Parse([]byte(`[{"insert":"Head"},{"insert":"\n","attributes":{"header":2}},{"insert":"a <b> & "},{"insert":"strong","attributes":{"bold":true,"italic":true}},{"insert":"\n"},
		{"insert":"one"},{"insert":"\n","attributes":{"list":"bullet"}},{"insert":"two"},{"insert":"\n","attributes":{"list":"bullet"}},{"insert":"said"},{"insert":"\n","attributes":{"blockquote":true}},
		{"insert":"link","attributes":{"link":"https://x.example/?a=1&b=\"2\""}},{"insert":" bad","attributes":{"link":"javascript:alert(1)"}},{"insert":"\n"}]`))
	if err != nil {
		t.Fatal(err)
	}
	want := "<h2>Head</h2>\n<p>a &lt;b&gt; &amp; <strong><em>strong</em></strong></p>\n<ul>\n<li>one</li>\n<li>two</li>\n</ul>\n<blockquote>\n<p>said</p>\n</blockquote>\n" +
		`<p><a href="https://x.example/?a=1&amp;b=&#34;2&#34;" rel="nofollow noopener">link</a> bad</p>` + "\n"
	if got := HTML(text); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
}

// RFC 4287, sections 4.1.1 and 4.1.2: a feed has exactly one id, title and
// updated, an author unless every entry has one; an entry has exactly one id,
// title and updated. Read back by a general feed parser.
func TestAtomHasWhatTheStandardRequires(t *testing.T) {
	at := time.Date(2026, 11, 24, 8, 0, 0, 0, time.UTC)
	for name, pages := range map[string][]FeedPage{
		"no page": nil,
		"two": {
			{Title: "T <1> & more", Summary: "S", Author: "A", Address: "http://x.example/1", HTML: "<p>b & c</p>", Published: at, Updated: at},
			{Title: "T2", Author: "B", Address: "http://x.example/2", HTML: "<p>d</p>", Published: at, Updated: at.Add(time.Hour)},
		},
	} {
		s, err := Atom("Millrace, Web", "http://x.example", at, pages)
		if err != nil {
			t.Fatal(err)
		}
		f, err := (&atom.Parser{}).Parse(strings.NewReader(s))
		if err != nil {
			t.Fatal(err)
		}
		if f.ID == "" || f.Title != "Millrace, Web" || f.UpdatedParsed == nil || len(f.Authors) == 0 || len(f.Entries) != len(pages) {
			t.Errorf("%s: feed %+v", name, f)
		}
		for i, e := range f.Entries {
			if e.ID != pages[i].Address || e.Title != pages[i].Title || e.UpdatedParsed == nil || len(e.Links) == 0 || e.Content == nil || e.Content.Value != pages[i].HTML {
				t.Errorf("%s: entry %+v", name, e)
			}
		}
		if len(pages) == 2 && !f.UpdatedParsed.Equal(at.Add(time.Hour)) {
			t.Errorf("the feed was updated %v", f.UpdatedParsed)
		}
		if _, err := gofeed.NewParser().ParseString(s); err != nil {
			t.Error(err)
		}
	}
}

func TestALogbookIsTakenOutAsCSVAndJSON(t *testing.T) {
	first := []LogEntry{{Seq: 1, At: "2026-11-24T09:00:00Z", Who: "=Maren", What: "passed, “Draft”\nto Ruth", Hash: "a"}}
	more := [][]LogEntry{{{Seq: 2, Who: "Green Baton", What: "sent it out"}}, nil}
	next := func() ([]LogEntry, error) {
		x := more[0]
		more = more[1:]
		return x, nil
	}
	var b strings.Builder
	if err := Log(&b, "csv", first, next); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(b.String())).ReadAll()
	if err != nil || len(rows) != 3 || rows[1][2] != "'=Maren" || rows[1][4] != "passed, “Draft”\nto Ruth" || rows[2][0] != "2" {
		t.Errorf("%q, %v", rows, err)
	}
	for n, entries := range [][]LogEntry{nil, first} {
		b.Reset()
		if err := Log(&b, "json", entries, func() ([]LogEntry, error) { return nil, nil }); err != nil {
			t.Fatal(err)
		}
		var got []LogEntry
		if err := json.Unmarshal([]byte(b.String()), &got); err != nil || len(got) != n || n == 1 && got[0] != first[0] {
			t.Errorf("%s: %v", b.String(), err)
		}
	}
}
