package web

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"
	"time"

	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/store"
)

// A program asks by a form, asks back, takes one and turns another down, as on the pages; what was said
// meanwhile is not passed over.
func TestProgramsAskAndDecide(t *testing.T) {
	x, p := openAPI(t, 1, all)
	forms, _ := p.gets(http.StatusOK, http.MethodGet, "/forms", nil)
	first := forms["forms"].([]any)[1].(map[string]any)
	if first["key"] != "for-colleagues" || first["open"] != true || first["questions"].([]any)[0].(map[string]any)["needed"] != true {
		t.Fatal(first)
	}
	answers := map[string]string{"what and why": "The river is up."}
	for says, body := range map[string]any{
		"“What and why” is needed":      map[string]any{"title": "Flood"},
		"The form does not ask “Where”": map[string]any{"title": "Flood", "answers": map[string]string{"Where": "Here"}},
		"Write the day like":            map[string]any{"title": "Flood", "answers": answers, "wanted": "soon"},
		"Write your mail address":       map[string]any{"title": "Flood", "answers": answers, "name": "Somebody"},
	} {
		if said, _ := p.gets(http.StatusUnprocessableEntity, http.MethodPost, "/forms/for-colleagues/requests", body); !strings.Contains(fmt.Sprint(said), says) {
			t.Errorf("%q is not said: %v", says, said)
		}
	}
	p.gets(http.StatusNotFound, http.MethodPost, "/forms/none/requests", map[string]any{"title": "Flood"})
	made := func(title string) string {
		said, _ := p.gets(http.StatusCreated, http.MethodPost, "/forms/for-colleagues/requests", map[string]any{"title": title, "answers": answers, "wanted": "2026-12-21"}, "Idempotency-Key", title)
		again, _ := p.gets(http.StatusCreated, http.MethodPost, "/forms/for-colleagues/requests", map[string]any{"title": title, "answers": answers, "wanted": "2026-12-21"}, "Idempotency-Key", title)
		if said["follow"] == "" || said["follow"] != again["follow"] {
			t.Errorf("%v, then %v", said, again)
		}
		r := httptest.NewRecorder()
		p.h.ServeHTTP(r, httptest.NewRequest(http.MethodGet, said["follow"].(string), nil))
		if r.Code != http.StatusOK || !strings.Contains(r.Body.String(), title) {
			t.Errorf("followed: %d", r.Code)
		}
		l, _ := p.gets(http.StatusOK, http.MethodGet, "/requests", nil)
		newest := l["requests"].([]any)[0].(map[string]any)
		if newest["title"] != title || newest["wanted"] != "2026-12-21" || newest["name"] != "Maren Holt" {
			t.Fatal(newest)
		}
		return fmt.Sprintf("/requests/%v", newest["id"])
	}
	flood, drought := made("Flood"), made("Drought")
	was, h := p.gets(http.StatusOK, http.MethodGet, flood, nil)
	if _, h := p.gets(http.StatusOK, http.MethodPost, flood+"/ask-back", map[string]any{"text": "Which river?"}); h.Get("ETag") == "" {
		t.Error("no version")
	}
	p.gets(http.StatusPreconditionFailed, http.MethodPost, flood+"/take", map[string]any{"format": 1}, "If-Match", h.Get("ETag"))
	p.gets(http.StatusUnprocessableEntity, http.MethodPost, flood+"/take", map[string]any{"format": 1, "goes_out": "soon"})
	took, _ := p.gets(http.StatusOK, http.MethodPost, flood+"/take", map[string]any{"format": 1, "goes_out": "2026-12-21T07:00:00Z", "writer": 3, "priority": "first", "word": "Gladly."})
	if took["state"] == was["state"] || took["piece"] == nil {
		t.Fatal(took)
	}
	piece, _ := p.gets(http.StatusOK, http.MethodGet, fmt.Sprintf("/pieces/%v", took["piece"]), nil)
	if piece["title"] != "Flood" || piece["priority"] != "first" || !strings.Contains(piece["brief"].(string), "The river is up.") {
		t.Error(piece)
	}
	p.gets(http.StatusConflict, http.MethodPost, flood+"/turn-down", map[string]any{"text": "No."})
	if said, _ := p.gets(http.StatusOK, http.MethodPost, drought+"/turn-down", map[string]any{"text": "There is none."}); said["why"] != "There is none." {
		t.Error(said)
	}
	writer := program{t, p.h, tokenFor(t, x, 4, all)} // a freelance
	writer.gets(http.StatusNotFound, http.MethodGet, drought, nil)
	writer.gets(http.StatusNotFound, http.MethodPost, drought+"/take", map[string]any{"format": 1})
	writer.gets(http.StatusForbidden, http.MethodGet, "/partners", nil)
	if said, _ := p.gets(http.StatusOK, http.MethodGet, "/partners", nil); !strings.Contains(fmt.Sprint(said), "Old Weir") || !strings.Contains(fmt.Sprint(said), "Bram") {
		t.Error(said)
	}
	if _, err := x.Newsroom.Intake.Triage(ctx, 1, ref.Request(1)); err != nil {
		t.Error(err)
	}
}

// Files are attached as they are, and given again to the byte; a newer version takes the place of one.
func TestProgramsAttachFiles(t *testing.T) {
	_, p := openAPI(t, 1, all)
	png := append([]byte("\x89PNG\r\n\x1a\n"), bytes.Repeat([]byte{7, 0, 9}, 5<<20/3)...)
	send := func(query string, b []byte, headers ...string) (*http.Response, string) {
		t.Helper()
		r := httptest.NewRequest(http.MethodPost, "/api/v1/pieces/391/files?"+query, bytes.NewReader(b))
		r.Header.Set("Content-Type", "application/octet-stream")
		r.Header.Set("Authorization", "Bearer "+p.token)
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		w := httptest.NewRecorder()
		p.h.ServeHTTP(w, r)
		return w.Result(), w.Body.String()
	}
	before, _ := p.gets(http.StatusOK, http.MethodGet, "/pieces/391/files", nil)
	n := len(before["files"].([]any))
	for range 2 {
		if res, body := send("name=mill.txt", []byte("The mill, in words."), "Idempotency-Key", "mill"); res.StatusCode != http.StatusCreated {
			t.Fatal(res.StatusCode, body)
		}
	}
	files := func() []any {
		got, _ := p.gets(http.StatusOK, http.MethodGet, "/pieces/391/files", nil)
		return got["files"].([]any)
	}
	all := files()
	last := all[len(all)-1].(map[string]any)
	if len(all) != n+1 || last["name"] != "mill.txt" || last["version"] != 1.0 {
		t.Fatal(all)
	}
	if res, body := send(fmt.Sprintf("name=mill2.txt&attachment=%.0f", last["attachment"]), []byte("Shorter.")); res.StatusCode != http.StatusCreated {
		t.Fatal(res.StatusCode, body)
	}
	all = files()
	newer := all[len(all)-1].(map[string]any)
	if len(all) != n+1 || newer["version"] != 2.0 || newer["id"] == last["id"] {
		t.Fatal(all)
	}
	if _, _, b := p.ask(http.MethodGet, fmt.Sprintf("/files/%.0f", newer["id"]), nil); string(b) != "Shorter." {
		t.Errorf("%q", b)
	}
	for _, x := range []struct {
		query  string
		b      []byte
		status int
	}{{"name=mill.exe", []byte("MZ"), 422}, {"name=mill.png", []byte("no picture"), 422}, {"", []byte("x"), 422}, {"name=mill.txt&attachment=99999", []byte("x"), 409}, {"name=mill.txt&lead=true", []byte("x"), 422}, {"name=big.txt", bytes.Repeat([]byte("x"), 11<<20), 422}, {"name=huge.txt", bytes.Repeat([]byte("x"), 200<<20), 413}} {
		if res, body := send(x.query, x.b); res.StatusCode != x.status || res.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s: %d %.200s", x.query, res.StatusCode, body)
		}
	}
	if res, body := send("name=large.png", png); res.StatusCode != http.StatusCreated && !strings.Contains(body, "picture") { // 5 MB, which is more than any other body has
		t.Errorf("%d %.200s", res.StatusCode, body)
	}
}

// What is done is heard as it is done, from the last that was heard on, until the token is ended.
func TestProgramsHearWhatIsDone(t *testing.T) {
	x, p := openAPI(t, 1, all)
	srv := httptest.NewServer(p.h)
	defer srv.Close()
	listen := func(token, query string, headers ...string) (*http.Response, *bufio.Scanner) {
		t.Helper()
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, srv.URL+"/api/v1/events"+query, nil)
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Authorization", "Bearer "+token)
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		res, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = res.Body.Close() })
		return res, bufio.NewScanner(res.Body)
	}
	next := func(s *bufio.Scanner) (id string, what string) {
		t.Helper()
		for s.Scan() {
			if v, ok := strings.CutPrefix(s.Text(), "id: "); ok {
				id = v
			}
			if v, ok := strings.CutPrefix(s.Text(), "data: "); ok {
				var e struct {
					Seq  int64
					What string
				}
				if err := json.Unmarshal([]byte(v), &e); err != nil || fmt.Sprint(e.Seq) != id {
					t.Fatal(err, id, v)
				}
				return id, e.What
			}
		}
		return "", ""
	}
	res, all1 := listen(p.token, "")
	if res.StatusCode != http.StatusOK || res.Header.Get("Content-Type") != "text/event-stream" {
		t.Fatal(res.StatusCode, res.Header)
	}
	all1.Scan() // that it listens
	catch := func(title string) {
		t.Helper()
		p.gets(http.StatusCreated, http.MethodPost, "/pieces", map[string]any{"title": title, "format": 1})
	}
	from := time.Now()
	catch("Heard first")
	first, what := next(all1)
	if !strings.Contains(what, "Heard first") || time.Since(from) > 15*time.Second {
		t.Errorf("%q after %s", what, time.Since(from))
	}
	catch("Heard second")
	for last := first; ; { // each once, in their order
		id, what := next(all1)
		if was, err := strconv.Atoi(last); err != nil || id == "" {
			t.Fatal(err, id)
		} else if is, err := strconv.Atoi(id); err != nil || is <= was {
			t.Fatalf("%s is heard after %s, %v", id, last, err)
		}
		if last = id; strings.Contains(what, "Heard second") {
			break
		}
	}
	for _, headers := range [][]string{{"Last-Event-ID", first}, nil} {
		query := ""
		if headers == nil {
			query = "?seconds=60&after=" + first
		}
		_, again := listen(p.token, query, headers...)
		if _, what := next(again); !strings.Contains(what, "Heard second") {
			t.Errorf("gone on from the first: %q", what)
		}
	}
	for _, x := range []struct {
		token, query string
		status       int
		headers      []string
	}{{"", "", 401, nil}, {p.token, "?desk=99", 404, nil}, {p.token, "", 422, []string{"Last-Event-ID", "x"}}, {tokenFor(t, x, 4, all), "", 403, nil}, {tokenFor(t, x, 2, scope.Scope{scope.Pieces: scope.Read}), "", 403, nil}} {
		if res, _ := listen(x.token, x.query, x.headers...); res.StatusCode != x.status || res.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%+v: %d", x, res.StatusCode)
		}
	}
	if res, s := listen(p.token, "?seconds=1"); res.StatusCode == http.StatusOK {
		for s.Scan() { // it ends by itself
		}
	}
	mine, err := x.Newsroom.Programs.Tokens(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range mine {
		if err := x.Newsroom.Programs.End(ctx, 1, m.ID); err != nil {
			t.Fatal(err)
		}
	}
	if err := x.Newsroom.DB.Write(ctx, func(tx *store.Tx) error {
		return tx.Log(ctx, store.Entry{DeskID: 1, Act: "secret", What: "not for who is out"})
	}); err != nil {
		t.Fatal(err)
	}
	for all1.Scan() { // it ends, since its token does
		if strings.Contains(all1.Text(), "not for who is out") {
			t.Error("it hears on")
		}
	}
}
