package browser

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/cdp"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/demo"
	"greenbaton/newsroom/rooms"
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

// patience is how long a test waits for what it is to see. It goes on as soon as it sees
// it; only a machine that is very busy takes long.
const patience = 2 * time.Minute

// attempt is how long one try to press or fill in something may take, which is asked for
// anew when it was drawn anew meanwhile.
const attempt = 10 * time.Second

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "greenbaton")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		if err := os.Setenv("TMPDIR", dir); err != nil { // so that all that tests keep is in it
			panic(err)
		}
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
		flag.Parse()
		if limit, ok := flag.Lookup("test.timeout").Value.(flag.Getter).Get().(time.Duration); ok && limit > 20*time.Second {
			time.AfterFunc(limit-5*time.Second, func() { // before the tests are ended without a chance to do so
				stop()
				os.RemoveAll(dir)
			})
		}
		return m.Run()
	}())
}

func stageIn(dir string) (*demo.Stage, error) {
	db, err := store.Open(ctx, dir)
	if err != nil {
		return nil, err
	}
	h := rooms.Open(db, quiet)
	h.Chat = post.ChatRoom{DB: db}
	h.Mail, h.Carriers, h.Briefs, h.Texts, h.Links = post.Room{DB: db}, post.StandIns(db, filepath.Join(dir, "folders")), post.Briefs{}, post.Texts{}, post.Links{}
	return demo.Open(ctx, h, dir)
}

// site is a running demo of its own.
type site struct {
	t        testing.TB
	Newsroom *rooms.Newsroom
	url      string
	handler  http.Handler // what answers there
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
	return serve(t, s.Newsroom, s)
}

// emptySite starts a newsroom in which nobody has an account yet.
func emptySite(t testing.TB) *site {
	t.Helper()
	db, err := store.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	h := rooms.Open(db, quiet)
	h.Chat = post.ChatRoom{DB: db}
	h.Mail, h.Carriers, h.Briefs, h.Texts = post.Room{DB: db}, post.Carriers(db, t.TempDir(), true), post.Briefs{}, post.Texts{}
	return serve(t, h, nil)
}

func serve(t testing.TB, house *rooms.Newsroom, stage *demo.Stage) *site {
	t.Helper()
	srv := httptest.NewUnstartedServer(nil)
	house.Base = "http://" + srv.Listener.Addr().String()
	server := &web.Server{Newsroom: house, Log: quiet}
	if stage != nil {
		server.Demo = stage
	}
	h, err := server.Handler()
	if err != nil {
		t.Fatal(err)
	}
	srv.Config.Handler = h
	srv.Start()
	t.Cleanup(func() {
		house.Events.Close()
		srv.Close()
		if err := house.DB.Close(); err != nil {
			t.Error(err)
		}
	})
	return &site{t, house, srv.URL, h}
}

// user is somebody at a browser of their own.
type user struct {
	*site
	page     *rod.Page
	mu       sync.Mutex
	problems []string // what the browser's console complained about
	asked    []string // of which kinds the browser asked something
	forgiven string   // what it may complain about, because the test does it on purpose
	acts     int      // that led to another page
	leaves   bool     // it is doing something that leads to another page
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
	u := &user{site: s, page: page}
	s.must(u.page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: 800, DeviceScaleFactor: 1}))
	s.must(proto.LogEnable{}.Call(page))
	go page.EachEvent(func(e *proto.LogEntryAdded) {
		if e.Entry.Level == proto.LogLogEntryLevelError && !strings.Contains(e.Entry.Text, "status of 4") {
			u.complain(e.Entry.Text + " " + e.Entry.URL)
		}
	}, func(e *proto.PageJavascriptDialogOpening) {
		go func() { _ = proto.PageHandleJavaScriptDialog{Accept: true}.Call(page) }() // whoever tests leaves a page knowingly
		u.mu.Lock()
		defer u.mu.Unlock()
		u.asked = append(u.asked, string(e.Type))
	}, func(e *proto.RuntimeExceptionThrown) {
		u.complain(e.ExceptionDetails.Text + fmt.Sprint(e.ExceptionDetails.Exception))
	})()
	s.t.Cleanup(func() {
		_ = page.Close() // the browser closes what is left
		u.mu.Lock()
		defer u.mu.Unlock()
		for _, p := range u.problems {
			s.t.Error("the browser says:", p)
		}
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

// act does something that leads to another page and waits until that is there. The page that is left
// is marked, so that the end of a load that was still on its way is not taken for the one that follows.
func (u *user) act(do func()) {
	u.t.Helper()
	u.acts++
	_, err := u.page.Eval(`(n) => { window.leftBehind = n }`, u.acts)
	if err != nil && !left(err) {
		u.t.Fatal(err)
	}
	u.leaves = true
	do()
	u.leaves = false
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if r, err := u.page.Eval(`(n) => window.leftBehind !== n && document.readyState === "complete"`, u.acts); err == nil && r.Value.Bool() {
			return
		}
	}
	u.t.Fatalf("this leads nowhere:\n%s", u.eval(`() => location.href + "\n" + document.body.innerText`))
}

func (u *user) open(path string) {
	u.t.Helper()
	u.act(func() { u.must(u.page.Navigate(u.url + path)) })
}

// eval runs a script on the page. What it asks for may just be drawn anew, or the page be
// loaded: then it is asked again.
func (u *user) eval(js string, args ...any) string {
	u.t.Helper()
	var err error
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		var r *proto.RuntimeRemoteObject
		if r, err = u.page.Eval(js, args...); err == nil {
			return r.Value.String()
		}
		if gone := left(err); gone && u.leaves {
			return "" // it was done, and led away before it could be answered
		} else if !gone && !missing(err) {
			break
		}
	}
	u.t.Fatalf("%v\n%s", err, js)
	return ""
}

// left reports whether a script could not run, or not end, because its page was left.
func left(err error) bool {
	for _, x := range []string{"context was destroyed", "Cannot find context", "navigated or closed", "Cannot find default execution context", "uniqueContextId not found"} {
		if strings.Contains(err.Error(), x) {
			return true
		}
	}
	return errors.Is(err, cdp.ErrCtxNotFound) || errors.Is(err, cdp.ErrCtxDestroyed)
}

// missing reports whether a script asked something of what is not there.
func missing(err error) bool {
	return strings.Contains(err.Error(), "Cannot read properties of") || strings.Contains(err.Error(), "Cannot set properties of") || strings.Contains(err.Error(), "is null")
}

func (u *user) find(selector string) *rod.Element {
	u.t.Helper()
	e, err := u.patient().Element(selector)
	if err != nil {
		u.t.Fatalf("no %s on the page: %v", selector, err)
	}
	return e.CancelTimeout().Timeout(patience)
}

// patient is the page for something that is waited for.
func (u *user) patient() *rod.Page { return u.page.Timeout(patience) }

// named finds a button or link by what it says.
func (u *user) named(text string) *rod.Element {
	u.t.Helper()
	e, err := u.patient().ElementR("button, a, summary", text)
	if err != nil {
		u.t.Fatalf("nothing to press says %q: %v\n%s", text, err, u.eval(`() => document.body.innerText`))
	}
	return e.CancelTimeout().Timeout(patience)
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
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if err = u.named(text).Timeout(attempt).Click(proto.InputMouseButtonLeft, 1); err == nil {
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
	var err error
	if !eventually(func() bool { // it may be drawn anew
		e := u.find(selector).Timeout(attempt) // what is not on the page any more is never seen
		if err = e.SelectAllText(); err == nil {
			err = e.Input(text)
		}
		return err == nil
	}) {
		u.t.Fatalf("%s cannot be filled in: %v", selector, err)
	}
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
	return eventually(func() bool {
		r, err := u.page.Evaluate(is)
		return err == nil && r.Value.Bool()
	})
}

// eventually reports whether something comes to be so.
func eventually(so func() bool) bool {
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if so() {
			return true
		}
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
