package web

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"runtime"
	"strings"
	"testing"

	"greenbaton/demo"
	"greenbaton/newsroom/calendars"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// many multiplies the demo's pieces and people.
func many(b *testing.B, lots ...demo.Lot) (*rooms.Newsroom, http.Handler) {
	b.Helper()
	house, h := open(b, true)
	for _, x := range lots {
		if err := house.DB.Write(ctx, func(t *store.Tx) error { return x.Add(ctx, t) }); err != nil {
			b.Fatal(err)
		}
	}
	house.Forget()
	return house, h
}

// measure asks for a page again and again.
func measure(b *testing.B, h http.Handler, cookies []*http.Cookie, path string) {
	b.Run(strings.NewReplacer("/", "_", "?", "_", "=", "_", "&", "_").Replace("page"+path), func(b *testing.B) {
		size := 0
		for b.Loop() {
			r := httptest.NewRequest(http.MethodGet, path, nil)
			r.Header.Set("Accept-Encoding", "gzip")
			for _, k := range cookies {
				r.AddCookie(k)
			}
			w := httptest.NewRecorder()
			if h.ServeHTTP(w, r); w.Code != http.StatusOK {
				b.Fatal(path, w.Code)
			}
			size = w.Body.Len()
		}
		b.ReportMetric(float64(size)/1024, "KB")
	})
}

func cookiesOf(b *testing.B, h http.Handler) []*http.Cookie {
	b.Helper()
	c := visit(b, h).as(1)
	req, err := http.NewRequest(http.MethodGet, c.url, nil)
	if err != nil {
		b.Fatal(err)
	}
	return c.http.Jar.Cookies(req.URL)
}

// BenchmarkPages is the server's time for a page with 50,000 pieces stored.
func BenchmarkPages(b *testing.B) {
	_, h := many(b, demo.Lot{Pieces: 50_000})
	cookies := cookiesOf(b, h)
	for _, path := range []string{"/", "/pieces", "/pieces?sort=-number", "/pieces?sort=title&page=300", "/pieces?sort=pace", "/pieces?text=tide", "/pieces?person=3", "/pieces/400", "/pieces/new?format=1&date=2027-03-01", "/desk", "/formats/1"} {
		measure(b, h, cookies, path)
	}
}

// BenchmarkBusyDesk is the server's time for a lead's pages on a desk with 10,000
// pieces under way and 200 people.
func BenchmarkBusyDesk(b *testing.B) {
	house, h := many(b, demo.Lot{Stage: "running", Pieces: 10_000, People: 200})
	cookies := cookiesOf(b, h)
	short, _ := pieceNamed(b, house, "How a stone is dressed")
	open, _ := pieceNamed(b, house, "Flour dust and lungs: what the miller knew")
	for _, path := range []string{"/", short, short + "/ways", open + "/legs/pictures", short + "/what?do=move&date=2026-12-14", "/propose", "/pieces"} {
		measure(b, h, cookies, path)
	}
}

// BenchmarkViews is the server's time, packing included, and the packed size of each view
// with 50,000 pieces stored, 2,000 of them on view, and 200 people.
func BenchmarkViews(b *testing.B) {
	house, h := many(b, demo.Lot{Stage: "running", Pieces: 2_000, People: 200}, demo.Lot{Stage: "out", Pieces: 48_000})
	var n struct{ All, Span, People int }
	if err := house.DB.Get(ctx, &n, "SELECT COUNT(*) AS \"all\", (SELECT COUNT(*) FROM piece WHERE stage = 'running') AS span, (SELECT COUNT(*) FROM person) AS people FROM piece"); err != nil {
		b.Fatal(err)
	}
	b.Logf("%d pieces, %d under way, %d people", n.All, n.Span, n.People)
	cookies := cookiesOf(b, h)
	slots, err := house.Intake.OpenSlots(ctx, 1, 150)
	if err != nil || len(slots) < 2 {
		b.Fatal(len(slots), err)
	}
	sitting := fmt.Sprintf("/sitting?put=16.1.%d.%d.3.0&put=14.5.%d.%d.0.2", slots[0].Channel, slots[0].At, slots[1].Channel, slots[1].At)
	for _, path := range []string{"/lineup", "/lineup?weeks=13", "/lineup?weeks=13&hue=campaign&card=owner", "/lineup?show=due", "/lineup?rows=channel", "/track", "/track?lanes=person", "/load", "/load?unfold=1&count=pieces",
		"/pieces", "/pieces?sort=title", "/pieces?sort=who,-due&group=campaign", "/find?q=tide+mill", "/find?q=tdie+mlil", "/find?q=sluice",
		"/ideas", "/sitting?idea=12&format=1", sitting, "/open", "/requests/2", "/pieces/391", "/pieces/391/brief", "/pieces/391/brief/sheet"} {
		measure(b, h, cookies, path)
	}
}

// BenchmarkAMove is how long a move is answered, from letting go to the day drawn anew,
// with as much stored: what would follow, carrying it out, and the parts of the lineup.
func BenchmarkAMove(b *testing.B) {
	house, h := many(b, demo.Lot{Stage: "running", Pieces: 2_000, People: 200}, demo.Lot{Stage: "out", Pieces: 48_000})
	c := visit(b, h).as(1)
	path, _ := pieceNamed(b, house, "The miller’s tithe")
	id := strings.TrimPrefix(path, "/pieces/")
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	house.Forget()
	runtime.GC()
	runtime.ReadMemStats(&after)
	shelf := float64(before.HeapAlloc-after.HeapAlloc) / (1 << 20)
	c.get("/lineup")
	send := func(method, to string, form url.Values, head map[string]string) []byte {
		req, err := http.NewRequest(method, c.url+to, strings.NewReader(form.Encode()))
		if err != nil {
			b.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		for k, v := range head {
			req.Header.Set(k, v)
		}
		res, err := c.http.Do(req)
		if err != nil {
			b.Fatal(err)
		}
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		if err != nil || res.StatusCode != http.StatusOK {
			b.Fatal(res.StatusCode, err, string(body))
		}
		return body
	}
	asJSON := map[string]string{"Accept": "application/json"}
	days := []string{"2027-01-12", "2027-01-14"}
	for k := 0; b.Loop(); k++ {
		var what struct{ Changes, Seal, What string }
		if err := json.Unmarshal(send(http.MethodGet, path+"/what?do=move&date="+days[k%2], nil, asJSON), &what); err != nil {
			b.Fatal(err)
		}
		send(http.MethodPost, "/change", url.Values{"changes": {what.Changes}, "seal": {what.Seal}}, asJSON)
		send(http.MethodGet, "/lineup?from=2027-01-04", nil, map[string]string{"Accept": "application/json", "X-Pieces": id, "X-Parts": "d-" + days[(k+1)%2]})
	}
	b.ReportMetric(shelf, "MB-shelf")
}

// Going out and coming in by programs, with 50,000 pieces kept, 2,000 of them under way, and 200 people: a hundred pieces, one, the calendar of
// somebody, all pieces as XLSX, and a piece made.
func BenchmarkPrograms(b *testing.B) {
	house, h := many(b, demo.Lot{Stage: "running", Pieces: 2_000, People: 200}, demo.Lot{Stage: "out", Pieces: 48_000})
	token, err := house.Programs.Make(ctx, 1, "Bench", all, 0)
	if err != nil {
		b.Fatal(err)
	}
	p := program{b, h, token}
	p.gets(http.StatusOK, http.MethodGet, "/pieces?limit=1", nil) // which reads them
	asks := func(name, path string) {
		b.Run(name, func(b *testing.B) {
			p := program{b, h, token}
			for b.Loop() {
				limits(b, house, &p)
				if _, res, text := p.ask(http.MethodGet, path, nil); res.StatusCode != http.StatusOK {
					b.Fatalf("%d %s", res.StatusCode, text)
				}
			}
		})
	}
	asks("a hundred pieces", "/pieces?limit=100")
	asks("a hundred of those that run", "/pieces?limit=100&pace=running")
	got, _ := p.gets(http.StatusOK, http.MethodGet, "/pieces?limit=100", nil)
	asks("a hundred further on", "/pieces?limit=100&cursor="+got["next"].(string))
	asks("one", "/pieces/391")
	address, err := house.Calendars.Make(ctx, 3, calendars.Ask{Kind: store.CalendarLegs, Desk: 1})
	if err != nil {
		b.Fatal(err)
	}
	u, err := url.Parse(address)
	if err != nil {
		b.Fatal(err)
	}
	for name, path := range map[string]string{"calendar": u.Path, "XLSX": "/pieces/xlsx?pace=out,running", "CSV": "/pieces/csv?pace=out,running"} {
		b.Run(name, func(b *testing.B) {
			v := visit(b, h).as(1)
			b.ReportAllocs()
			for b.Loop() {
				res, body := v.get(path)
				if res.StatusCode != http.StatusOK {
					b.Fatalf("%d %s", res.StatusCode, body)
				}
				b.ReportMetric(float64(len(body))/1e6, "MB")
			}
		})
	}
	b.Run("a piece made", func(b *testing.B) {
		for b.Loop() {
			limits(b, house, &p)
			p.gets(http.StatusCreated, http.MethodPost, "/pieces", map[string]any{"title": "By a program", "format": 1, "goes_out": "2027-03-01T08:00:00Z"})
		}
	})
}

// limits takes another token for a program that has asked as often as it may.
func limits(b *testing.B, house *rooms.Newsroom, p *program) {
	asked[p.token]++
	if asked[p.token] < 1900 {
		return
	}
	mine, err := house.Programs.Tokens(ctx, 1)
	if err != nil {
		b.Fatal(err)
	}
	for _, t := range mine[1:] {
		if err := house.Programs.End(ctx, 1, t.ID); err != nil {
			b.Fatal(err)
		}
	}
	if p.token, err = house.Programs.Make(ctx, 1, fmt.Sprint("Bench ", len(asked)), all, 0); err != nil {
		b.Fatal(err)
	}
}

var asked = map[string]int{}
