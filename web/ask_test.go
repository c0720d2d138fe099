package web

import (
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/rooms"
)

var goodAsk = url.Values{"title": {"Oats"}, "who": {"Gwen"}, "mail": {"gwen@corran.example"}, "f0": {"A recipe"}, "f2": {"Notes"}}

func with(form url.Values, more ...string) url.Values {
	out := url.Values{}
	for k, v := range form {
		out[k] = v
	}
	for i := 0; i+1 < len(more); i += 2 {
		out.Set(more[i], more[i+1])
	}
	return out
}

func stored(t testing.TB, h *rooms.Newsroom, table string) (n int) {
	t.Helper()
	if err := h.DB.Get(ctx, &n, "SELECT COUNT(*) FROM "+table); err != nil {
		t.Fatal(err)
	}
	return n
}

// Robots fall into the trap, and whoever sends very many is asked to wait; what is typed
// is kept, and never becomes part of the page.
func TestRequestsFromOutsideAreGuarded(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h)
	before := stored(t, house, "request")
	if res, body := c.post("/ask/a-piece-please", with(goodAsk, "website", "http://spam.example")); res.StatusCode != 200 || !strings.Contains(body, "We have it.") || stored(t, house, "request") != before {
		t.Errorf("the trap: %d, %d stored", res.StatusCode, stored(t, house, "request")-before)
	}
	for name, x := range map[string]struct {
		form url.Values
		says string
	}{
		"a title of 10,000 characters": {with(goodAsk, "title", strings.Repeat("ö", 10_000)), "under 200 characters"},
		"a script":                     {with(goodAsk, "title", "<script>alert(1)</script>", "mail", "no"), "&lt;script&gt;alert(1)&lt;/script&gt;"},
		"a mail with a header":         {with(goodAsk, "mail", "a@b.example\r\nBcc: all@b.example"), "mail address"},
		"another choice":               {with(goodAsk, "f0", "A novel"), "from its list"},
	} {
		if res, body := c.post("/ask/a-piece-please", x.form); res.StatusCode != 422 || !strings.Contains(body, x.says) {
			t.Errorf("%s: %d, and not %q", name, res.StatusCode, x.says)
		}
	}
	if stored(t, house, "request") != before {
		t.Error("something was stored")
	}
	const perHost = 6 // in ten minutes
	codes := map[int]int{}
	for range 20 {
		res, body := c.post("/ask/a-piece-please", with(goodAsk, "title", "مطحنة 🌾 =1+1"))
		codes[res.StatusCode]++
		if res.StatusCode == 409 && (!strings.Contains(body, "in ten minutes") || !strings.Contains(body, "مطحنة 🌾")) {
			t.Error("who waits is not told so, or what was typed is gone")
		}
		if res.StatusCode == 200 && res.Header.Get("Referrer-Policy") != "no-referrer" {
			t.Errorf("the private page is given away as %q", res.Header.Get("Referrer-Policy"))
		}
	}
	if codes[200] != perHost || codes[409] != 20-perHost {
		t.Errorf("let in: %v", codes)
	}
	if res, _ := c.get("/ask/for-colleagues"); res.Request.URL.Path != "/signin" {
		t.Errorf("a form for colleagues opens at %s", res.Request.URL.Path)
	}
	if res, _ := c.post("/ask/for-colleagues", goodAsk); res.StatusCode != 404 {
		t.Errorf("and takes what nobody sent: %d", res.StatusCode)
	}
}

// Files that come with a request are looked at before anything is stored.
func TestFilesOfARequestAreLookedAt(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h)
	send := func(name string, data []byte, n int) (int, string) {
		t.Helper()
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		for k, v := range goodAsk {
			if err := w.WriteField(k, v[0]); err != nil {
				t.Fatal(err)
			}
		}
		for range n {
			f, err := w.CreateFormFile("f4", name)
			if err != nil {
				t.Fatal(err)
			}
			if _, err := f.Write(data); err != nil {
				t.Fatal(err)
			}
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		res, err := http.Post(c.url+"/ask/a-piece-please", w.FormDataContentType(), &b)
		if err != nil { // the server hung up on what is far too large
			return 413, ""
		}
		defer res.Body.Close()
		body, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(body)
	}
	before, files := stored(t, house, "request"), stored(t, house, "file")
	for _, x := range []struct {
		name string
		data []byte
		n    int
		code int
		says string
	}{
		{"mill.png", []byte("<html>"), 1, 422, "not what its name says"}, {"mill.exe", []byte("MZ"), 1, 422, "is not taken here"}, {"big.txt", bytes.Repeat([]byte("a"), copyroom.MaxFile+1), 1, 422, "larger than 10 MB"}, {"six.txt", []byte("a"), 6, 422, "up to 5 files"},
		{"huge.txt", bytes.Repeat([]byte("a"), 60<<20), 1, 413, ""},
	} {
		if code, body := send(x.name, x.data, x.n); code != x.code || !strings.Contains(body, x.says) {
			t.Errorf("%s: %d, and not %q", x.name, code, x.says)
		}
	}
	if stored(t, house, "request") != before || stored(t, house, "file") != files {
		t.Error("something was stored")
	}
	if code, body := send("weights.txt", []byte("300 g"), 2); code != 200 || !strings.Contains(body, "weights.txt") || stored(t, house, "file") != files+2 {
		t.Errorf("two good files: %d", code)
	}
	for code := 0; code != 409; { // until too many came from here
		code, _ = send("weights.txt", []byte("300 g"), 1)
	}
	if code, body := send("mill.png", []byte("no picture at all"), 1); code != 409 || strings.Contains(body, "not what its name says") {
		t.Errorf("a file is looked at before it is asked whether it may come: %d", code)
	}
	var file ref.File
	if err := house.DB.Get(ctx, &file, "SELECT id FROM file LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	for who, want := range map[int]int{1: 200, 4: 404, 9: 404} {
		if res, _ := c.another().as(who).get(fmt.Sprintf("/files/%d", file)); res.StatusCode != want {
			t.Errorf("person %d opens the file: %d", who, res.StatusCode)
		}
	}
}
