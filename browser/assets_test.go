package browser

import (
	"io"
	"log"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync"
	"testing"
)

// Scripts, styles and fonts are fetched once: over four clicks nothing of them comes again.
func TestWhatPagesAreMadeOfIsFetchedOnce(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	to, err := url.Parse(s.url)
	s.must(err)
	var mu sync.Mutex
	bytes, asked := 0, []string{}
	proxy := &httputil.ReverseProxy{
		ErrorLog: log.New(io.Discard, "", 0), // a page that is left cuts off what it asked
		Rewrite:  func(r *httputil.ProxyRequest) { r.SetURL(to); r.Out.Host = r.In.Host },
		ModifyResponse: func(res *http.Response) error {
			if strings.HasPrefix(res.Request.URL.Path, "/assets/") {
				mu.Lock()
				defer mu.Unlock()
				bytes += int(max(0, res.ContentLength))
				asked = append(asked, res.Request.URL.Path)
			}
			return nil
		},
	}
	srv := httptest.NewServer(proxy)
	t.Cleanup(srv.Close)
	u := (&site{t: t, Newsroom: s.Newsroom, url: srv.URL}).as(maren, 1280)
	u.open("/")
	fonts := `() => document.fonts.ready.then(() => String([...document.fonts].filter((f) => f.status === "loaded").length))`
	if u.eval(fonts) == "0" {
		t.Fatal("no font is loaded")
	}
	mu.Lock()
	if len(asked) < 4 || bytes < 100_000 {
		t.Fatalf("at first %q come, %d bytes", asked, bytes)
	}
	mu.Unlock()
	for _, to := range []string{"Lineup", "Track", "Load", "Today"} {
		u.press("^" + to + "$")
		u.eval(fonts)
	}
	mu.Lock()
	defer mu.Unlock()
	seen := map[string]bool{}
	for _, a := range asked {
		if seen[a] {
			t.Errorf("%s comes twice", a)
		}
		seen[a] = true
	}
}
