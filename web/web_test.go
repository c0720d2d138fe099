package web

import (
	"context"
	"encoding/csv"
	"fmt"
	"html"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"greenbaton/demo"
	"greenbaton/newsroom/rooms"
	"greenbaton/post"
	"greenbaton/store"
)

var (
	ctx   = context.Background()
	quiet = slog.New(slog.NewTextHandler(io.Discard, nil))
	start string // a data file with the played demo
)

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "greenbaton")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		db, err := store.Open(ctx, dir)
		if err != nil {
			panic(err)
		}
		h := rooms.Open(db, quiet)
		h.Mail, h.Carriers, h.Briefs = post.Room{DB: db}, post.Carriers(db, "", false), post.Briefs{}
		if _, err := demo.Open(ctx, h, dir); err != nil {
			panic(err)
		}
		if err := db.Close(); err != nil {
			panic(err)
		}
		start = filepath.Join(dir, "start.db")
		return m.Run()
	}())
}

// open starts a server on the played demo, or on an empty house.
func open(t testing.TB, played bool) (*rooms.Newsroom, http.Handler) {
	t.Helper()
	s, handler := openServer(t, played)
	return s.Newsroom, handler
}

func openServer(t testing.TB, played bool) (*Server, http.Handler) {
	t.Helper()
	dir := t.TempDir()
	if played {
		b, err := os.ReadFile(start)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, store.FileName), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	db, err := store.Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	h := rooms.Open(db, quiet)
	h.Mail, h.Carriers, h.Briefs = post.Room{DB: db}, post.Carriers(db, "", false), post.Briefs{}
	s := &Server{Newsroom: h, Log: quiet}
	if played {
		if s.Demo, err = demo.Open(ctx, h, dir); err != nil {
			t.Fatal(err)
		}
	}
	handler, err := s.Handler()
	if err != nil {
		t.Fatal(err)
	}
	return s, handler
}

// client is a browser without scripts.
type client struct {
	t    testing.TB
	url  string
	http *http.Client
}

func visit(t testing.TB, h http.Handler) *client {
	t.Helper()
	srv := httptest.NewServer(h)
	t.Cleanup(srv.Close)
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &client{t, srv.URL, &http.Client{Jar: jar}}
}

// another is a second browser at the same server.
func (c *client) another() *client {
	jar, err := cookiejar.New(nil)
	if err != nil {
		c.t.Fatal(err)
	}
	return &client{c.t, c.url, &http.Client{Jar: jar}}
}

func (c *client) get(path string) (*http.Response, string) {
	c.t.Helper()
	res, err := c.http.Get(c.url + path)
	return c.read(res, err)
}

func (c *client) post(path string, form url.Values) (*http.Response, string) {
	c.t.Helper()
	res, err := c.http.PostForm(c.url+path, form)
	return c.read(res, err)
}

func (c *client) read(res *http.Response, err error) (*http.Response, string) {
	c.t.Helper()
	if err != nil {
		c.t.Fatal(err)
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	return res, string(b)
}

func (c *client) as(person int) *client {
	c.t.Helper()
	c.post("/signin/as", url.Values{"person": {fmt.Sprint(person)}})
	return c
}

func TestEveryAnswerIsGuarded(t *testing.T) {
	_, h := open(t, true)
	c := visit(t, h).as(1)
	for _, path := range []string{"/", "/pieces", "/pieces/new", "/pieces/1", "/inbox", "/logbook", "/post", "/desk", "/signin", "/site/web", "/site/web/feed.atom", "/nowhere", "/healthz", "/assets/app.css"} {
		res, body := c.get(path)
		csp := res.Header.Get("Content-Security-Policy")
		if !strings.Contains(csp, "default-src 'none'") || strings.Contains(csp, "unsafe") || res.Header.Get("X-Content-Type-Options") != "nosniff" {
			t.Errorf("%s: policy %q", path, csp)
		}
		if private := !strings.HasPrefix(path, "/site") && !strings.HasPrefix(path, "/assets") && path != "/healthz" && path != "/nowhere"; private && res.Header.Get("Cache-Control") != "no-store" {
			t.Errorf("%s can be kept by a cache", path)
		}
		if strings.Contains(body, " style=") || strings.Contains(body, " onclick=") {
			t.Errorf("%s has styles or scripts in its elements", path)
		}
	}
}

func TestPostsFromOtherSitesAreRefused(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	for _, header := range []string{"Sec-Fetch-Site: cross-site", "Origin: https://elsewhere.example"} {
		req, err := http.NewRequest(http.MethodPost, c.url+"/inbox/read", nil)
		if err != nil {
			t.Fatal(err)
		}
		k, v, _ := strings.Cut(header, ": ")
		req.Header.Set(k, v)
		res, _ := c.read(c.http.Do(req))
		if res.StatusCode != http.StatusForbidden {
			t.Errorf("%s: %d", header, res.StatusCode)
		}
	}
	if n, err := house.Notify.Unread(ctx, 1); err != nil || n == 0 {
		t.Error("it was carried out", err)
	}
}

func TestNobodyGetsInUninvited(t *testing.T) {
	_, h := open(t, true)
	c := visit(t, h)
	for _, path := range []string{"/", "/pieces", "/pieces/1", "/pieces/1/copy", "/inbox", "/logbook", "/post", "/desk"} {
		if res, _ := c.get(path); res.Request.URL.Path != "/signin" {
			t.Errorf("%s is shown to nobody in particular", path)
		}
	}
	for _, path := range []string{"/pieces/1/pass", "/pieces/new", "/inbox/read", "/clock/day"} {
		if res, _ := c.post(path, nil); res.StatusCode != http.StatusUnauthorized {
			t.Errorf("%s: %d", path, res.StatusCode)
		}
	}
}

func TestSigningInAndOutEverywhere(t *testing.T) {
	_, h := open(t, true)
	one := visit(t, h)
	two := one.another()
	ok := url.Values{"mail": {"Maren@millrace.example"}, "password": {demo.Password}}
	for _, c := range []*client{one, two} {
		if res, _ := c.post("/signin", ok); res.Request.URL.Path != "/" {
			t.Fatalf("not signed in: %s", res.Request.URL.Path)
		}
	}
	one.post("/signout/everywhere", nil)
	if res, _ := two.get("/"); res.Request.URL.Path != "/signin" {
		t.Error("the other device is still signed in")
	}
	for i := range 12 {
		res, body := two.post("/signin", url.Values{"mail": {"maren@millrace.example"}, "password": {"guess"}})
		want := "do not belong together"
		if i >= 10 { // on a device on which she has signed in before
			want = "Too many wrong passwords"
		}
		if res.StatusCode != 422 || !strings.Contains(body, want) || !strings.Contains(body, "maren@millrace.example") {
			t.Errorf("guess %d: %d, without %q or without what was typed", i, res.StatusCode, want)
		}
	}
	if res, _ := two.post("/signin", ok); res.Request.URL.Path == "/" && res.StatusCode == 200 && strings.Contains(res.Header.Get("Set-Cookie"), "greenbaton") {
		t.Error("guessing is not slowed down")
	}
	var hash string
	hs, _ := open(t, true)
	if err := hs.DB.Get(ctx, &hash, "SELECT password FROM person WHERE id = 1"); err != nil || strings.Contains(hash, demo.Password) {
		t.Error("the password is stored as it is", err)
	}
}

func TestThingsTypedAreKeptWhenRefused(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	form := url.Values{"title": {""}, "format": {"1"}, "date": {"2026-12-16"}, "time": {"08:00"}, "brief": {"kept <b>brief</b>"}, "from": {"20"}, "to": {"10"}, "owner": {"2"}, "do": {"make"}}
	res, body := c.post("/pieces/new", form)
	if res.StatusCode != 422 || !strings.Contains(body, "Give the piece a title") || !strings.Contains(body, "kept &lt;b&gt;brief&lt;/b&gt;") || !strings.Contains(body, `value="2026-12-16"`) {
		t.Errorf("%d: something typed is lost", res.StatusCode)
	}
	for field, bad := range map[string]string{"date": "tomorrow", "time": "late", "from": "many", "days-draft": "1.5"} {
		f := url.Values{"title": {"T"}, "format": {"1"}, "planned": {"1"}, "date": {"2026-12-16"}}
		f.Set(field, bad)
		if res, body := c.post("/pieces/new", f); res.StatusCode != 422 || !strings.Contains(body, "problem") {
			t.Errorf("%s %q: %d", field, bad, res.StatusCode)
		}
	}
	for _, date := range []string{"9999-12-31", "0001-01-01", "2026-11-23"} {
		if res, body := c.post("/pieces/new", url.Values{"title": {"T"}, "format": {"1"}, "date": {date}}); res.StatusCode != 422 || !strings.Contains(body, "thirty years away") && !strings.Contains(body, "is past") {
			t.Errorf("%s: %d", date, res.StatusCode)
		}
	}
	var id int64
	if err := house.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title LIKE 'The last tide mill%'"); err != nil {
		t.Fatal(err)
	}
	path := fmt.Sprintf("/pieces/%d", id)
	res, body = c.post(path+"/back", url.Values{"form": {"back"}, "leg": {"edit"}, "to": {"draft"}, "reasons": {"my long reasons"}, "days": {"a few"}})
	if res.StatusCode != 422 || !strings.Contains(body, "my long reasons") || !strings.Contains(body, "a few") {
		t.Errorf("%d: the reasons are lost", res.StatusCode)
	}
	res, body = c.post(path+"/pass", url.Values{"leg": {"edit"}, "version": {"1"}})
	if res.StatusCode != 409 || !strings.Contains(body, "changed since you opened it") || !strings.Contains(body, "Yusuf Lindqvist passed Draft") {
		t.Errorf("a stale page: %d", res.StatusCode)
	}
}

func TestTheFirstLeadIsWalkedThroughAnEmptyHouse(t *testing.T) {
	house, h := open(t, false)
	c := visit(t, h)
	res, body := c.get("/")
	if res.Request.URL.Path != "/welcome" || !strings.Contains(body, "Set up your newsroom") {
		t.Fatalf("at %s", res.Request.URL.Path)
	}
	form := url.Values{"name": {"Ines Ferro"}, "mail": {"ines@paper.example"}, "password": {"short"}, "desk": {"The Paper"}, "zone": {"Europe/Lisbon"}, "country": {""},
		"weekday": {"1", "2", "3", "4"}, "channel": {"Web"}, "at": {"09:00"}, "format": {"Report"}, "leg-0": {"Brief"}, "days-0": {"1"}, "leg-1": {"Draft"}, "days-1": {"3"}}
	if res, body = c.post("/welcome", form); res.StatusCode != 422 || !strings.Contains(body, "at least 10 characters") || !strings.Contains(body, "Ines Ferro") {
		t.Fatalf("%d", res.StatusCode)
	}
	form.Set("password", "long enough now")
	if res, _ = c.post("/welcome", form); res.Request.URL.Path != "/" {
		t.Fatalf("at %s", res.Request.URL.Path)
	}
	res, body = c.post("/pieces/new", url.Values{"title": {"First"}, "format": {"1"}, "owner": {"1"}, "do": {"make"}})
	if res.StatusCode != 200 || !strings.Contains(body, "“First” is made") {
		t.Fatalf("%d", res.StatusCode)
	}
	if res, _ = c.another().get("/welcome"); res.Request.URL.Path != "/signin" {
		t.Error("the house can be set up twice")
	}
	if n, err := store.Verify(ctx, house.DB); n != 2 || err != nil {
		t.Error(n, err)
	}
}

func TestTheListFiltersSortsAndPages(t *testing.T) {
	_, h := open(t, true)
	c := visit(t, h).as(1)
	for path, want := range map[string]string{
		"/pieces?pace=short": "How a stone is dressed", "/pieces?text=tide": "The last tide mill", "/pieces?person=8": "A baker’s year", "/pieces?pace=open": "Flour dust",
		"/pieces?pace=no+day&sort=title": "Bolting cloth", "/pieces?pace=missed": "Who owns the weir", "/pieces?format=3&pace=running": "Winter bread letter", "/pieces?text=%25": "No piece is like this",
	} {
		if _, body := c.get(path); !strings.Contains(body, want) {
			t.Errorf("%s does not show %s", path, want)
		}
	}
	_, first := c.get("/pieces?sort=number")
	_, second := c.get("/pieces?sort=number&page=2")
	if strings.Count(first, "<tr data-piece") != 100 || !strings.Contains(second, "Page 2 of") || strings.Contains(second, ">100<") {
		t.Error("pages of a hundred")
	}
	for path, want := range map[string]string{
		"/pieces?sort=title":  `aria-sort="ascending"><a href="/pieces?sort=-title">Piece ↑</a>`,
		"/pieces?sort=-title": `aria-sort="descending"><a href="/pieces?sort=title">Piece ↓</a>`,
	} {
		if _, body := c.get(path); !strings.Contains(strings.ReplaceAll(body, "\n", ""), want) || strings.Count(body, "aria-sort") != 1 {
			t.Errorf("%s: no head says %s", path, want)
		}
	}
	for path, titles := range map[string]bool{"/pieces?pace=running&cols=title,owner": true, "/pieces?pace=out&cols=title,owner": false} {
		_, body := c.get(path)
		if got := strings.Contains(body, `data-edit="/cells/title`); got != titles {
			t.Errorf("%s: titles can be changed: %v", path, got)
		}
		if !strings.Contains(body, `data-edit="/cells/owner`) {
			t.Errorf("%s: the owner cannot be changed", path)
		}
	}
	if _, body := visit(t, h).as(4).get("/pieces?sort=-number"); strings.Contains(body, "The last tide mill") || !strings.Contains(body, "How a stone is dressed") {
		t.Error("a freelancer sees what is not theirs, or not what is")
	}
}

func TestWhatIsPublishedIsEscaped(t *testing.T) {
	_, h := open(t, true)
	c := visit(t, h).as(1)
	_, body := c.post("/pieces/new", url.Values{"title": {`<script>alert(1)</script>`}, "format": {"1"}, "owner": {"1"}, "do": {"make"}})
	if strings.Contains(body, "<script>alert") || !strings.Contains(body, "&lt;script&gt;alert") {
		t.Error("a title is not escaped")
	}
}

func TestWithdrawingAndSendingOutAgain(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	row := struct {
		ID      int64
		Version int
		Slug    string
	}{}
	if err := house.DB.Get(ctx, &row, "SELECT piece.id, version, site_page.slug FROM piece JOIN site_page ON piece_id = piece.id WHERE piece.title = 'Bread without a mill'"); err != nil {
		t.Fatal(err)
	}
	path, page := fmt.Sprintf("/pieces/%d", row.ID), "/site/web/"+row.Slug
	if res, body := c.get(page); res.StatusCode != 200 || !strings.Contains(body, "Bread without a mill") {
		t.Fatal("it is not out")
	}
	if _, body := c.post(path+"/withdraw", url.Values{"version": {fmt.Sprint(row.Version)}, "why": {"wrong picture"}}); !strings.Contains(body, "It is withdrawn.") {
		t.Error("the page does not say that it is withdrawn")
	}
	if res, body := c.get(page); res.StatusCode != http.StatusGone || !strings.Contains(body, "withdrawn") {
		t.Errorf("its page answers %d", res.StatusCode)
	}
	if _, body := c.get("/site/web/feed.atom"); strings.Contains(body, "Bread without a mill") {
		t.Error("it is still in the feed")
	}
	version := url.Values{"version": {fmt.Sprint(row.Version + 1)}}
	_, shown := c.post(path+"/out", version)
	for _, want := range []string{"Send it out again?", "and withdrawn", page, "What is open"} {
		if !strings.Contains(shown, want) {
			t.Errorf("what follows is shown without %q", want)
		}
	}
	if res, _ := c.get(page); res.StatusCode != http.StatusGone {
		t.Fatal("it is out without having been shown")
	}
	version.Set("seal", "of something else")
	if res, body := c.post(path+"/out", version); res.StatusCode != http.StatusConflict || !strings.Contains(body, "Something changed since this was shown") {
		t.Errorf("sent out as it was not shown: %d", res.StatusCode)
	}
	version.Set("seal", regexp.MustCompile(`name="seal" value="([0-9a-f]+)"`).FindStringSubmatch(shown)[1])
	c.post(path+"/out", version)
	if res, body := c.get(path + "/out"); res.StatusCode != http.StatusConflict || !strings.Contains(body, "The piece is out already") {
		t.Errorf("what is out is shown as if it were not: %d", res.StatusCode)
	}
	if res, _ := c.get(page); res.StatusCode != 200 {
		t.Errorf("out again, its page answers %d", res.StatusCode)
	}
}

// A page of a channel says of itself, as whoever shows a link to it asks (The Open Graph
// protocol, ogp.me: title, type, url, description, image), what stands on its release sheet.
func TestAPageSaysOfItselfWhatLinksShow(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h)
	var slug string
	if err := house.DB.Get(ctx, &slug, "SELECT slug FROM site_page WHERE channel = 'web' AND gone = 0 ORDER BY published DESC LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	if err := house.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := tx.Exec(ctx, "UPDATE site_page SET title = 'A \"mill\"', summary = 'It turns & turns', body = '<figure><img src=\"/site/web/x/pictures/1\" alt=\"\"></figure>' WHERE slug = ?", slug)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	_, body := c.get("/site/web/" + slug)
	for _, want := range []string{
		`<meta property="og:type" content="article">`, `<meta property="og:title" content="A &#34;mill&#34;">`, `<meta property="og:description" content="It turns &amp; turns">`,
		`<meta name="description" content="It turns &amp; turns">`, `/site/web/` + slug + `">`, `/site/web/x/pictures/1">`,
	} {
		if !strings.Contains(body, want) {
			t.Errorf("the page does not say %s", want)
		}
	}
	if _, body := c.get("/site/web"); strings.Contains(body, "og:title") {
		t.Error("the index says it is a page")
	}
}

// A list is given out whole, with the columns, the order and the filter it has on the screen; to who
// may see less, less.
func TestTheListIsGivenOutAsItIsShown(t *testing.T) {
	_, h := open(t, true)
	for who, header := range map[int]string{1: "Piece,Goes out,Hours left,Fees,Address", 3: "Piece,Goes out,Hours left,Address"} {
		c := visit(t, h).as(who)
		res, body := c.get("/pieces/csv?cols=title,out,left,fee&sort=-out&format=2&pace=running")
		rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
		if err != nil || res.Header.Get("Content-Type") != "text/csv; charset=utf-8" || strings.Join(rows[0], ",") != header {
			t.Fatalf("%d: %v, %v, %q", who, err, res.Header, rows[0])
		}
		_, page := c.get("/pieces?cols=title,out,left&sort=-out&format=2&pace=running")
		last := -1
		for _, r := range rows[1:] {
			at := strings.Index(page, html.EscapeString(r[0]))
			if at < last || at < 0 {
				t.Errorf("%d: %q is at %d of the page, after %d", who, r[0], at, last)
			}
			last = at
			if _, err := time.Parse("2006-01-02", r[1]); r[1] != "" && !strings.HasPrefix(r[1], "could") && err != nil {
				t.Errorf("%q is no date", r[1])
			}
			if !strings.Contains(r[len(r)-1], "/pieces/") {
				t.Errorf("%q is no address", r[len(r)-1])
			}
		}
		if len(rows) < 5 {
			t.Errorf("%d rows", len(rows))
		}
	}
	_, all := visit(t, h).as(1).get("/pieces/csv?cols=title&pace=out")
	if n := strings.Count(all, "\r\n"); n < 150 {
		t.Errorf("%d pieces are given out, where a page shows 100", n)
	}
	if res, body := visit(t, h).as(1).get("/pieces/xlsx"); res.StatusCode != 200 || !strings.HasPrefix(body, "PK") {
		t.Errorf("%d, %.20q", res.StatusCode, body)
	}
}
