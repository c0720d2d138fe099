package web

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/rooms"
)

// longCopy gives a piece of the demo a copy of ten thousand words with three hundred
// proposals.
func longCopy(t testing.TB, house *rooms.Newsroom) ref.Piece {
	t.Helper()
	var id ref.Piece
	if err := house.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = 'The last tide mill on the Severn'"); err != nil {
		t.Fatal(err)
	}
	var c copy.Change
	for i := range 10_000 {
		var a copy.Attributes
		if i%33 == 0 {
			a = copy.Set("put", fmt.Sprintf("1.k%d", i))
		}
		c = c.Put([]string{"water ", "stone ", "miller ", "the ", "river "}[i%5]+map[bool]string{true: "turns.\n"}[i%90 == 89], a)
	}
	n, err := house.Planning.Newest(ctx, 1, id)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := house.Copyroom.EditCopy(ctx, 1, id, copyroom.CopyEdit{Client: "long", Turn: 1, Base: n.Seq, Change: c}); err != nil {
		t.Fatal(err)
	}
	if err := house.Copyroom.Recover(ctx); err != nil {
		t.Fatal(err)
	}
	return id
}

// Opening a copy of ten thousand words with three hundred proposals, and what stands
// beside it.
func BenchmarkOpenALongCopy(b *testing.B) {
	house, h := open(b, true)
	id := longCopy(b, house)
	cookies := cookiesOf(b, h)
	for _, path := range []string{"", "/margin", "/checks", "/versions"} {
		measure(b, h, cookies, fmt.Sprintf("/pieces/%d%s", id, path))
	}
}

// cookiesFor signs somebody in and gives their cookies.
func cookiesFor(t *testing.T, h http.Handler, person int) []*http.Cookie {
	t.Helper()
	c := visit(t, h).as(person)
	u, err := url.Parse(c.url)
	if err != nil {
		t.Fatal(err)
	}
	return c.http.Jar.Cookies(u)
}

// dial opens the line to a copy as somebody, from a page of a site.
func dial(t *testing.T, srv *httptest.Server, cookies []*http.Cookie, origin string, id ref.Piece, after int) (*websocket.Conn, *http.Response, error) {
	t.Helper()
	header := http.Header{"Origin": {origin}}
	for _, c := range cookies {
		header.Add("Cookie", c.Name+"="+c.Value)
	}
	return websocket.Dial(ctx, fmt.Sprintf("%s/pieces/%d/copy/line?page=p&after=%d", srv.URL, id, after), &websocket.DialOptions{HTTPHeader: header})
}

func TestTheLineToACopyTakesNothingThatLies(t *testing.T) {
	house, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	var id ref.Piece
	if err := house.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = 'The last tide mill on the Severn'"); err != nil {
		t.Fatal(err)
	}
	lead := cookiesFor(t, h, 1)
	if _, res, err := dial(t, srv, lead, "https://elsewhere.example", id, 0); err == nil || res == nil || res.StatusCode != http.StatusForbidden {
		t.Errorf("another site opens a line: %v", err)
	}
	if _, _, err := dial(t, srv, nil, srv.URL, id, 0); err == nil {
		t.Error("nobody opens a line")
	}
	partner := cookiesFor(t, h, 9)
	if _, _, err := dial(t, srv, partner, srv.URL, id, 0); err == nil {
		t.Error("a partner opens a line to what is not theirs")
	}
	n, err := house.Planning.Newest(ctx, 1, id)
	if err != nil {
		t.Fatal(err)
	}
	conn, _, err := dial(t, srv, lead, srv.URL, id, n.Seq)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.CloseNow()
	wait, stop := context.WithTimeout(ctx, 2*time.Minute)
	defer stop()
	hear := func() map[string]any {
		t.Helper()
		_, b, err := conn.Read(wait)
		if err != nil {
			t.Fatal(err)
		}
		var m map[string]any
		if err := json.Unmarshal(b, &m); err != nil {
			t.Fatal(err)
		}
		return m
	}
	if m := hear(); m["kind"] != "hello" {
		t.Fatal(m)
	}
	for _, lie := range []string{
		`{`, `{"edit":{"page":"p","turn":1,"base":0,"change":[{"retain":-1}]}}`, `{"edit":{"page":"p","turn":1,"base":99999,"change":[{"insert":"x"}]}}`,
		fmt.Sprintf(`{"edit":{"page":"p","turn":1,"base":%d,"change":[{"retain":9999999},{"insert":"x"}]}}`, n.Seq), fmt.Sprintf(`{"edit":{"page":"p","turn":1,"base":%d,"change":[{"insert":"x","attributes":{"put":"2.zz"}}]}}`, n.Seq),
		fmt.Sprintf(`{"edit":{"page":"p","turn":1,"base":%d,"change":[{"insert":{"script":"x"}}]}}`, n.Seq), `{"edit":{"page":"","turn":0,"base":-1,"change":[]}}`,
	} {
		if err := conn.Write(wait, websocket.MessageText, []byte(lie)); err != nil {
			t.Fatal(err)
		}
		if m := hear(); m["kind"] != "refused" || m["problem"] == "" {
			t.Errorf("%s: %v", lie, m)
		}
	}
	after, err := house.Planning.Newest(ctx, 1, id)
	if err != nil || after.Text != n.Text {
		t.Errorf("the copy is another: %v", err)
	}
	// what is unsafe is dropped, what is left is taken
	if err := conn.Write(wait, websocket.MessageText, fmt.Appendf(nil, `{"edit":{"page":"p","turn":1,"base":%d,"change":[{"insert":"<script>x</script>","attributes":{"link":"javascript:x","onclick":"x","bold":true}}]}}`, n.Seq)); err != nil {
		t.Fatal(err)
	}
	if m := hear(); m["kind"] != "edit" {
		t.Errorf("%v", m)
	}
	after, err = house.Planning.Newest(ctx, 1, id)
	if err != nil || !strings.HasPrefix(after.Text, `[{"insert":"<script>x</script>","attributes":{"bold":true}}`) {
		t.Errorf("stored as %.90s, %v", after.Text, err)
	}
	// what changes nothing is answered too
	if err := conn.Write(wait, websocket.MessageText, fmt.Appendf(nil, `{"edit":{"page":"p","turn":2,"base":%d,"change":[{"retain":3,"attributes":{"onclick":"x"}}]}}`, after.Seq)); err != nil {
		t.Fatal(err)
	}
	if m := hear(); m["kind"] != "nothing" || m["turn"] != 2.0 || m["seq"] != float64(after.Seq) {
		t.Errorf("%v", m)
	}
	// a page with another text is given it anew
	if err := conn.Write(wait, websocket.MessageText, fmt.Appendf(nil, `{"sum":{"seq":%d,"sum":1}}`, after.Seq)); err != nil {
		t.Fatal(err)
	}
	if m := hear(); m["kind"] != "anew" || m["change"] == nil {
		t.Errorf("%v", m)
	}
}
