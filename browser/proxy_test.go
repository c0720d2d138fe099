package browser

import (
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"testing"
	"time"
)

// plainProxy stands in front of a site as a proxy does that was told nothing but where to
// pass things on to: under another name, and without letting a WebSocket through.
func plainProxy(t *testing.T, to string) *site {
	t.Helper()
	u, err := url.Parse(to)
	if err != nil {
		t.Fatal(err)
	}
	p := httptest.NewServer(&httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) {
		r.SetURL(u)
		r.Out.Header.Del("Upgrade")
		r.Out.Header.Del("Connection")
		r.Out.Header.Del("Sec-Websocket-Key")
	}, FlushInterval: -1})
	t.Cleanup(p.Close)
	return &site{t: t, url: p.URL}
}

// Where no WebSocket comes through, a copy works both ways over plain requests: what one
// writes the other sees, proposals and queries too, nothing is written twice, and forms on
// the page are sent.
func TestACopyWorksWithoutWebSockets(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	behind := plainProxy(t, s.url)
	path := s.pieceNamed("The last tide mill on the Severn")
	one, two := behind.as(maren, 1280), s.as(yusuf, 1280) // she behind the proxy, he not
	one.forgiven = "WebSocket"
	for _, u := range []*user{one, two} {
		u.openCopy(path)
	}
	one.waits(`() => document.querySelector("[data-copy]").copy.line.via.constructor.name !== undefined && !document.querySelector("[data-copy]").copy.line.via.socket`, "she has a WebSocket after all")
	one.seeIn("[data-state]", "Saved")
	one.at(0, 0)
	one.must(one.page.InsertText("From behind. "))
	two.seeIn(".ql-editor", "From behind. ")
	two.at(0, 0)
	two.must(two.page.InsertText("From before. "))
	one.seeIn(".ql-editor", "From before. ")
	for i := range 12 { // both at once
		one.at(0, 0)
		one.must(one.page.InsertText("a"))
		two.at(60+i, 0)
		two.must(two.page.InsertText("b"))
	}
	for _, u := range []*user{one, two} {
		u.rests()
	}
	if !eventually(func() bool { return one.copyIs() == two.copyIs() }) {
		t.Errorf("one has %s\ntwo has %s", one.copyIs(), two.copyIs())
	}
	if n := strings.Count(one.copyIs(), "From behind. "); n != 1 {
		t.Errorf("what she wrote is there %d times", n)
	}
	one.eval(`() => { const c = document.querySelector("[data-copy]"), m = c.margin; c.copy.quill.setSelection(30, 12); m.ask(); m.form.elements.text.value = "Which mill?"; m.form.requestSubmit() }`)
	two.seeIn(".noted", "Which mill?")
	two.eval(`() => { const n = [...document.querySelectorAll(".noted[data-query]")].find((n) => n.innerText.includes("Which mill?")); n.querySelector("summary").click(); n.querySelector("textarea").value = "The one at Pennet."; n.querySelector("form[action$=answer]").requestSubmit() }`)
	two.seeIn(".noted", "The one at Pennet.")
	one.seeIn(".noted", "The one at Pennet.")
	one.open(path) // it is remembered that none comes through
	one.rests()
	one.seeIn(".ql-editor", "From before. ")
	s.must(s.Newsroom.Account.EndVisit(ctx, maren, 0, 0))
	one.at(0, 0)
	one.must(one.page.InsertText("Too late. "))
	one.seeIn("[data-state]", "You are signed out.")
	one.seeIn("[data-state]", "What you type is kept here")
	if strings.Contains(two.copyIs(), "Too late.") {
		t.Error("somebody who is signed out writes on")
	}
}

// Whoever asks by plain requests is answered at once where there is something new, and
// otherwise as soon as there is.
func TestAPlainRequestIsAnsweredWhenThereIsSomething(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	u := s.as(maren, 1280)
	path := s.pieceNamed("The last tide mill on the Severn")
	u.openCopy(path)
	u.eval(`(p) => { window.heard = ""; const seq = document.querySelector("[data-copy]").copy.line.seq; const ask = () => fetch(p + "/copy/since?page=other&after=" + seq).then((r) => r.text()).then((t) => { window.heard = t; if (!t.includes("Now. ")) ask(); }); ask(); }`, path)
	began := time.Now()
	u.at(0, 0)
	u.must(u.page.InsertText("Now. "))
	u.waits(`() => window.heard.includes("Now. ")`, "it is not heard")
	if time.Since(began) > 19*time.Second { // as long as it waits where nothing comes
		t.Log("this machine is very busy: it cannot be told from a wait")
	}
	if res, err := http.Get(s.url + path + "/copy/since?page=x&after=0"); err != nil || res.Request.URL.Path != "/signin" {
		t.Errorf("nobody is answered: %v", err)
	}
}
