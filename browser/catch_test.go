package browser

import (
	"context"
	"net"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"

	"greenbaton/web"
)

// gate is the way to a server, which can be closed: who comes then is turned away, and
// who was there is cut off.
type gate struct {
	net.Listener
	mu     sync.Mutex
	closed bool
	open   map[net.Conn]bool
}

func (g *gate) Accept() (net.Conn, error) {
	for {
		c, err := g.Listener.Accept()
		if err != nil {
			return nil, err
		}
		g.mu.Lock()
		if g.closed {
			_ = c.Close() // turned away
		} else {
			g.open[c] = true
		}
		closed := g.closed
		g.mu.Unlock()
		if !closed {
			return c, nil
		}
	}
}

func (g *gate) close(on bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.closed = on
	for c := range g.open {
		_ = c.Close() // cut off
		delete(g.open, c)
	}
}

// gatedSite is a demo whose network can be cut.
func gatedSite(t *testing.T) (*site, *gate) {
	t.Helper()
	s := newSite(t)
	server := &web.Server{Newsroom: s.Newsroom, Log: quiet, Demo: nothing{}}
	h, err := server.Handler()
	s.must(err)
	srv := httptest.NewUnstartedServer(h)
	g := &gate{Listener: srv.Listener, open: map[net.Conn]bool{}}
	srv.Listener = g
	srv.Start()
	t.Cleanup(func() {
		s.Newsroom.Events.Close()
		g.close(true)
		srv.Close()
	})
	return &site{t: t, Newsroom: s.Newsroom, url: srv.URL}, g
}

// On a phone: ideas are caught in a row, without a connection too, even when the page
// is opened anew; they come in once when there is one again, and none is lost.
func TestIdeasAreCaughtOnAPhoneWithTheNetworkOffAndOn(t *testing.T) {
	t.Parallel()
	s, net := gatedSite(t)
	u := s.as(yusuf, 390)
	u.open("/catch")
	u.must(u.page.Wait(athand))
	u.catch("The last mill before the sea")
	u.seeIn("[data-caught-said]", "is caught")
	u.seeIn("[data-mine]", "The last mill before the sea")

	net.close(true)
	u.catch("Salt in the flour")
	u.seeIn("[data-caught-said]", "kept on this device")
	u.seeIn("[data-kept]", "Salt in the flour")
	u.act(func() { u.must(u.page.Reload()) }) // the page comes from the device
	u.seeIn("h1", "Catch an idea")
	u.seeIn("[data-kept]", "Salt in the flour")
	u.catch("رغيف 🥖 <b>bold</b>")
	u.seeIn("[data-kept-says]", "2 are not sent yet")
	if n := s.ideasLike("Salt in the flour"); n != 0 {
		t.Fatalf("%d came in without a network", n)
	}

	net.close(false)
	u.eval(`() => dispatchEvent(new Event("online"))`)
	u.seeIn("[data-mine]", "Salt in the flour")
	u.seeIn("[data-mine]", "<b>bold</b>")
	u.must(u.page.Wait(nothingKept))
	u.act(func() { u.must(u.page.Reload()) })
	u.seeIn("[data-mine]", "The last mill before the sea")
	for _, title := range []string{"The last mill before the sea", "Salt in the flour", "رغيف 🥖 <b>bold</b>"} {
		if n := s.ideasLike(title); n != 1 {
			t.Errorf("%q is there %d times", title, n)
		}
	}
	u.mu.Lock() // what the browser said of the network that was cut
	defer u.mu.Unlock()
	var rest []string
	for _, p := range u.problems {
		if !strings.Contains(p, "net::ERR_") {
			rest = append(rest, p)
		}
	}
	u.problems = rest
}

// What another page of the same browser sends, or its worker, is listed here too, once.
func TestWhatAnotherPageSendsIsListedHere(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(yusuf, 390)
	u.open("/catch")
	other := &user{site: s, page: u.page.Browser().MustPage("")}
	defer other.page.MustClose()
	other.open("/catch")
	other.catch("Who oils the sluice")
	other.seeIn("[data-mine]", "Who oils the sluice")
	u.seeIn("[data-mine]", "Who oils the sluice")
	u.seeIn("[data-caught-said]", "is caught")
	if n := u.eval(`() => [...document.querySelectorAll("[data-mine] a")].filter((a) => a.textContent === "Who oils the sluice").length`); n != "1" {
		t.Errorf("it is listed %s times", n)
	}
}

func (u *user) catch(title string) {
	u.t.Helper()
	u.fill("main [name=title]", title)
	u.keys(input.Enter)
}

func (s *site) ideasLike(title string) int {
	s.t.Helper()
	var n int
	s.must(s.Newsroom.DB.Get(ctx, &n, "SELECT COUNT(*) FROM idea WHERE title = ?", title))
	return n
}

// Anywhere: i, a title, Enter, the next one; and what is like it is pointed out.
func TestIdeasAreCaughtAnywhereByKey(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	u.open("/lineup")
	u.keys('i')
	u.page.MustInsertText("The last tide mill on the Severn, again")
	u.eval(`() => document.querySelector("#catch [name=title]").dispatchEvent(new Event("input"))`)
	u.seeIn("#catch [data-likes]", "The last tide mill on the Severn")
	u.keys(input.Enter)
	u.seeIn("#catch [data-caught-said]", "is caught")
	u.page.MustInsertText("And another")
	u.keys(input.Enter)
	u.seeIn("#catch [data-caught-said]", "“And another” is caught")
	u.keys(input.Escape)
	u.open("/ideas?state=waiting&order=newest")
	u.seeIn(".ideas", "And another")
	u.choose(".idea[data-idea] [name=reach]", "5")
	u.seeIn(".idea[data-idea] [data-score]", "100")
	u.press("And another")
	u.unfold("Turn it down")
	u.fill("#d-why", "We said another, not this one.")
	u.act(func() { u.find(".panel .btn-brick").MustClick() })
	u.seeIn("main", "We said another, not this one.")
	u.press("^Undo")
	u.open("/ideas?text=another&state=waiting")
	u.press("Make it a piece")
	u.choose("#format", "3")
	u.press("Make it, and begin")
	u.see("And another")
	u.open("/ideas?text=another&state=used")
	u.press("See the piece")
	u.seeIn("h1", "And another")
}

// nothing is a demo whose clock stands.
type nothing struct{}

func (nothing) NextDay(context.Context) error     { return nil }
func (nothing) NextWeek(context.Context) error    { return nil }
func (nothing) BackToStart(context.Context) error { return nil }

// What is waited for on the page.
var (
	athand      = rod.Eval(`() => document.documentElement.dataset.athand === "yes" && Boolean(navigator.serviceWorker.controller)`)
	nothingKept = rod.Eval(`() => document.querySelector("[data-kept]").hidden`)
)

// Who is about to commission what was written already sees it while typing the title.
func TestANewPieceLikeAnOldOneIsPointedOut(t *testing.T) {
	t.Parallel()
	u := newSite(t).as(maren, 1280)
	u.open("/pieces/new")
	u.must(u.find("#title").Input("Last tide mills of the Severn"))
	u.seeIn("[x-ref=likes]", "The last tide mill on the Severn")
	u.fill("#title", "Qqqq wwww zzzz")
	u.waits(`() => !document.querySelector("[x-ref=likes]").innerText.includes("The last tide mill")`, "it is still pointed out")
}
