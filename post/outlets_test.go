package post

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/post/posttest"
	"greenbaton/store"
)

var bg = context.Background()

// aParcel is a page with a picture in its copy, a lead picture and a recording.
func aParcel(o release.Outlet) *newsroom.Parcel {
	at := time.Date(2026, 12, 18, 8, 0, 0, 0, time.UTC)
	p := &newsroom.Parcel{
		Key: "piece-7-channel-2-printing-1", Outlet: o, Channel: "web", House: "Millrace", Base: "http://house.example", Media: map[string]string{},
		Page: newsroom.Page{
			Slug: "the-tide-mill", Number: 7, Piece: 7, Title: "The tide mill: “twice”", Summary: "It turns & turns", Author: "Adaeze Brandt", Lead: 12, LeadAlt: "A wheel", Tags: []string{"mills", "tides"},
			Sound: newsroom.Sound{File: 13, Name: "mill.mp3", Type: "audio/mpeg", Length: 3, Seconds: 61}, First: at, At: at,
			Copy: copy.Text{{Insert: "Twice a day.\n"}, {Embed: copy.PictureOf(11), Attributes: copy.Attributes{}}, {Insert: "\nIt turns.\n"}},
		},
	}
	p.Open = func(_ context.Context, file ref.File) (store.File, error) {
		f, ok := map[ref.File]store.File{11: {Name: "in/../copy.png", Type: "image/png", Data: []byte("png")}, 12: {Name: "lead.jpg", Type: "image/jpeg", Data: []byte("jpg")}, 13: {Name: "mill.mp3", Type: "audio/mpeg", Data: []byte("mp3")}}[file]
		if f.ID = file; !ok {
			return f, newsroom.ErrNotFound
		}
		return f, nil
	}
	return p
}

func TestAFolderHasAPageWithItsFiles(t *testing.T) {
	dir := t.TempDir()
	f, p := Folders{Below: dir}, aParcel(release.Outlet{Kind: release.Folder, Folder: "site/posts", Pages: "https://x.example/{slug}"})
	files := func() []string {
		t.Helper()
		var out []string
		err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				name, _ := filepath.Rel(dir, path)
				out = append(out, name)
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	says, err := f.Try(bg, p)
	if err != nil || len(files()) != 0 || !strings.Contains(strings.Join(says, "\n"), "title: ") {
		t.Errorf("tried, it leaves %v and says %q, %v", files(), says, err)
	}
	for range 2 { // again is the same
		at, err := f.Put(bg, p)
		if err != nil || at != "https://x.example/the-tide-mill" {
			t.Fatalf("%q, %v", at, err)
		}
	}
	if got, want := fmt.Sprint(files()), "[site/posts/the-tide-mill/1-copy.png site/posts/the-tide-mill/2-lead.jpg site/posts/the-tide-mill/3-mill.mp3 site/posts/the-tide-mill.md]"; got != want {
		t.Errorf("there is %s, want %s", got, want)
	}
	page, err := os.ReadFile(filepath.Join(dir, "site/posts/the-tide-mill.md"))
	if err != nil || !strings.Contains(string(page), "](the-tide-mill/1-copy.png)") || !strings.Contains(string(page), "image: the-tide-mill/2-lead.jpg") || !strings.Contains(string(page), "recording: the-tide-mill/3-mill.mp3") {
		t.Errorf("%v:\n%s", err, page)
	}

	// A page that moves leaves nothing behind, and says where it was; a picture that is gone is left out.
	p.Page.Slug, p.Page.Lead = "tidal", 99
	if _, err := f.Put(bg, p); err != nil {
		t.Fatal(err)
	}
	page, err = os.ReadFile(filepath.Join(dir, "site/posts/tidal.md"))
	if err != nil || strings.Contains(fmt.Sprint(files()), "tide") || !strings.Contains(string(page), "moved_from: the-tide-mill") || strings.Contains(string(page), "image:") {
		t.Errorf("%v, %v:\n%s", files(), err, page)
	}
	for range 2 {
		if err := f.Take(bg, p); err != nil || len(files()) != 0 {
			t.Errorf("taken down, there is %v, %v", files(), err)
		}
	}

	// Nothing is reached outside.
	if err := os.Symlink(t.TempDir(), filepath.Join(dir, "out")); err != nil {
		t.Fatal(err)
	}
	for _, folder := range []string{"../x", "out", "out/x", "/etc"} {
		p.Outlet.Folder = folder
		if at, err := f.Put(bg, p); err == nil {
			t.Errorf("it writes to %s: %s", folder, at)
		}
	}
	if _, err := (Folders{}).Put(bg, p); err == nil || !strings.Contains(err.Error(), "--folders") {
		t.Errorf("without a folder: %v", err)
	}
}

// A disk that is full leaves the page that was there, whole.
func TestAFullDiskLeavesWhatWasThere(t *testing.T) {
	dir := t.TempDir()
	f, p := Folders{Below: dir}, aParcel(release.Outlet{Kind: release.Folder, Folder: "posts"})
	if _, err := f.Put(bg, p); err != nil {
		t.Fatal(err)
	}
	was, err := os.ReadFile(filepath.Join(dir, "posts/the-tide-mill.md"))
	if err != nil {
		t.Fatal(err)
	}
	for room := range 40 {
		left := room * 20
		f.write = func(root *os.Root, name string, data []byte) error {
			n := min(left, len(data))
			left -= n
			if err := root.WriteFile(name, data[:n], 0o644); err != nil {
				return err
			}
			if n < len(data) {
				return syscall.ENOSPC
			}
			return nil
		}
		p.Page.Title = fmt.Sprintf("Another title, %d", room)
		_, err := f.Put(bg, p)
		is, failed := os.ReadFile(filepath.Join(dir, "posts/the-tide-mill.md"))
		switch {
		case failed != nil:
			t.Fatalf("with room for %d bytes the page is gone: %v", room*20, failed)
		case err == nil:
			if !bytes.Contains(is, []byte(p.Page.Title)) {
				t.Errorf("with room for %d bytes it says it is written:\n%s", room*20, is)
			}
			return
		case !errors.Is(err, syscall.ENOSPC) || !bytes.Equal(is, was):
			t.Fatalf("with room for %d bytes: %v:\n%s", room*20, err, is)
		}
		if parts, err := filepath.Glob(filepath.Join(dir, "posts/*/.part*")); err != nil || parts != nil {
			t.Errorf("it leaves %v, %v", parts, err)
		}
	}
	t.Error("there is never room")
}

// The examples of Micropub, W3C Recommendation of 23 May 2017, sections 3.3.2, 3.4, 3.5 and 3.7
// (their bodies from memory, with other hosts): the receiver of these tests takes them, so that
// what it takes from us is what a site that keeps to the recommendation takes.
func TestTheReceiverTakesTheExamplesOfTheRecommendation(t *testing.T) {
	m := posttest.NewMicropub(t)
	send := func(body string) *http.Response {
		t.Helper()
		req, err := http.NewRequest(http.MethodPost, m.Endpoint(), strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Authorization", "Bearer "+m.Token)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res
	}
	res := send(`{"type":["h-entry"],"properties":{"content":["hello world"],"category":["foo","bar"],"photo":["https://photos.example/592829482876343254.jpg"],"mp-slug":["hello"]}}`)
	at := res.Header.Get("Location")
	if res.StatusCode != http.StatusCreated || at == "" {
		t.Fatalf("create: %d at %q", res.StatusCode, at)
	}
	for _, c := range []struct{ body, property, want string }{
		{`{"action":"update","url":"` + at + `","replace":{"content":["hello moon"]}}`, "content", "[hello moon]"},
		{`{"action":"update","url":"` + at + `","add":{"category":["micropub","indieweb"]}}`, "category", "[foo bar micropub indieweb]"},
		{`{"action":"update","url":"` + at + `","delete":["category"]}`, "category", "[]"},
	} {
		if res := send(c.body); res.StatusCode/100 != 2 || fmt.Sprint(m.Post(at)[c.property]) != c.want {
			t.Errorf("%s: %d, %v", c.body, res.StatusCode, m.Post(at))
		}
	}
	if res := send(`{"action":"delete","url":"` + at + `"}`); res.StatusCode/100 != 2 || m.Post(at) != nil {
		t.Errorf("delete: %d, %v", res.StatusCode, m.Post(at))
	}
	if res := send(`{"action":"update","url":"` + at + `","replace":{"content":["x"]}}`); res.StatusCode != http.StatusBadRequest {
		t.Errorf("an update of what is not there: %d", res.StatusCode)
	}
}

func TestAPageGoesToAMicropubEndpoint(t *testing.T) {
	m := posttest.NewMicropub(t)
	c, p := NewMicropub(time.Minute, true), aParcel(release.Outlet{Kind: release.Micropub, Address: m.Endpoint(), Secret: m.Token})
	says, err := c.Try(bg, p)
	if err != nil || len(m.Posts) != 0 || len(m.Files) != 0 || !strings.Contains(strings.Join(says, "\n"), `"h-entry"`) {
		t.Errorf("tried, it leaves %v and says %q, %v", m.Posts, says, err)
	}
	at, err := c.Put(bg, p)
	if err != nil || at != m.URL+"/the-tide-mill" {
		t.Fatalf("%q, %v", at, err)
	}
	post := m.Post(at)
	text, err := json.Marshal(post)
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{`"name":["The tide mill: “twice”"]`, `"category":["mills","tides"]`, `"published":["2026-12-18T08:00:00Z"]`, `"alt":"A wheel"`, `"uid":["http://house.example/pieces/7"]`} {
		if !strings.Contains(string(text), want) {
			t.Errorf("it has no %s: %s", want, text)
		}
	}
	if len(m.Files) != 3 || post["mp-slug"] != nil || post["summary"] == nil || post["audio"] == nil {
		t.Errorf("%d files, %v", len(m.Files), post)
	}
	// An update brings nothing twice, and takes away what is no more.
	p.Address, p.Page.Summary, p.Page.Tags, p.Page.Title = at, "", nil, "Tidal"
	if again, err := c.Put(bg, p); err != nil || again != at {
		t.Errorf("%q, %v", again, err)
	}
	if post = m.Post(at); fmt.Sprint(post["name"]) != "[Tidal]" || post["summary"] != nil || post["category"] != nil || len(m.Files) != 3 {
		t.Errorf("updated, it is %v with %d files", post, len(m.Files))
	}
	// Deleted there by hand, it is created anew.
	if err := c.Take(bg, p); err != nil || m.Post(at) != nil {
		t.Errorf("%v, %v", err, m.Post(at))
	}
	for name, wrong := range map[string]release.Outlet{
		"token": {Kind: release.Micropub, Address: m.Endpoint(), Secret: "another"}, "address": {Kind: release.Micropub, Address: m.URL + "/nothing", Secret: m.Token},
		"page": {Kind: release.Micropub, Address: httptestPage(t), Secret: m.Token},
	} {
		p := aParcel(wrong)
		if says, err := c.Try(bg, p); err == nil && name != "address" {
			t.Errorf("a wrong %s is tried well: %q", name, says)
		}
		if at, err := c.Put(bg, p); err == nil {
			t.Errorf("a wrong %s is at %q", name, at)
		}
	}
	if _, err := NewMicropub(time.Minute, false).Put(bg, aParcel(p.Outlet)); err == nil || !strings.Contains(err.Error(), "private network") {
		t.Errorf("a private network: %v", err)
	}
}

// httptestPage is a site that answers any request with a page for people.
func httptestPage(t *testing.T) string {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, "<!doctype html><p>Welcome</p>") }))
	t.Cleanup(s.Close)
	return s.URL
}

func TestASignedRequestTellsOfAPage(t *testing.T) {
	secret, answer := "sixteen letters!", `{"address":"https://x.example/a"}`
	var got []map[string]any
	var keys []string
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, err := io.ReadAll(r.Body)
		if err != nil || r.Header.Get(HeaderSignature) != "sha256="+Sign([]byte(secret), append([]byte(r.Header.Get(HeaderTime)+"."), body...)) {
			w.WriteHeader(http.StatusForbidden)
			return
		}
		var x map[string]any
		if err := json.Unmarshal(body, &x); err != nil {
			t.Error(err)
		}
		got, keys = append(got, x), append(keys, r.Header.Get(HeaderIdempotency))
		io.WriteString(w, answer)
	}))
	defer s.Close()
	c, p := NewRequests(time.Minute, true), aParcel(release.Outlet{Kind: release.Request, Address: s.URL, Secret: secret, Pages: "https://x.example/usual/{slug}"})
	if _, err := c.Try(bg, p); err != nil || got[0]["event"] != "try" {
		t.Fatalf("tried: %v", err)
	}
	at, err := c.Put(bg, p)
	if err != nil || at != "https://x.example/a" || keys[1] != p.Key {
		t.Fatalf("%q, %v", at, err)
	}
	x := got[1]
	if x["event"] != "publish" || x["title"] != p.Page.Title || x["lead"] != "2-lead.jpg" || !strings.Contains(fmt.Sprint(x["html"]), `src="1-copy.png"`) || len(x["files"].([]any)) != 3 {
		t.Errorf("it was told %v", x)
	}
	answer = ""
	if at, err = c.Put(bg, p); err != nil || at != "https://x.example/usual/the-tide-mill" {
		t.Errorf("without an answer: %q, %v", at, err)
	}
	for _, bad := range []string{`{"address":"javascript:alert(1)"}`, `{"address":"/a"}`, `{"address":"https://` + strings.Repeat("a", 3000) + `"}`} {
		answer = bad
		if at, err = c.Put(bg, p); err == nil {
			t.Errorf("%s is the address %q", bad, at)
		}
	}
	answer, p.Address = "", "https://x.example/a"
	if err := c.Take(bg, p); err != nil || got[len(got)-1]["event"] != "withdraw" || got[len(got)-1]["address"] != p.Address {
		t.Errorf("taken down: %v, %v", err, got[len(got)-1])
	}
	p.Outlet.Secret = "another secret!!"
	if _, err := c.Put(bg, p); err == nil || !strings.Contains(err.Error(), "does not let the program in") {
		t.Errorf("with a wrong secret: %v", err)
	}
}
