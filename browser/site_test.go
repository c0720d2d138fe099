package browser

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/demo"
	"greenbaton/desk"
	"greenbaton/post"
	"greenbaton/store"
	"greenbaton/web"
)

// The people of the demo, by id.
const (
	maren = iota + 1
	adaeze
	yusuf
	petra
	hollis
	ruth
	dao
	sian
	bram
)

var (
	chrome *rod.Browser
	start  string // a data file with the played demo
	ctx    = context.Background()
	quiet  = slog.New(slog.NewTextHandler(io.Discard, nil))
)

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "greenbaton")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		if _, err := stageIn(dir); err != nil {
			panic(err)
		}
		start = filepath.Join(dir, "start.db")
		b, stop, err := Launch()
		if err != nil {
			panic(err)
		}
		defer stop()
		chrome = b
		return m.Run()
	}())
}

func stageIn(dir string) (*demo.Stage, error) {
	db, err := store.Open(ctx, dir)
	if err != nil {
		return nil, err
	}
	h := desk.Open(db, quiet)
	h.Chat = post.ChatRoom{DB: db}
	h.Mail, h.Site, h.Briefs, h.Links = post.Room{DB: db}, post.Site{DB: db}, post.Briefs{}, post.Links{}
	return demo.Open(ctx, h, dir)
}

// site is a running demo of its own.
type site struct {
	t     testing.TB
	House *desk.House
	url   string
}

// newSite starts a demo, from the file that was played once.
func newSite(t testing.TB) *site {
	t.Helper()
	dir := t.TempDir()
	b, err := os.ReadFile(start)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range []string{store.FileName, "start.db"} {
		if err := os.WriteFile(filepath.Join(dir, f), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	s, err := stageIn(dir)
	if err != nil {
		t.Fatal(err)
	}
	return serve(t, s.House, s)
}

// emptySite starts a newsroom in which nobody has an account yet.
func emptySite(t testing.TB) *site {
	t.Helper()
	db, err := store.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	h := desk.Open(db, quiet)
	h.Chat = post.ChatRoom{DB: db}
	h.Mail, h.Site, h.Briefs = post.Room{DB: db}, post.Site{DB: db}, post.Briefs{}
	return serve(t, h, nil)
}

func serve(t testing.TB, house *desk.House, stage *demo.Stage) *site {
	t.Helper()
	server := &web.Server{House: house, Log: quiet}
	if stage != nil {
		server.Demo = stage
	}
	h, err := server.Handler()
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(h)
	house.Base = srv.URL
	t.Cleanup(func() {
		house.Wire.Close()
		srv.Close()
		if err := house.DB.Close(); err != nil {
			t.Error(err)
		}
	})
	return &site{t, house, srv.URL}
}

// user is somebody at a browser of their own.
type user struct {
	*site
	page     *rod.Page
	mu       sync.Mutex
	problems []string // what the browser's console complained about
	forgiven string   // what it may complain about, because the test does it on purpose
}

// as signs somebody in, at a window of a width.
func (s *site) as(person, width int) *user {
	s.t.Helper()
	u := s.visitor(width)
	u.open("/signin")
	u.act(func() {
		u.eval(`(id) => document.querySelector('input[name=person][value="' + id + '"]').form.submit()`, fmt.Sprint(person))
	})
	return u
}

func (s *site) visitor(width int) *user {
	s.t.Helper()
	own, err := chrome.Incognito()
	if err != nil {
		s.t.Fatal(err)
	}
	page, err := own.Page(proto.TargetCreateTarget{})
	if err != nil {
		s.t.Fatal(err)
	}
	u := &user{site: s, page: page.Timeout(240 * time.Second)}
	s.must(u.page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: 800, DeviceScaleFactor: 1}))
	s.must(proto.LogEnable{}.Call(page))
	go page.EachEvent(func(e *proto.LogEntryAdded) {
		if e.Entry.Level == proto.LogLogEntryLevelError && !strings.Contains(e.Entry.Text, "status of 4") {
			u.complain(e.Entry.Text)
		}
	}, func(e *proto.RuntimeExceptionThrown) {
		u.complain(e.ExceptionDetails.Text + fmt.Sprint(e.ExceptionDetails.Exception))
	})()
	s.t.Cleanup(func() {
		u.mu.Lock()
		defer u.mu.Unlock()
		for _, p := range u.problems {
			s.t.Error("the browser says:", p)
		}
		_ = page.Close() // the browser closes what is left
	})
	return u
}

func (u *user) complain(s string) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.forgiven != "" && strings.Contains(s, u.forgiven) {
		return
	}
	u.problems = append(u.problems, s)
}

func (s *site) must(err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatal(err)
	}
}

// act does something that leads to another page and waits for it.
func (u *user) act(do func()) {
	u.t.Helper()
	wait := u.page.WaitNavigation(proto.PageLifecycleEventNameLoad)
	do()
	wait()
}

func (u *user) open(path string) {
	u.t.Helper()
	u.act(func() { u.must(u.page.Navigate(u.url + path)) })
}

func (u *user) eval(js string, args ...any) string {
	u.t.Helper()
	r, err := u.page.Eval(js, args...)
	u.must(err)
	return r.Value.String()
}

func (u *user) find(selector string) *rod.Element {
	u.t.Helper()
	e, err := u.page.Timeout(10 * time.Second).Element(selector)
	if err != nil {
		u.t.Fatalf("no %s on the page: %v", selector, err)
	}
	return e
}

// named finds a button or link by what it says.
func (u *user) named(text string) *rod.Element {
	u.t.Helper()
	e, err := u.page.Timeout(10*time.Second).ElementR("button, a, summary", text)
	if err != nil {
		u.t.Fatalf("nothing to press says %q: %v\n%s", text, err, u.eval(`() => document.body.innerText`))
	}
	return e
}

// press presses something that leads to another page.
func (u *user) press(text string) {
	u.t.Helper()
	u.act(func() { u.click(text) })
}

// click presses something; a page that is drawn anew while it is pressed is asked again.
func (u *user) click(text string) {
	u.t.Helper()
	var err error
	for range 3 {
		if err = u.named(text).Click(proto.InputMouseButtonLeft, 1); err == nil {
			return
		}
	}
	u.t.Fatalf("%q cannot be pressed: %v", text, err)
}

// unfold opens a panel.
func (u *user) unfold(text string) {
	u.t.Helper()
	u.click(text)
}

func (u *user) fill(selector, text string) {
	u.t.Helper()
	e := u.find(selector)
	u.must(e.SelectAllText())
	u.must(e.Input(text))
}

// choose sets a select or date field and tells the page.
func (u *user) choose(selector, value string) {
	u.t.Helper()
	u.find(selector)
	u.eval(`(s, v) => { const e = document.querySelector(s); e.value = v; e.dispatchEvent(new Event("change", { bubbles: true })) }`, selector, value)
}

// see waits until the page says something.
func (u *user) see(text string) {
	u.t.Helper()
	u.seeIn("body", text)
}

// until waits until something is so on the page. A page that is loaded anew meanwhile is
// asked again.
func (u *user) until(is *rod.EvalOptions) bool {
	for end := time.Now().Add(10 * time.Second); time.Now().Before(end); {
		if u.page.Timeout(time.Until(end)).Wait(is) == nil {
			return true
		}
		time.Sleep(20 * time.Millisecond)
	}
	return false
}

func (u *user) seeIn(selector, text string) {
	u.t.Helper()
	if !u.until(rod.Eval(`(s, t) => [...document.querySelectorAll(s)].some(e => e.innerText.includes(t))`, selector, text)) {
		u.t.Fatalf("%s does not say %q:\n%s", selector, text, u.eval(`(s) => document.querySelector(s)?.innerText ?? "it is not there"`, selector))
	}
}

func (u *user) keys(ks ...input.Key) {
	u.t.Helper()
	u.must(u.page.Keyboard.Type(ks...))
}

// write types into the copy and waits until it is saved.
func (u *user) write(text string) {
	u.t.Helper()
	u.must(u.find(".ql-editor").Focus())
	u.eval(`() => getSelection().selectAllChildren(document.querySelector(".ql-editor"))`)
	u.must(u.page.InsertText(text))
	u.seeIn("[data-state]", "Saved")
}
