package browser

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/release"
	"greenbaton/post"
	"greenbaton/post/posttest"
	"greenbaton/store"
)

// elsewhere lets a demo reach what a test started, and gives the folder below which it writes.
func (s *site) elsewhere() string {
	dir := s.t.(*testing.T).TempDir()
	s.Newsroom.Carriers = post.Carriers(s.Newsroom.DB, dir, true)
	return dir
}

// exec changes the data behind the house's back.
func (s *site) exec(query string, args ...any) {
	s.t.Helper()
	s.must(s.Newsroom.DB.Write(ctx, func(t *store.Tx) error { _, err := t.Exec(ctx, query, args...); return err }))
	s.Newsroom.Forget()
}

// The second half of the lap: a feature from its last leg through its sheet to the site, into a
// folder and to a Micropub endpoint, announced, a piece begun from it, and nothing left to do; then
// a correction that follows it everywhere, and a withdrawal.
func TestTheLapGoesOnAfterRelease(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	dir, far := s.elsewhere(), posttest.NewMicropub(t)
	lead, last := s.as(maren, 1280), s.as(hollis, 390)
	id := s.titled("Who owns the weir")
	page := fmt.Sprintf("/pieces/%d", id)
	s.exec("UPDATE piece SET goes_out = ?, missed_at = 0 WHERE id = ?", day.MomentOf(time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC)), id)
	s.exec("UPDATE leg SET makes = 3 WHERE piece_id = ? AND key = 'announce'", id)

	// How pieces get there is set up, tried, refused and kept.
	lead.open("/channels/4")
	lead.press("How pieces get there")
	lead.see("Each is sent to an endpoint that takes pages")
	lead.fill("#micropub-address", "ftp://nowhere")
	lead.press("^Save$")
	lead.see("Write the whole address of the endpoint")
	lead.waits(`() => document.getElementById("micropub-address").value === "ftp://nowhere"`, "what was typed is gone")
	lead.fill("#micropub-address", far.Endpoint())
	lead.fill("#micropub-secret", "not this")
	lead.fill("#micropub-pages", far.URL+"/{slug}")
	lead.press("^Try it$")
	lead.see("does not let the program in (403)")
	lead.fill("#micropub-secret", far.Token)
	lead.press("^Try it$")
	lead.see("It answers, and lets the program in.")
	if n := len(far.Asked()); n != 0 {
		t.Errorf("tried, it asked %q", far.Asked())
	}
	lead.fill("#micropub-secret", far.Token)
	lead.press("^Save$")
	lead.see("Saved. What goes out from now on gets there in this way.")
	lead.open("/channels/1/asks")
	lead.eval(`() => { document.querySelector("[name=must][value=description]").checked = true; document.querySelector("[name=by_hand][value=yes]").checked = true }`)
	lead.press("Save what it asks")

	// From the last leg to the sheet, on a phone.
	last.open(page)
	last.press("^Release sheet$")
	last.see("It is not described")
	last.press("Draft the texts from the copy")
	last.see("was drafted by a machine")
	last.eval(`() => document.querySelectorAll("[name=keep]").forEach((k) => { k.checked = true })`)
	last.fill("#s-slug", "who-owns-the-weir")
	last.press("Save the sheet")
	last.see("Release is to be passed")
	last.open(page)
	last.click("^Description written")
	last.waits(`() => [...document.querySelectorAll("button")].some((b) => b.textContent.includes("Description written") && b.querySelector(".tickbox-met"))`, "it is not ticked")
	last.waits(`() => [...document.querySelectorAll("button")].some((b) => b.innerText.trim().startsWith("Pass Release"))`, "it cannot be passed")
	last.press("^Pass Release")
	last.open(page + "/sheet")
	last.see("Nothing is missing.")

	// Other places, and a time.
	lead.open(page + "/sheet")
	for _, x := range []struct{ channel, days string }{{"Old Weir", "0"}, {"Tern School", "1"}} {
		lead.unfold("Another place")
		lead.eval(`(name) => { const s = document.getElementById("also-channel"); s.value = [...s.options].find((o) => o.text === name).value }`, x.channel)
		lead.choose("#also-days", x.days)
		lead.press("Let it go there")
		lead.see("It goes there too.")
	}
	lead.press("Make short links")
	lead.press("Schedule it for")
	lead.see("Maren scheduled it; it goes out Thu 26 Nov, 08:00.")
	clock := func() {
		lead.eval(`() => document.querySelector('form[action="/clock/day"]').requestSubmit()`)
	}
	lead.act(clock)
	lead.act(clock)
	lead.open(page + "/sheet")
	lead.see("It went out Thu 26 Nov, 08:00.")
	at := far.URL + "/who-owns-the-weir"
	lead.seeIn("[aria-labelledby=where]", at)
	lead.seeIn("[aria-labelledby=where]", "/site/web/who-owns-the-weir")
	lead.seeIn("[aria-labelledby=where]", "to come")
	if fmt.Sprint(far.Post(at)["name"]) != "[Who owns the weir]" {
		t.Errorf("far away it is %v", far.Post(at))
	}
	reader := s.visitor(390)
	reader.open("/site/web/who-owns-the-weir")
	reader.see("Who owns the weir")
	var token string
	s.must(s.Newsroom.DB.Get(ctx, &token, "SELECT token FROM short_link WHERE piece_id = ? LIMIT 1", id))
	reader.open("/to/" + token)
	reader.waits(`() => location.pathname === "/site/web/who-owns-the-weir" && location.search.includes("utm_source=")`, "the short link leads elsewhere")
	lead.act(clock)
	file := filepath.Join(dir, "tern-school/reading/who-owns-the-weir.md")
	if text, err := os.ReadFile(file); err != nil || !strings.HasPrefix(string(text), "---\ntitle: Who owns the weir\n") {
		t.Errorf("in the folder: %v\n%s", err, text)
	}

	// All that follows is done, and a piece was begun from it.
	lead.open(page)
	lead.seeIn("[aria-labelledby=afterwards]", "https://tern-school.example/reading/who-owns-the-weir")
	for range 3 {
		lead.open("/after")
		lead.act(func() {
			lead.eval(`(id) => document.querySelector('[data-piece="' + id + '"] form').requestSubmit()`, fmt.Sprint(int64(id)))
		})
	}
	lead.waits(`() => !document.body.innerText.includes("Who owns the weir")`, "it still stands after release")
	var begun ref.Piece
	s.must(s.Newsroom.DB.Get(ctx, &begun, "SELECT id FROM piece WHERE derived_from = ?", id))
	lead.open(page)
	lead.see("nothing is left to do")

	// A correction: readers have it as it was until it is out, and then everywhere.
	lead.press("Correct it")
	lead.see("being corrected since")
	lead.write("It belongs to a family that moved away in 1911, and nobody has asked them since.")
	reader.open("/site/web/who-owns-the-weir")
	if reader.eval(`() => document.body.innerText.includes("nobody has asked them")`) == "true" {
		t.Error("readers have half a correction")
	}
	lead.press("Bring the")
	lead.unfold("Bring the correction out")
	lead.fill("#note", "It said 1901 for 1911.")
	lead.press("^Bring it out$")
	lead.see("The correction is out, and follows wherever the piece went.")
	s.must(s.Newsroom.Release.Deliver(ctx))
	reader.open("/site/web/who-owns-the-weir")
	reader.see("It said 1901 for 1911.")
	reader.see("nobody has asked them since")
	axe, err := os.ReadFile("testdata/axe.min.js")
	s.must(err)
	reader.isFit("a page that was corrected", string(axe))
	if text, err := os.ReadFile(file); err != nil || !strings.Contains(string(text), "nobody has asked them since") {
		t.Errorf("corrected in the folder: %v\n%s", err, text)
	}
	if !strings.Contains(fmt.Sprint(far.Post(at)["content"]), "nobody has asked them since") {
		t.Errorf("corrected far away: %v", far.Post(at)["content"])
	}

	// Withdrawn, it is nowhere.
	lead.open(page)
	lead.unfold("^Withdraw")
	lead.fill("#wwhy", "The family has written.")
	lead.press("^Withdraw it$")
	s.must(s.Newsroom.Release.Deliver(ctx))
	reader.forgiven = "status of 410"
	reader.open("/site/web/who-owns-the-weir")
	reader.see("This page was withdrawn")
	if _, err := os.Stat(file); err == nil || far.Post(at) != nil {
		t.Errorf("withdrawn, it is in the folder (%v) or far away (%v)", err, far.Post(at))
	}
}

// A delivery that failed is told, stands in two places, and is sent again from its list.
func TestADeliveryThatFailedIsSentAgain(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	far := posttest.NewMicropub(t)
	s.elsewhere()
	u := s.as(maren, 1280)
	s.must(s.Newsroom.Release.SaveOutlet(ctx, maren, 4, release.Outlet{Kind: release.Micropub, Address: far.Endpoint(), Secret: far.Token}))
	u.open("/after")
	u.see("One delivery did not get where it was to go.")
	u.see("The endpoint answers 503: down for maintenance.")
	u.press("^Again")
	u.see("It is tried again; below is what came of it.")
	u.seeIn("[aria-labelledby=where]", far.URL)
	u.open("/after")
	u.waits(`() => !document.body.innerText.includes("did not get where")`, "it still failed")
	if len(far.Asked()) != 1 {
		t.Errorf("it asked %q", far.Asked())
	}
}
