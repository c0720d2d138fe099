package web

import (
	"archive/zip"
	"bytes"
	"net/http"
	"net/url"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"greenbaton/core/bring"
	"greenbaton/format"
	"greenbaton/newsroom/moving"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

var (
	mainOf = regexp.MustCompile(`(?s)<main.*</main>`)
	opened = regexp.MustCompile(`data-(?:mark|opened|seal)="[^"]*"`)
)

// A lead takes everything of the desk out by one press; brought into an empty house, every view, every
// copy and the logbook are what they were. Others take nothing.
func TestADeskThatMovesIsTheSameElsewhere(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h)
	for _, who := range []int{2, 4, 9} {
		if res, body := c.as(who).post("/out", nil); res.StatusCode != http.StatusForbidden || strings.HasPrefix(body, "PK") {
			t.Errorf("%d takes everything: %d", who, res.StatusCode)
		}
	}
	if _, page := c.as(1).get("/out"); !strings.Contains(page, "411 pieces with their copies, 1 file (159 kB)") {
		t.Errorf("it does not say how much goes out: %s", mainOf.FindString(page))
	}
	res, body := c.post("/out", nil)
	if res.StatusCode != http.StatusOK || res.Header.Get("Content-Type") != "application/zip" || !strings.Contains(res.Header.Get("Content-Disposition"), `"millrace-20`) {
		t.Fatal(res.StatusCode, res.Header)
	}
	z, err := zip.NewReader(strings.NewReader(body), int64(len(body)))
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	came, err := moving.In(ctx, z, dir, house.Clock())
	if err != nil || came.Pieces != 411 || !came.Chain {
		t.Fatalf("%+v %v", came, err)
	}
	db, err := store.Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = db.Close() })
	there := rooms.Open(db, quiet)
	there.Clock, there.Base = house.Clock, house.Base
	handler, err := (&Server{Newsroom: there, Log: quiet}).Handler()
	if err != nil {
		t.Fatal(err)
	}
	d := visit(t, handler)
	if _, page := d.post("/signin", url.Values{"mail": {came.Mail}, "password": {came.Password}}); !strings.Contains(page, "Maren") {
		t.Fatalf("the lead does not sign in: %s", mainOf.FindString(page))
	}
	shows := func(c *client, path string) string {
		_, page := c.get(path)
		if page = mainOf.FindString(page); len(page) < 500 {
			t.Errorf("%s shows %q", path, page)
		}
		return opened.ReplaceAllString(page, "")
	}
	for _, path := range []string{"/", "/lineup", "/track", "/load", "/pieces?pace=all", "/pieces/366", "/pieces/366/versions", "/pieces/400", "/pieces/366/logbook", "/ideas", "/requests", "/reports", "/fees", "/regulars", "/campaigns", "/rules", "/desk", "/site/web"} {
		was, is := shows(c, path), strings.Replace(shows(d, path), `<option value="moved in" >moved in</option>`, "", 1)
		if was != is {
			at := 0
			for at < len(was) && at < len(is) && was[at] == is[at] {
				at++
			}
			from := max(0, at-80)
			t.Errorf("%s was …%q\nand is …%q", path, was[from:min(len(was), at+80)], is[from:min(len(is), at+80)])
		}
	}
	n, err := store.Verify(ctx, db)
	if err != nil || n != int64(came.Entries)+1 {
		t.Errorf("%d entries of %d, %v", n, came.Entries, err)
	}
	for _, kind := range []string{"passed", "out"} {
		for i, x := range []*rooms.Newsroom{house, there} {
			var n int
			if err := x.DB.Get(ctx, &n, "SELECT COUNT(*) FROM logbook WHERE act = ?", kind); err != nil || n < 100 {
				t.Errorf("house %d: %s stands %d times in the logbook, %v", i, kind, n, err)
			}
		}
	}
}

// The pages of a folder are read as what went out before, by a house that brings in pages alone.
func TestPagesOfAFolderAreReadAsHistory(t *testing.T) {
	_, h := open(t, true)
	_, body := visit(t, h).as(1).post("/out", nil)
	z, err := zip.NewReader(strings.NewReader(body), int64(len(body)))
	if err != nil {
		t.Fatal(err)
	}
	var pages bytes.Buffer
	only := zip.NewWriter(&pages)
	for _, f := range z.File {
		if filepath.Dir(f.Name) == "pieces" {
			if err := only.Copy(f); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := only.Close(); err != nil {
		t.Fatal(err)
	}
	table, err := format.ReadHistory("pieces.zip", pages.Bytes())
	if err != nil || len(table.Rows) != 411 {
		t.Fatalf("%d pages, %v", len(table.Rows), err)
	}
	columns := bring.Guess(bring.History, table.Header)
	for _, key := range []string{"title", "day", "writer", "summary", "copy"} {
		if _, ok := columns[key]; !ok {
			t.Errorf("no column of %v is read as %s", table.Header, key)
		}
	}
}
