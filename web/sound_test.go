package web

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/mmcdole/gofeed"

	"greenbaton/store"
)

// A recording is served with its ranges (RFC 9110, sections 14 and 15.3.7), and is in the feed of
// its channel, which a feed parser reads.
func TestARecordingIsHeardFromAnywhere(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h)
	_, body := c.get("/site/audio/feed.rss")
	feed, err := gofeed.NewParser().ParseString(body)
	if err != nil || len(feed.Items) == 0 {
		t.Fatalf("the feed: %v", err)
	}
	var heard *gofeed.Item
	for _, x := range feed.Items {
		if len(x.Enclosures) > 0 {
			heard = x
		}
	}
	if heard == nil || heard.Enclosures[0].Type != "audio/mpeg" || heard.ITunesExt == nil || heard.ITunesExt.Duration != "00:00:40" || heard.Description == "" {
		t.Fatalf("no item is heard: %+v", heard)
	}
	at := heard.Enclosures[0].URL
	at = at[strings.Index(at, "/site/"):]
	ask := func(how, ranges string, heads ...string) (*http.Response, []byte) {
		t.Helper()
		req, err := http.NewRequest(how, c.url+at, nil)
		if err != nil {
			t.Fatal(err)
		}
		if ranges != "" {
			req.Header.Set("Range", ranges)
		}
		for i := 0; i+1 < len(heads); i += 2 {
			req.Header.Set(heads[i], heads[i+1])
		}
		res, err := c.http.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res, b
	}
	whole, data := ask("GET", "")
	n := len(data)
	if whole.StatusCode != 200 || whole.Header.Get("Accept-Ranges") != "bytes" || whole.Header.Get("Content-Type") != "audio/mpeg" || fmt.Sprint(n) != heard.Enclosures[0].Length {
		t.Fatalf("%d %v, %d bytes, the feed says %s", whole.StatusCode, whole.Header, n, heard.Enclosures[0].Length)
	}
	for _, x := range []struct {
		ranges   string
		code     int
		from, to int // of what comes
	}{
		{"bytes=0-3", 206, 0, 4}, {"bytes=100-", 206, 100, n}, {"bytes=-10", 206, n - 10, n}, {fmt.Sprintf("bytes=%d-%d", n-1, n+50), 206, n - 1, n},
		{fmt.Sprintf("bytes=%d-", n), 416, 0, 0}, {"bytes=9-3", 416, 0, 0}, {"lines=0-3", 416, 0, 0},
	} {
		res, b := ask("GET", x.ranges)
		switch {
		case res.StatusCode != x.code:
			t.Errorf("%s is answered %d", x.ranges, res.StatusCode)
		case x.code == 206 && (string(b) != string(data[x.from:x.to]) || res.Header.Get("Content-Range") != fmt.Sprintf("bytes %d-%d/%d", x.from, x.to-1, n)):
			t.Errorf("%s gives %d bytes as %q", x.ranges, len(b), res.Header.Get("Content-Range"))
		}
	}
	if res, b := ask("HEAD", ""); res.StatusCode != 200 || len(b) != 0 {
		t.Errorf("its head: %d", res.StatusCode)
	}
	if res, _ := ask("GET", "", "If-None-Match", whole.Header.Get("ETag")); res.StatusCode != http.StatusNotModified {
		t.Errorf("unchanged, it is answered %d", res.StatusCode)
	}
	if res, b := ask("GET", "bytes=0-3", "If-Range", `"another"`); res.StatusCode != 200 || len(b) != n {
		t.Errorf("a range of another version is answered %d with %d bytes", res.StatusCode, len(b))
	}
	// Nothing of a page that is withdrawn is heard, nor a recording that is none of its page.
	if res, _ := c.get(at + "1"); res.StatusCode != 404 {
		t.Errorf("another file is answered %d", res.StatusCode)
	}
	if err := house.DB.Write(ctx, func(tx *store.Tx) error { _, err := tx.Exec(ctx, "UPDATE site_page SET gone = 1"); return err }); err != nil {
		t.Fatal(err)
	}
	if res, _ := ask("GET", ""); res.StatusCode != 404 {
		t.Errorf("withdrawn, it is answered %d", res.StatusCode)
	}
}

// A page that moved leads to where it is now, here or elsewhere, for good (RFC 9110, 15.4.2).
func TestAPageThatMovedLeadsToWhereItIs(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h)
	c.http.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	var slug string
	if err := house.DB.Get(ctx, &slug, "SELECT slug FROM site_page WHERE channel = 'web' AND gone = 0 LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	for moved, want := range map[string]string{"tidal": "/site/web/tidal", "https://www.example.org/tidal": "https://www.example.org/tidal"} {
		if err := house.DB.Write(ctx, func(tx *store.Tx) error { return tx.WithdrawSitePage(ctx, "web", slug, moved, 1) }); err != nil {
			t.Fatal(err)
		}
		if res, _ := c.get("/site/web/" + slug); res.StatusCode != http.StatusMovedPermanently || res.Header.Get("Location") != want {
			t.Errorf("it is answered %d at %q", res.StatusCode, res.Header.Get("Location"))
		}
	}
}
