package rooms_test

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom/copyroom"
	room "greenbaton/newsroom/release"
	"greenbaton/post"
	"greenbaton/post/posttest"
	"greenbaton/store"
)

// channel makes another channel of the desk, with its outlet.
func (x *testHouse) channel(name string, o release.Outlet) ref.Channel {
	x.t.Helper()
	var id ref.Channel
	x.must(x.DB.Write(ctx, func(tx *store.Tx) (err error) {
		id, err = tx.AddChannel(ctx, store.Channel{DeskID: 1, Name: name, Slug: release.Slug(name)})
		return err
	}))
	x.Forget()
	x.must(x.Release.SaveOutlet(ctx, lead, id, o))
	return id
}

// elsewhere lets a house reach receivers of a test, and gives the folder below which it writes.
func (x *testHouse) elsewhere() string {
	dir := x.t.TempDir()
	x.Carriers = post.Carriers(x.DB, dir, true)
	return dir
}

// place gives where a piece is on a channel.
func (x *testHouse) place(id ref.Piece, channel ref.Channel) store.Delivery {
	x.t.Helper()
	all, err := store.Deliveries(ctx, x.DB.View(), id)
	x.must(err)
	i := slices.IndexFunc(all, func(d store.Delivery) bool { return d.ChannelID == channel })
	if i < 0 {
		x.t.Fatalf("piece %d goes nowhere on channel %d: %+v", id, channel, all)
	}
	return all[i]
}

// deliver brings everything where it is to go.
func (x *testHouse) deliver() {
	x.t.Helper()
	x.must(x.Tick(ctx))
	x.must(x.Release.Deliver(ctx))
}

// A piece goes to its channel and, a few days later, to others, each in its own way; what comes
// back is its address, a correction follows it everywhere, and withdrawn it is nowhere.
func TestAPieceGoesToEachPlaceAndIsFollowedThere(t *testing.T) {
	h := newHouse(t)
	dir, site := h.elsewhere(), posttest.NewMicropub(t)
	far := h.channel("Far", release.Outlet{Kind: release.Micropub, Address: site.Endpoint(), Secret: site.Token})
	files := h.channel("Files", release.Outlet{Kind: release.Folder, Folder: "site/posts", Pages: "https://x.example/{year}/{slug}"})
	id := h.ready("12-18")
	h.must(h.Release.AddPlace(ctx, lead, id, room.Also{Channel: far, Line: "Read by others"}))
	h.must(h.Release.AddPlace(ctx, lead, id, room.Also{Channel: files, Days: 3}))
	h.comes("12-18")
	h.deliver()
	at := site.URL + "/1-the-tide-mill"
	if d := h.place(id, far); d.Has == 0 || d.Address != at {
		t.Fatalf("it is not there: %+v", d)
	}
	says := site.Post(at)
	if fmt.Sprint(says["name"]) != "[The tide mill]" || fmt.Sprint(says["summary"]) != "[Read by others]" || !strings.Contains(fmt.Sprint(says["content"]), "four words are enough") {
		t.Errorf("it is there as %v", says)
	}
	if p := h.piece(id); p.Address != "/site/web/1-the-tide-mill" {
		t.Errorf("its address is %q", p.Address)
	}
	file := filepath.Join(dir, "site/posts/1-the-tide-mill.md")
	if _, err := os.Stat(file); err == nil {
		t.Error("it is in the folder three days early")
	}
	h.now = h.now.AddDate(0, 0, 3)
	h.deliver()
	text, err := os.ReadFile(file)
	h.must(err)
	if !strings.HasPrefix(string(text), "---\ntitle: The tide mill\n") || !strings.Contains(string(text), "four words are enough") {
		t.Errorf("the file is\n%s", text)
	}
	if d := h.place(id, files); d.Address != "https://x.example/2026/1-the-tide-mill" {
		t.Errorf("the folder has it at %q", d.Address)
	}

	// Readers have it as it is while it is corrected.
	if err := h.rewrite(id, "five words are enough here\n"); err == nil {
		t.Error("what is out is changed without a correction")
	}
	h.must(h.Release.Correct(ctx, lead, id, 0))
	if err := h.Release.Correct(ctx, lead, id, 0); !refused(err, relay.ErrNotNow) {
		t.Errorf("corrected twice at once: %v", err)
	}
	h.must(h.rewrite(id, "five words are enough here\n"))
	h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(s *room.Typed) { s.Title, s.Description = "The tidal mill", "It turns twice a day" })))
	h.deliver()
	page, err := h.Review.SitePage(ctx, "web", "1-the-tide-mill")
	h.must(err)
	if strings.Contains(page.Body, "five") || page.Title != "The tide mill" {
		t.Errorf("readers have half a correction: %+v", page)
	}
	h.now = h.now.Add(time.Hour)
	h.must(h.Release.BringOut(ctx, lead, id, 0, "A word was missing."))
	h.deliver()
	page, err = h.Review.SitePage(ctx, "web", "1-the-tide-mill")
	h.must(err)
	if !strings.Contains(page.Body, "five words") || page.Title != "The tidal mill" || page.Updated <= page.Published || !strings.Contains(page.Extra, "A word was missing.") {
		t.Errorf("the correction is not on the site: %+v", page)
	}
	says = site.Post(at)
	if fmt.Sprint(says["name"]) != "[The tidal mill]" || !strings.Contains(fmt.Sprint(says["content"]), "five words") || says["updated"] == nil {
		t.Errorf("the correction is not far away: %v", says)
	}
	if text, err = os.ReadFile(file); err != nil || !strings.Contains(string(text), "five words") || !strings.Contains(string(text), "\nupdated: ") || !strings.Contains(string(text), "correction: A word was missing.") {
		t.Errorf("the correction is not in the folder: %v\n%s", err, text)
	}

	// A correction that is dropped leaves nothing of itself.
	h.must(h.Release.Correct(ctx, lead, id, 0))
	h.must(h.rewrite(id, "nothing of this stays\n"))
	h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(s *room.Typed) {
		s.Title, s.Slug, s.Fields = "Nothing", "nothing", map[string]string{"say-short": "Nothing of this"}
	})))
	h.must(h.Release.DropCorrection(ctx, lead, id, 0))
	if p := h.piece(id); p.Title != "The tidal mill" || p.Summary != "It turns twice a day" || p.Corrects != 0 || !strings.HasPrefix(h.words(id), "five words") {
		t.Errorf("dropped, it is %+v, %q", p, h.words(id))
	}

	if s, err := h.Release.SheetFor(ctx, lead, id); err != nil || s.Fields["say-short"] != "" {
		t.Errorf("dropped, its sheet says %v, %v", s.Fields, err)
	}
	h.must(h.Review.Withdraw(ctx, lead, id, 0, "It was wrong"))
	h.deliver()
	if page, err = h.Review.SitePage(ctx, "web", "1-the-tide-mill"); err != nil || !page.Gone {
		t.Errorf("it is still on the site: %v %+v", err, page)
	}
	if site.Post(at) != nil {
		t.Error("it is still far away")
	}
	if _, err := os.Stat(file); err == nil {
		t.Error("it is still in the folder")
	}
	h.must(h.Review.SendOut(ctx, lead, id, 0, ""))
	h.deliver()
	if site.Post(at) == nil {
		t.Error("sent out again, it is not far away")
	}
	if want := []string{"create " + at, "update " + at, "delete " + at, "create " + at}; !slices.Equal(site.Asked(), want) {
		t.Errorf("asked for %q", site.Asked())
	}
}

// words gives the copy of a piece as plain text.
func (x *testHouse) words(id ref.Piece) string {
	x.t.Helper()
	s, err := x.Release.SheetFor(ctx, lead, id)
	x.must(err)
	return s.Text.Plain()
}

// rewrite makes a text the copy of a piece.
func (x *testHouse) rewrite(id ref.Piece, text string) error {
	_, err := x.Copyroom.SaveCopy(ctx, lead, id, -1, copy.Text{{Insert: text}}.JSON())
	return err
}

// Whatever a delivery is stopped after, nothing is made twice at the receiver under one key, and
// nothing is lost.
func TestACrashAfterEachStatementOfADelivery(t *testing.T) {
	steps := []string{"noted what is tried", "brought it there", "noted that it is there"}
	for _, kind := range []string{"create", "update", "take down"} {
		for _, step := range steps {
			t.Run(kind+", after "+step, func(t *testing.T) {
				t.Parallel()
				h, site := newHouse(t), posttest.NewMicropub(t)
				h.elsewhere()
				far := h.channel("Far", release.Outlet{Kind: release.Micropub, Address: site.Endpoint(), Secret: site.Token, Pages: site.URL + "/{slug}"})
				id := h.ready("12-18")
				h.must(h.Release.AddPlace(ctx, lead, id, room.Also{Channel: far}))
				h.comes("12-18")
				h.must(h.Tick(ctx))
				if kind != "create" {
					h.deliver()
					h.must(h.Release.Correct(ctx, lead, id, 0))
					h.must(h.rewrite(id, "another text here\n"))
					h.must(h.Release.BringOut(ctx, lead, id, 0, ""))
				}
				if kind == "take down" {
					h.must(h.Review.Withdraw(ctx, lead, id, 0, "why"))
				}
				stopped := 0
				h.Crash = func(name string) bool {
					if name == step && stopped == 0 && h.place(id, far).Trying != 0 || name == step && step == steps[2] && stopped == 0 {
						stopped++
						return true
					}
					return false
				}
				if err := h.Release.Deliver(ctx); err == nil || stopped != 1 {
					t.Fatalf("it was not stopped: %v", err)
				}
				h.Crash = nil
				again := houseOn(t, h.DB) // as after a start
				again.now, again.Carriers = h.now, h.Carriers
				again.must(again.Release.Deliver(ctx))
				again.must(again.Release.Deliver(ctx))
				if twice := site.Twice(); twice != nil {
					t.Errorf("made twice: %v", twice)
				}
				d, at := again.place(id, far), site.URL+"/1-the-tide-mill"
				if d.Wants != d.Has || d.Trying != 0 {
					t.Errorf("it is noted as %+v", d)
				}
				switch there := site.Post(at); {
				case kind == "take down" && there != nil:
					t.Errorf("it is still there: %v", there)
				case kind != "take down" && (there == nil || d.Address != at):
					t.Errorf("it is not there: %v, %+v", there, d)
				case kind == "update" && !strings.Contains(fmt.Sprint(there["content"]), "another text"):
					t.Errorf("it is there as it was: %v", there)
				}
				if n := len(site.Posts); kind != "take down" && n != 1 {
					t.Errorf("%d pages are there", n)
				}
			})
		}
	}
}

// A channel that answers late, wrongly, elsewhere or without end loses nothing: it is tried again
// with growing pauses, told after a few tries, given up after many, and sent when somebody says so.
func TestAChannelThatDoesNotTakeWhatItIsSent(t *testing.T) {
	h, site := newHouse(t), posttest.NewMicropub(t)
	h.elsewhere()
	far := h.channel("Far", release.Outlet{Kind: release.Micropub, Address: site.Endpoint(), Secret: site.Token})
	id := h.ready("12-18")
	h.must(h.Release.AddPlace(ctx, lead, id, room.Also{Channel: far}))
	h.comes("12-18")
	h.must(h.Tick(ctx))
	long := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(500) }))
	defer long.Close()
	bads := []struct {
		says   string
		answer func(w http.ResponseWriter, r *http.Request) bool
	}{
		{"does not answer in time", func(http.ResponseWriter, *http.Request) bool { time.Sleep(400 * time.Millisecond); return true }},
		{"answers 500: no room", func(w http.ResponseWriter, r *http.Request) bool { http.Error(w, "no room", 500); return true }},
		{"at which address", func(w http.ResponseWriter, r *http.Request) bool { w.WriteHeader(201); return true }},
		{"write that address in the set-up", func(w http.ResponseWriter, r *http.Request) bool {
			http.Redirect(w, r, "http://10.0.0.1/micropub", http.StatusTemporaryRedirect)
			return true
		}},
		{"longer than 256 KB", func(w http.ResponseWriter, r *http.Request) bool {
			w.WriteHeader(200)
			for range 100 {
				if _, err := w.Write(make([]byte, 1<<20)); err != nil {
					break
				}
			}
			return true
		}},
		{"does not let the program in", func(w http.ResponseWriter, r *http.Request) bool { w.WriteHeader(401); return true }},
	}
	var last int64
	for i := range store.MostTries {
		b := bads[min(i, len(bads)-1)]
		site.Answer = b.answer
		patience := time.Minute
		if i == 0 { // only this one is waited for in vain
			patience = 200 * time.Millisecond
		}
		h.Carriers[release.Micropub] = post.NewMicropub(patience, true)
		h.must(h.Release.Deliver(ctx))
		d := h.place(id, far)
		if d.Has != 0 || d.Tries != i+1 || !strings.Contains(d.Problem, b.says) {
			t.Fatalf("try %d: %+v", i+1, d)
		}
		if pause := int64(d.NextAt) - h.now.Unix(); pause < last {
			t.Errorf("the pause after try %d is %d s, before it was %d", i+1, pause, last)
		} else {
			last = pause
		}
		h.must(h.Release.Deliver(ctx)) // not before its time
		if h.place(id, far).Tries != i+1 {
			t.Fatal("it is tried before its time")
		}
		h.now = time.Unix(int64(d.NextAt), 0)
	}
	site.Answer = nil
	h.must(h.Release.Deliver(ctx))
	if d := h.place(id, far); !d.GivenUp() {
		t.Errorf("it is not given up: %+v", d)
	}
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE kind = 'undelivered' AND person_id = ?", lead); n != 2 {
		t.Errorf("the lead is told %d times", n)
	}
	failing, err := h.Release.Failing(ctx, lead, 1)
	h.must(err)
	if len(failing) != 1 || failing[0].Title != "The tide mill" {
		t.Errorf("failing: %+v", failing)
	}
	if err := h.Release.DeliverAgain(ctx, freelance, id, failing[0].ID); err == nil {
		t.Error("a freelance sends it again")
	}
	h.must(h.Release.DeliverAgain(ctx, lead, id, failing[0].ID))
	if d := h.place(id, far); d.Has == 0 || site.Post(d.Address) == nil {
		t.Errorf("sent again, it is not there: %+v", d)
	}
}

// A package has the pictures of a piece as they came, and in the widths that its channel takes
// where they are wider.
func TestAPackageHasPicturesInTheWidthsOfItsChannel(t *testing.T) {
	h := newHouse(t)
	id := h.make("12-18")
	var wide bytes.Buffer
	h.must(png.Encode(&wide, image.NewGray(image.Rect(0, 0, 1000, 500))))
	u, err := copyroom.ReadUpload("file", "weir.png", wide.Bytes())
	h.must(err)
	h.must(h.Copyroom.Attach(ctx, lead, id, 0, u, true, "A weir"))
	for _, bad := range [][]int{{50}, {5000}, {-1}, {100, 200, 300, 400, 500}} {
		if err := h.Release.SaveAsks(ctx, lead, 1, release.Asks{Widths: bad}); !refused(err, relay.ErrInput) {
			t.Errorf("widths of %v: %v", bad, err)
		}
	}
	h.must(h.Release.SaveAsks(ctx, lead, 1, release.Asks{Widths: []int{1600, 400, 800, 400}}))
	p, err := h.Release.Pack(ctx, lead, id)
	h.must(err)
	if len(p.Pictures) != 1 || !bytes.Equal(p.Pictures[0].Data, wide.Bytes()) || len(p.Pictures[0].Sized) != 2 {
		t.Fatalf("the pictures are %+v", p.Pictures)
	}
	for i, want := range []int{400, 800} {
		s := p.Pictures[0].Sized[i]
		c, _, err := image.DecodeConfig(bytes.NewReader(s.Data))
		if err != nil || s.Width != want || c.Width != want || c.Height != want/2 {
			t.Errorf("at %d it is %d × %d, %v", s.Width, c.Width, c.Height, err)
		}
	}
}

// Another edition takes the place of the one before it, at its address and with its history; what
// becomes of the first one after that changes nothing there.
func TestAnEditionTakesThePlaceOfTheOneBefore(t *testing.T) {
	h := newHouse(t)
	first := h.ready("12-18")
	h.comes("12-18")
	d, err := h.Planning.Again(ctx, lead, first, true)
	h.must(err)
	d.GoesOut = at("12-28")
	second, err := h.Intake.Create(ctx, lead, d)
	h.must(err)
	for _, x := range []struct {
		who ref.Person
		leg string
	}{{editor, "brief"}, {writer, "draft"}, {pictures, "pics"}, {editor, "copy"}, {outside, "yes"}} {
		if x.leg == "draft" {
			h.write(writer, second, "the second edition says more")
		}
		h.pass(x.who, second, x.leg)
	}
	h.comes("12-28")
	page, err := h.Review.SitePage(ctx, "web", "1-the-tide-mill")
	h.must(err)
	if page.PieceID != second || !strings.Contains(page.Body, "second edition") || page.Published != at("12-18") || page.Updated != at("12-28") {
		t.Fatalf("at the address is %+v", page)
	}
	if n := h.count("SELECT COUNT(*) FROM site_page"); n != 1 || h.piece(second).Address != "/site/web/1-the-tide-mill" {
		t.Errorf("%d pages are there", n)
	}
	if err := h.Release.Correct(ctx, lead, first, 0); !refused(err, relay.ErrNotNow) {
		t.Errorf("the first is corrected: %v", err)
	}
	h.must(h.Review.Withdraw(ctx, lead, first, 0, "why"))
	h.must(h.Review.SendOut(ctx, lead, first, 0, ""))
	h.deliver()
	if page, err = h.Review.SitePage(ctx, "web", "1-the-tide-mill"); err != nil || page.Gone || page.PieceID != second {
		t.Errorf("after the first was withdrawn and sent out again: %v, %+v", err, page)
	}
	h.must(h.Review.Withdraw(ctx, lead, second, 0, "why"))
	h.deliver()
	if page, err = h.Review.SitePage(ctx, "web", "1-the-tide-mill"); err != nil || !page.Gone {
		t.Errorf("the second, withdrawn: %v, %+v", err, page)
	}
}

// Two pieces that come to have one address, since one of them changed its channel, are both read.
func TestNoPieceTakesTheAddressOfAnother(t *testing.T) {
	h := newHouse(t)
	one, other := h.ready("12-18"), h.ready("12-21")
	set := func(id ref.Piece) {
		h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(s *room.Typed) { s.Slug = "mill" })))
	}
	set(one)
	far := h.channel("Far", release.Outlet{})
	h.exec("UPDATE piece SET channel_id = ? WHERE id = ?", far, other)
	h.Forget()
	set(other) // on another channel, so nobody minds
	h.exec("UPDATE piece SET channel_id = 1 WHERE id = ?", other)
	h.Forget()
	h.comes("12-18")
	s, err := h.Release.SheetFor(ctx, lead, other)
	h.must(err)
	if len(s.Lacks) != 1 || s.Lacks[0].Part != "slug" {
		t.Errorf("its sheet lacks %+v", s.Lacks)
	}
	h.must(h.Review.SendOut(ctx, lead, other, 0, ""))
	h.deliver()
	for slug, id := range map[string]ref.Piece{"mill": one, "2-the-tide-mill": other} {
		if page, err := h.Review.SitePage(ctx, "web", slug); err != nil || page.PieceID != id || page.Gone {
			t.Errorf("at %s: %v, %+v", slug, err, page)
		}
	}
}

// A channel that is reached in another way since: a correction is made anew there, readers are led
// to it, and a withdrawal takes it down where it is.
func TestAChannelIsReachedInAnotherWay(t *testing.T) {
	h, site := newHouse(t), posttest.NewMicropub(t)
	h.elsewhere()
	id := h.ready("12-18")
	h.comes("12-18")
	h.deliver()
	h.must(h.Release.SaveOutlet(ctx, lead, 1, release.Outlet{Kind: release.Micropub, Address: site.Endpoint(), Secret: site.Token}))
	h.deliver()
	if asked := site.Asked(); asked != nil {
		t.Errorf("what is out is sent: %q", asked)
	}
	h.must(h.Release.Correct(ctx, lead, id, 0))
	h.must(h.rewrite(id, "corrected at another place\n"))
	h.must(h.Release.BringOut(ctx, lead, id, 0, ""))
	h.deliver()
	at := site.URL + "/1-the-tide-mill"
	page, err := h.Review.SitePage(ctx, "web", "1-the-tide-mill")
	h.must(err)
	if site.Post(at) == nil || !page.Gone || page.Moved != at || h.piece(id).Address != at {
		t.Errorf("there is %v, the old page is %+v, its address %q", site.Post(at), page, h.piece(id).Address)
	}
	h.must(h.Release.SaveOutlet(ctx, lead, 1, release.Outlet{Kind: release.Folder, Folder: "posts"}))
	h.must(h.Review.Withdraw(ctx, lead, id, 0, "why"))
	h.deliver()
	if n := h.count("SELECT COUNT(*) FROM inbox WHERE kind = 'undelivered' AND text LIKE '%do that by hand%'"); n != 1 {
		t.Errorf("it is told %d times that it is to be taken down by hand", n)
	}
	if d := h.place(id, 1); d.Has != 0 || d.Wants != 0 {
		t.Errorf("it is noted as %+v", d)
	}
}

// A correction that gives a piece another address leads readers there from the old one, and says in
// the folder where it was.
func TestACorrectionMovesAPage(t *testing.T) {
	h := newHouse(t)
	dir := h.elsewhere()
	files := h.channel("Files", release.Outlet{Kind: release.Folder, Folder: "posts"})
	id := h.ready("12-18")
	h.must(h.Release.AddPlace(ctx, lead, id, room.Also{Channel: files}))
	h.comes("12-18")
	h.deliver()
	h.must(h.Release.Correct(ctx, lead, id, 0))
	if p := h.piece(id); p.Slug != "1-the-tide-mill" { // which a new title would have changed
		t.Errorf("while it is corrected its address is %q", p.Slug)
	}
	h.must(h.Release.SaveSheet(ctx, lead, id, 0, h.typed(id, func(s *room.Typed) { s.Slug = "tidal" })))
	h.must(h.Release.BringOut(ctx, lead, id, 0, ""))
	h.deliver()
	old, err := h.Review.SitePage(ctx, "web", "1-the-tide-mill")
	h.must(err)
	is, err := h.Review.SitePage(ctx, "web", "tidal")
	h.must(err)
	if !old.Gone || old.Moved != "tidal" || is.Gone || is.PieceID != id || h.piece(id).Address != "/site/web/tidal" {
		t.Errorf("the old page is %+v, the new one %+v, the address %q", old, is, h.piece(id).Address)
	}
	text, err := os.ReadFile(filepath.Join(dir, "posts/tidal.md"))
	if _, gone := os.Stat(filepath.Join(dir, "posts/1-the-tide-mill.md")); err != nil || gone == nil || !strings.Contains(string(text), "moved_from: 1-the-tide-mill") {
		t.Errorf("in the folder: %v, %v\n%s", err, gone, text)
	}
}

// An outlet is tried with what there is, by who leads the desk, and leaves nothing.
func TestAnOutletIsTriedByWhoLeadsTheDesk(t *testing.T) {
	h, site := newHouse(t), posttest.NewMicropub(t)
	h.elsewhere()
	o := release.Outlet{Kind: release.Micropub, Address: site.Endpoint(), Secret: site.Token}
	if _, err := h.Release.TryOutlet(ctx, lead, 1, o); !refused(err, relay.ErrNotNow) {
		t.Errorf("without a piece: %v", err)
	}
	h.make("12-18")
	for _, who := range []ref.Person{editor, writer, freelance, outside, stranger} {
		if _, err := h.Release.TryOutlet(ctx, who, 1, o); err == nil {
			t.Errorf("person %d tries it", who)
		}
		if err := h.Release.SaveOutlet(ctx, who, 1, o); err == nil {
			t.Errorf("person %d changes it", who)
		}
	}
	says, err := h.Release.TryOutlet(ctx, lead, 1, o)
	h.must(err)
	if len(says) == 0 || site.Asked() != nil || h.count("SELECT COUNT(*) FROM delivery") != 0 {
		t.Errorf("tried, it says %q and asked %q", says, site.Asked())
	}
	h.must(h.Release.SaveOutlet(ctx, lead, 1, o))
	if n := h.count("SELECT COUNT(*) FROM logbook WHERE before LIKE '%let me in%' OR after LIKE '%let me in%'"); n != 0 {
		t.Error("the token stands in the logbook")
	}
	o.Secret = "" // kept
	if _, err := h.Release.TryOutlet(ctx, lead, 1, o); err != nil {
		t.Errorf("with the token that is kept: %v", err)
	}
	o.Address += "/elsewhere" // and sent nowhere else
	if _, err := h.Release.TryOutlet(ctx, lead, 1, o); !refused(err, relay.ErrInput) {
		t.Errorf("with another address and the token that is kept: %v", err)
	}
}
