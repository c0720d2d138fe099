package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/oapi-codegen/oapi-codegen/v2/pkg/codegen"
	"github.com/oapi-codegen/oapi-codegen/v2/pkg/util"
	_ "github.com/oapi-codegen/runtime" // which clients stand on
	"github.com/pb33f/libopenapi"
	validator "github.com/pb33f/libopenapi-validator"

	"greenbaton/core/ref"
	"greenbaton/core/scope"
	"greenbaton/store"
)

// all opens everything.
var all = scope.Scope{scope.Pieces: scope.Write, scope.Ideas: scope.Write, scope.Copy: scope.Write, scope.People: scope.Read, scope.Figures: scope.Write, scope.Fees: scope.Read, scope.Logbook: scope.Read}

// program asks a server by a token.
type program struct {
	t     testing.TB
	h     http.Handler
	token string
}

func (p program) ask(method, path string, body any, headers ...string) (*http.Request, *http.Response, []byte) {
	p.t.Helper()
	var text []byte
	switch b := body.(type) {
	case nil:
	case string:
		text = []byte(b)
	default:
		var err error
		if text, err = json.Marshal(b); err != nil {
			p.t.Fatal(err)
		}
	}
	r := httptest.NewRequest(method, "/api/v1"+path, bytes.NewReader(text))
	if text != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	if p.token != "" {
		r.Header.Set("Authorization", "Bearer "+p.token)
	}
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	w := httptest.NewRecorder()
	p.h.ServeHTTP(w, r)
	return r, w.Result(), w.Body.Bytes()
}

// gets asks for something that is to be answered with a status, and reads it.
func (p program) gets(status int, method, path string, body any, headers ...string) (map[string]any, http.Header) {
	p.t.Helper()
	_, res, text := p.ask(method, path, body, headers...)
	if res.StatusCode != status {
		p.t.Fatalf("%s %s: %d, not %d: %s", method, path, res.StatusCode, status, text)
	}
	out := map[string]any{}
	if len(text) > 0 {
		if err := json.Unmarshal(text, &out); err != nil {
			p.t.Fatalf("%s %s: %v in %s", method, path, err, text)
		}
	}
	return out, res.Header
}

func openAPI(t testing.TB, who ref.Person, s scope.Scope) (*Server, program) {
	t.Helper()
	x, h := openServer(t, true)
	return x, program{t, h, tokenFor(t, x, who, s)}
}

func tokenFor(t testing.TB, x *Server, who ref.Person, s scope.Scope) string {
	t.Helper()
	token, err := x.Newsroom.Programs.Make(ctx, who, fmt.Sprint("A program of ", who), s, 30)
	if err != nil {
		t.Fatal(err)
	}
	return token
}

// operation is one that stands in the description.
type described struct {
	id, method, path string
	params           []map[string]any
	body             map[string]any
	schemas          map[string]any
}

func operations(t testing.TB, p program) (text []byte, out []described) {
	t.Helper()
	_, _, text = p.ask(http.MethodGet, "/openapi.json", nil)
	var o struct {
		Paths      map[string]map[string]map[string]any
		Components struct{ Schemas map[string]any }
	}
	if err := json.Unmarshal(text, &o); err != nil {
		t.Fatal(err)
	}
	for _, path := range slices.Sorted(maps.Keys(o.Paths)) {
		for _, method := range slices.Sorted(maps.Keys(o.Paths[path])) {
			op := o.Paths[path][method]
			d := described{id: op["operationId"].(string), method: strings.ToUpper(method), path: path, schemas: o.Components.Schemas}
			params, _ := op["parameters"].([]any)
			for _, x := range params {
				d.params = append(d.params, x.(map[string]any))
			}
			if b, ok := op["requestBody"].(map[string]any); ok {
				if c, ok := b["content"].(map[string]any)["application/json"].(map[string]any); ok {
					d.body = c["schema"].(map[string]any)
				}
			}
			out = append(out, d)
		}
	}
	if len(out) < 38 {
		t.Fatalf("%d operations", len(out))
	}
	return text, out
}

// some makes up something that a schema lets through, mostly.
func (d *described) some(r *rand.Rand, s map[string]any, name string) any {
	if link, ok := s["$ref"].(string); ok {
		return d.some(r, d.schemas[link[strings.LastIndex(link, "/")+1:]].(map[string]any), name)
	}
	if e, ok := s["enum"].([]any); ok {
		return e[r.IntN(len(e))]
	}
	kind, _ := s["type"].(string)
	switch kind {
	case "integer", "number":
		ids := []int{1, 2, 3, 4, 9, 391, 392, 361, 405, 100_000}
		if name == "seconds" {
			return 1
		}
		if name == "limit" || name == "weeks" || name == "days" || name == "page" {
			ids = []int{1, 2, 7}
		}
		return ids[r.IntN(len(ids))]
	case "boolean":
		return r.IntN(2) == 0
	case "array":
		out := []any{}
		for range r.IntN(3) {
			out = append(out, d.some(r, s["items"].(map[string]any), name))
		}
		return out
	case "object":
		out := map[string]any{}
		must, _ := s["required"].([]any)
		props, _ := s["properties"].(map[string]any)
		for key, p := range props {
			if slices.Contains(must, any(key)) || r.IntN(3) == 0 {
				out[key] = d.some(r, p.(map[string]any), key)
			}
		}
		if more, ok := s["additionalProperties"].(map[string]any); ok && r.IntN(2) == 0 {
			out[[]string{"draft", "1", "x"}[r.IntN(3)]] = d.some(r, more, "")
		}
		return out
	}
	if s["format"] == "date" {
		return []string{"2026-11-24", "2026-12-01", "2026-10-05"}[r.IntN(3)]
	}
	known := map[string][]string{
		"say": {"signed off", "sent back"},
		"leg": {"draft", "edit", "signoff", "none"}, "to": {"draft", "brief"}, "goes_out": {"2026-12-18T08:00:00Z", "", "soon"}, "month": {"2026-11"}, "cursor": {""}, "pace": {"running", "!out", "short,quiet"},
		"If-Match": {`"1-2026-11-24"`, "*", `"x"`}, "If-None-Match": {`"1"`}, "markdown": {"## The mill\n\nIt *turns*.\n", "one two"}, "html": {"<p>It turns.</p>"},
		"key": {"pitch", "ask", "none"}, "Last-Event-ID": {"5400", "x"}, "name": {"a.png", "notes.txt", "x"},
		"due": {"today", "2026-11-01..2026-11-30"}, "out": {"week"}, "went": {"2026-11-01..2026-11-30"}, "format": {"1,2"}, "channel": {"1"}, "topic": {"none"}, "campaign": {"any"}, "owner": {"1,3"}, "who": {"4"},
	}
	if v := known[name]; v != nil {
		return v[r.IntN(len(v))]
	}
	return []string{"mill", "“ü”", "a,b"}[r.IntN(3)]
}

// call makes up a call of an operation.
func (d *described) call(r *rand.Rand) (path string, body any, headers []string) {
	path = d.path
	var query []string
	for _, x := range d.params {
		name, in := x["name"].(string), x["in"].(string)
		if must, _ := x["required"].(bool); !must && name != "seconds" && r.IntN(4) > 0 {
			continue
		}
		v := fmt.Sprint(d.some(r, x["schema"].(map[string]any), name))
		switch in {
		case "path":
			path = strings.ReplaceAll(path, "{"+name+"}", v)
		case "query":
			if v != "" {
				query = append(query, name+"="+urlEscape(v))
			}
		case "header":
			if name == "Idempotency-Key" {
				v = fmt.Sprint("k", r.IntN(1e9))
			}
			headers = append(headers, name, v)
		}
	}
	if len(query) > 0 {
		path += "?" + strings.Join(query, "&")
	}
	if d.body != nil {
		body = d.some(r, d.body, "")
	}
	return path, body, headers
}

func urlEscape(s string) string {
	return strings.NewReplacer(" ", "%20", ",", "%2C", "“", "%E2%80%9C", "”", "%E2%80%9D", "ü", "%C3%BC").Replace(s)
}

// Whatever is asked, by whoever, is answered as the description says, which another library reads and
// holds the answers against (github.com/pb33f/libopenapi-validator): random calls of every operation
// in the name of every kind of person. Nothing that nobody foresaw comes of it.
func TestProgramsAreAnsweredAsDescribed(t *testing.T) {
	x, p := openAPI(t, 1, all)
	text, ops := operations(t, p)
	doc, err := libopenapi.NewDocument(text)
	if err != nil {
		t.Fatal(err)
	}
	v, errs := validator.NewValidator(doc)
	if len(errs) > 0 {
		t.Fatal(errs)
	}
	if ok, bad := v.ValidateDocument(); !ok {
		t.Fatalf("the description is no OpenAPI 3.1: %v", bad[0])
	}
	answers := map[string]int{}
	for i, who := range []ref.Person{1, 6, 4, 9, ref.Person(stranger(t, x.Newsroom))} {
		p.token = tokenNamed(t, x, who, fmt.Sprint("Random ", i))
		r := rand.New(rand.NewPCG(uint64(i), 7))
		for range 12 {
			for _, d := range ops {
				path, body, headers := d.call(r)
				req, res, got := p.ask(d.method, path, body, headers...)
				answers[fmt.Sprint(res.StatusCode/100)]++
				if res.StatusCode >= 500 {
					t.Errorf("%s %s %v as %d: %d %s", d.method, path, body, who, res.StatusCode, got)
				}
				if ok, bad := v.ValidateHttpResponse(req, res); !ok {
					t.Errorf("%s %s as %d: %d %s: %v %v", d.method, path, who, res.StatusCode, got, bad[0].Message, bad[0].Reason)
				}
			}
			if t.Failed() {
				return
			}
		}
	}
	if answers["2"] < 300 || answers["4"] < 300 {
		t.Errorf("too few of one kind: %v", answers)
	}
}

func tokenNamed(t testing.TB, x *Server, who ref.Person, name string) string {
	t.Helper()
	token, err := x.Newsroom.Programs.Make(ctx, who, name, all, 0)
	if err != nil {
		t.Fatal(err)
	}
	return token
}

// A token opens the areas that it names and no other; without one, or with one that was ended, nothing
// opens, and what is said is a problem and leads nowhere else.
func TestATokenOpensWhatItNames(t *testing.T) {
	x, p := openAPI(t, 1, scope.Scope{scope.Pieces: scope.Read})
	_, ops := operations(t, p)
	r := rand.New(rand.NewPCG(1, 1))
	opened := 0
	for _, d := range ops {
		for _, who := range []string{"", "baton_AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"} {
			path, body, _ := d.call(r)
			stranger := program{t, p.h, who}
			said, h := stranger.gets(http.StatusUnauthorized, d.method, path, body)
			if h.Get("Content-Type") != "application/problem+json" || !strings.HasPrefix(h.Get("WWW-Authenticate"), "Bearer") || said["status"] != 401.0 || h.Get("Location") != "" {
				t.Errorf("%s: %v %v", d.id, said, h)
			}
		}
		path, body, _ := d.call(r)
		_, res, text := p.ask(d.method, path, body)
		reads := d.method == http.MethodGet && slices.Contains([]string{"getMe", "listPieces", "getPiece", "listViews", "getLineup", "getLoad"}, d.id)
		if refused := res.StatusCode == http.StatusForbidden && strings.Contains(string(text), "This token reads pieces."); refused == reads {
			t.Errorf("%s: %d %s", d.id, res.StatusCode, text)
		}
		if reads {
			opened++
		}
	}
	if opened != 6 {
		t.Errorf("%d were opened", opened)
	}
	mine, err := x.Newsroom.Programs.Tokens(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	if err := x.Newsroom.Programs.End(ctx, 1, mine[0].ID); err != nil {
		t.Fatal(err)
	}
	p.gets(http.StatusUnauthorized, http.MethodGet, "/me", nil)
	p.gets(http.StatusUnauthorized, http.MethodGet, "/no/such", nil)
}

// What is read under a version is changed only while it is that version; a key does once what is
// asked twice, also at the same time and after it was refused.
func TestProgramsOverwriteNothingAndDoOnce(t *testing.T) {
	x, p := openAPI(t, 1, all)
	piece := map[string]any{"title": "By a program", "format": 1, "goes_out": "2026-12-21T07:00:00Z"}
	made, h := p.gets(http.StatusCreated, http.MethodPost, "/pieces", piece, "Idempotency-Key", "one")
	again, h2 := p.gets(http.StatusCreated, http.MethodPost, "/pieces", piece, "Idempotency-Key", "one")
	if made["id"] != again["id"] || h2.Get("Idempotency-Replayed") != "true" || h.Get("Location") != h2.Get("Location") || h.Get("ETag") != h2.Get("ETag") {
		t.Errorf("%v, then %v", made, again)
	}
	p.gets(http.StatusUnprocessableEntity, http.MethodPost, "/pieces", map[string]any{"title": "Other", "format": 1}, "Idempotency-Key", "one")
	p.gets(http.StatusUnprocessableEntity, http.MethodPost, "/pieces", map[string]any{"title": "Other", "format": 99}, "Idempotency-Key", "two")
	p.gets(http.StatusCreated, http.MethodPost, "/pieces", map[string]any{"title": "Another", "format": 1}, "Idempotency-Key", "three")

	path := fmt.Sprintf("/pieces/%v", made["id"])
	_, h = p.gets(http.StatusOK, http.MethodGet, path, nil)
	tag := h.Get("ETag")
	p.gets(http.StatusNotModified, http.MethodGet, path, nil, "If-None-Match", tag)
	changed, h := p.gets(http.StatusOK, http.MethodPatch, path, map[string]any{"title": "By two", "tags": []string{"mill"}, "priority": "high"}, "If-Match", tag)
	if changed["title"] != "By two" || changed["priority"] != "high" || h.Get("ETag") == tag {
		t.Errorf("%v", changed)
	}
	said, _ := p.gets(http.StatusPreconditionFailed, http.MethodPatch, path, map[string]any{"title": "By three"}, "If-Match", tag)
	if said["status"] != 412.0 || said["detail"] == "" {
		t.Errorf("%v", said)
	}
	p.gets(http.StatusPreconditionFailed, http.MethodPost, path+"/legs/brief/pass", nil, "If-Match", tag)
	moved, _ := p.gets(http.StatusOK, http.MethodPatch, path, map[string]any{"goes_out": ""}, "If-Match", h.Get("ETag"))
	if moved["goes_out"] != nil || moved["pace"] != "no day" {
		t.Errorf("%v", moved)
	}

	p.gets(http.StatusConflict, http.MethodPut, "/pieces/391/copy", map[string]any{"markdown": "## New\n\nWords.\n"}) // something is proposed in it
	_, h = p.gets(http.StatusOK, http.MethodGet, path+"/copy", nil)
	tag = h.Get("ETag")
	p.gets(http.StatusUnprocessableEntity, http.MethodPost, path+"/legs/brief/pass", nil)
	p.gets(http.StatusOK, http.MethodPost, path+"/legs/brief/pass", map[string]any{"why": "said by phone"})
	text, h := p.gets(http.StatusOK, http.MethodPut, path+"/copy", map[string]any{"markdown": "## New\n\nSome *words*.\n"}, "If-Match", tag)
	if !strings.Contains(text["markdown"].(string), "Some *words*.") || h.Get("ETag") == tag {
		t.Errorf("%v %v", text, h)
	}
	p.gets(http.StatusPreconditionFailed, http.MethodPut, path+"/copy", map[string]any{"markdown": "Other.\n"}, "If-Match", tag)

	var wg sync.WaitGroup
	ids := make([]any, 8)
	for i := range ids {
		wg.Go(func() {
			_, res, text := p.ask(http.MethodPost, "/ideas", map[string]any{"title": "Once, at the same time"}, "Idempotency-Key", "same")
			var got map[string]any
			if res.StatusCode == http.StatusCreated && json.Unmarshal(text, &got) == nil {
				ids[i] = got["id"]
			} else if res.StatusCode != http.StatusConflict {
				t.Errorf("%d %s", res.StatusCode, text)
			}
		})
	}
	wg.Wait()
	var n int
	if err := x.Newsroom.DB.Get(ctx, &n, "SELECT COUNT(*) FROM idea WHERE title = 'Once, at the same time'"); err != nil || n != 1 {
		t.Errorf("it was done %d times, %v: %v", n, err, ids)
	}
	// A program that was stopped between doing and answering is told that it was done.
	if err := x.Newsroom.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := tx.Exec(ctx, "UPDATE once SET status = 0 WHERE key = 'same'")
		return err
	}); err != nil {
		t.Fatal(err)
	}
	said, _ = p.gets(http.StatusConflict, http.MethodPost, "/ideas", map[string]any{"title": "Once, at the same time"}, "Idempotency-Key", "same")
	if !strings.Contains(said["detail"].(string), "was done under this Idempotency-Key before") {
		t.Errorf("%v", said)
	}
}

// What is too large, or asked too often, is a problem as well, however it is sent.
func TestProgramsAreBounded(t *testing.T) {
	x, p := openAPI(t, 1, all)
	large := `{"title": "` + strings.Repeat("x", 5<<20) + `"}`
	for name, headers := range map[string][]string{"by its length": nil, "under a key": {"Idempotency-Key", "large"}} {
		said, h := p.gets(http.StatusRequestEntityTooLarge, http.MethodPost, "/ideas", large, headers...)
		if h.Get("Content-Type") != "application/problem+json" || said["status"] != 413.0 {
			t.Errorf("%s: %v %v", name, said, h)
		}
		r := httptest.NewRequest(http.MethodPost, "/api/v1/ideas", io.NopCloser(strings.NewReader(large)))
		r.ContentLength = -1
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Authorization", "Bearer "+p.token)
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		w := httptest.NewRecorder()
		p.h.ServeHTTP(w, r)
		if w.Code != http.StatusRequestEntityTooLarge || w.Header().Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s, without its length: %d %s", name, w.Code, w.Body)
		}
	}
	left := 0
	for i := range 2500 {
		_, res, _ := p.ask(http.MethodGet, "/me", nil)
		if res.StatusCode == http.StatusOK {
			left++
			continue
		}
		if n, err := strconv.Atoi(res.Header.Get("Retry-After")); res.StatusCode != http.StatusTooManyRequests || err != nil || n < 1 || res.Header.Get("RateLimit-Remaining") != "0" || res.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("the %dth time: %d %v", i, res.StatusCode, res.Header)
		}
		break
	}
	if left < 1900 || left > 2400 {
		t.Errorf("it asked %d times", left)
	}
	other := program{t, p.h, tokenFor(t, x, 2, all)}
	other.gets(http.StatusOK, http.MethodGet, "/me", nil) // which is counted by itself
}

// Lists are walked by their cursors without missing or repeating anything, and what is no filter is
// refused.
func TestListsAreWalkedByCursor(t *testing.T) {
	x, p := openAPI(t, 1, all)
	var want int
	if err := x.Newsroom.DB.Get(ctx, &want, "SELECT COUNT(*) FROM piece WHERE desk_id = 1"); err != nil {
		t.Fatal(err)
	}
	seen := map[any]bool{}
	for path := "/pieces?limit=97"; path != ""; {
		got, h := p.gets(http.StatusOK, http.MethodGet, path, nil)
		for _, x := range got["pieces"].([]any) {
			id := x.(map[string]any)["id"]
			if seen[id] {
				t.Fatalf("%v comes twice", id)
			}
			seen[id] = true
		}
		path = ""
		if next, _ := got["next"].(string); next != "" {
			path = "/pieces?limit=97&cursor=" + next
			if !strings.Contains(h.Get("Link"), "cursor="+next) {
				t.Errorf("the link is %q", h.Get("Link"))
			}
		}
	}
	if len(seen) != want {
		t.Errorf("%d of %d", len(seen), want)
	}
	var caught int
	if err := x.Newsroom.DB.Get(ctx, &caught, "SELECT COUNT(*) FROM idea WHERE desk_id = 1"); err != nil {
		t.Fatal(err)
	}
	found, last := 0, 1e9
	for path := "/ideas?limit=4"; path != ""; {
		got, _ := p.gets(http.StatusOK, http.MethodGet, path, nil)
		for _, x := range got["ideas"].([]any) {
			id := x.(map[string]any)["id"].(float64)
			if found++; id >= last {
				t.Fatalf("%v comes after %v", id, last)
			}
			last = id
		}
		path = ""
		if next, _ := got["next"].(string); next != "" {
			path = "/ideas?limit=4&cursor=" + next
		}
	}
	if found != caught {
		t.Errorf("%d of %d ideas", found, caught)
	}
	said, _ := p.gets(http.StatusUnprocessableEntity, http.MethodGet, "/pieces?chanel=1", nil)
	if !strings.Contains(said["detail"].(string), `"chanel" is nothing`) {
		t.Errorf("%v", said)
	}
	outside := program{t, p.h, tokenFor(t, x, 4, all)}
	if _, res, _ := outside.ask(http.MethodGet, "/pieces?owner=1", nil); res.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("a freelancer asks by owner: %d", res.StatusCode)
	}

	end, _ := p.gets(http.StatusOK, http.MethodGet, "/logbook?limit=500&cursor="+cursorOf(t, x), nil)
	if len(end["entries"].([]any)) != 0 {
		t.Errorf("after the last entry there are %v", end)
	}
	p.gets(http.StatusCreated, http.MethodPost, "/pieces", map[string]any{"title": "Heard of", "format": 1})
	news, _ := p.gets(http.StatusOK, http.MethodGet, "/logbook?cursor="+end["next"].(string), nil)
	if e := news["entries"].([]any); len(e) != 1 || !strings.Contains(e[0].(map[string]any)["what"].(string), "Heard of") {
		t.Errorf("%v", news)
	}
}

// cursorOf gives the cursor behind the last entry of the logbook, by asking for all of them.
func cursorOf(t *testing.T, x *Server) string {
	t.Helper()
	h, err := x.Handler()
	if err != nil {
		t.Fatal(err)
	}
	q := program{t, h, tokenNamed(t, x, 1, "Reads the logbook")}
	next := ""
	for {
		got, _ := q.gets(http.StatusOK, http.MethodGet, "/logbook?limit=500&cursor="+next, nil)
		next = got["next"].(string)
		if len(got["entries"].([]any)) < 500 {
			return next
		}
	}
}

// A client that another program makes of the description (github.com/oapi-codegen/oapi-codegen) is
// built, makes a piece, passes its brief and finds it in the list.
func TestAClientMadeOfTheDescriptionWorks(t *testing.T) {
	_, p := openAPI(t, 1, all)
	_, res, older := p.ask(http.MethodGet, "/openapi-3.0.json", nil) // which is what it reads
	if res.StatusCode != http.StatusOK {
		t.Fatalf("%d %s", res.StatusCode, older)
	}
	dir, err := os.MkdirTemp(".", "_client") // inside the module, so that it finds what clients need
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	file := filepath.Join(dir, "openapi.json")
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("openapi.json", string(older))
	spec, err := util.LoadSwagger(file)
	if err != nil {
		t.Fatal(err)
	}
	code, err := codegen.Generate(spec, codegen.Configuration{PackageName: "main", Generate: codegen.GenerateOptions{Client: true, Models: true}})
	if err != nil {
		t.Fatal(err)
	}
	write("client.go", code)
	write("main.go", clientMain)
	srv := httptest.NewServer(p.h)
	defer srv.Close()
	run := exec.Command("go", "run", "./"+dir, srv.URL+"/api/v1", p.token)
	out, err := run.CombinedOutput()
	if err != nil || strings.TrimSpace(string(out)) != "draft runs: Made by a client" {
		t.Errorf("%v: %s", err, out)
	}
}

const clientMain = `package main

import (
	"context"
	"fmt"
	"net/http"
	"os"
)

func main() {
	ctx := context.Background()
	c, err := NewClientWithResponses(os.Args[1], WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+os.Args[2])
		return nil
	}))
	if err != nil {
		panic(err)
	}
	made, err := c.MakePieceWithResponse(ctx, &MakePieceParams{}, NewPiece{Title: "Made by a client", Format: 1})
	if err != nil || made.JSON201 == nil {
		panic(fmt.Sprint(err, string(made.Body)))
	}
	why := "said by phone"
	passed, err := c.PassLegWithResponse(ctx, made.JSON201.Id, "brief", &PassLegParams{}, PassLegJSONRequestBody{Why: &why})
	if err != nil || passed.JSON200 == nil {
		panic(fmt.Sprint(err, string(passed.Body)))
	}
	text := "Made by a client"
	found, err := c.ListPiecesWithResponse(ctx, &ListPiecesParams{Text: &text})
	if err != nil || found.JSON200 == nil || len(found.JSON200.Pieces) != 1 {
		panic(fmt.Sprint(err, string(found.Body)))
	}
	for _, l := range found.JSON200.Pieces[0].Legs {
		if l.State == "running" {
			fmt.Printf("%s runs: %s\n", l.Key, found.JSON200.Pieces[0].Title)
		}
	}
}
`
