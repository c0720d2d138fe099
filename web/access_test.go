package web

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/review"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// real are numbers in addresses at which there is something, in the demo.
var real = map[string]string{"pieces": "391", "people": "4", "formats": "1", "desks": "1", "channels": "1", "rules": "1", "partners": "1", "requests": "2", "ideas": "3", "forms": "1", "queries": "1", "chats": "1", "pitches": "1", "slots": "1", "post": "1", "sketches": "1", "files": "1", "bring": "1", "v": "1", "receivers": "1", "calendars": "1", "programs": "1"}

func fillIn(path string) string {
	parts := strings.Split(path, "/")
	for i, p := range parts {
		switch p {
		case ":id":
			parts[i] = real[parts[i-1]]
		case ":leg":
			parts[i] = "edit"
		case ":col":
			parts[i] = "owner?pieces=391"
		case ":channel":
			parts[i] = "web"
		case ":slug":
			parts[i] = "a-piece-please"
		case ":as":
			parts[i] = map[bool]string{true: "csv", false: "html"}[strings.Contains(path, "logbook")]
		case ":key":
			parts[i] = "handoff"
		case ":token":
			parts[i] = "AAAAAAAAAAAAAAAAAAAAAAAAAA"
			if parts[i-1] == "calendar" {
				parts[i] += ".ics"
			}
		case ":file":
			parts[i] = "1"
		}
	}
	return strings.Join(parts, "/")
}

// never are addresses that are not tried: they end the visit, move the clock, or never end.
func never(a string) bool {
	return strings.Contains(a, "/signout") || strings.Contains(a, "/clock/") || strings.HasSuffix(a, "/live") || strings.HasSuffix(a, "/line") || strings.HasSuffix(a, "/signin/as") || strings.Contains(a, "/assets/")
}

// Every address as every kind of person and as nobody, against the table in
// testdata/access.txt: yes where it is answered or the form refused, no where it is not
// theirs, none where there is nothing for them, signin where they are asked to sign in.
func TestEveryAddressAsEverybody(t *testing.T) {
	const file = "testdata/access.txt"
	roles := []struct {
		name string
		id   int
	}{{"lead", 1}, {"holder", 3}, {"staff", 6}, {"freelance", 4}, {"outside", 9}, {"stranger", -1}, {"nobody", 0}}
	answers := map[string][]string{}
	var order []string
	for _, role := range roles {
		s, h := openServer(t, true)
		var item ref.Item // somebody's line, which is nobody else's
		if err := s.Newsroom.DB.Get(t.Context(), &item, "SELECT MAX(id) FROM inbox WHERE person_id = 9"); err != nil {
			t.Fatal(err)
		}
		real["inbox"] = fmt.Sprint(item)
		id := role.id
		if id < 0 {
			id = stranger(t, s.Newsroom)
		}
		cookies := signedInAs(t, h, id)
		addresses := slices.Clone(s.Addresses)
		slices.Sort(addresses)
		addresses = slices.Compact(addresses)
		if len(addresses) < 180 {
			t.Fatalf("%d addresses", len(addresses))
		}
		order = addresses
		for _, a := range addresses {
			method, path, _ := strings.Cut(a, " ")
			if never(path) {
				continue
			}
			answers[a] = append(answers[a], ask(h, method, fillIn(path), cookies, nil))
		}
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%-52s", "")
	for _, r := range roles {
		fmt.Fprintf(&b, " %-9s", r.name)
	}
	b.WriteString("\n")
	for _, a := range order {
		if answers[a] != nil {
			fmt.Fprintf(&b, "%-52s %s\n", a, strings.TrimRight(columns(answers[a]), " "))
		}
	}
	if os.Getenv("PRINT_ACCESS") != "" {
		if err := os.WriteFile(file, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	is, was := strings.Split(b.String(), "\n"), strings.Split(string(want), "\n")
	for i := range max(len(is), len(was)) {
		if i >= len(is) || i >= len(was) || is[i] != was[i] {
			t.Errorf("line %d is\n  %s\nand not\n  %s", i+1, lineAt(is, i), lineAt(was, i))
		}
	}
}

func lineAt(xs []string, i int) string {
	if i < len(xs) {
		return xs[i]
	}
	return "missing"
}

func columns(xs []string) string {
	var b strings.Builder
	for _, x := range xs {
		fmt.Fprintf(&b, "%-9s ", x)
	}
	return b.String()
}

// ask gives in a word what somebody is answered.
func ask(h http.Handler, method, path string, cookies []*http.Cookie, header map[string]string) string {
	req := httptest.NewRequest(method, path, nil)
	if method == http.MethodPost {
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	for _, c := range cookies {
		req.AddCookie(c)
	}
	for k, v := range header {
		req.Header.Set(k, v)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, req)
	switch to := w.Header().Get("Location"); {
	case w.Code >= 500:
		return fmt.Sprint(w.Code)
	case w.Code >= 300 && w.Code < 400 && strings.HasPrefix(to, "/signin"):
		return "signin"
	case w.Code == http.StatusForbidden, w.Code == http.StatusUnauthorized:
		return "no"
	case w.Code == http.StatusNotFound:
		return "none"
	}
	return "yes"
}

func signedInAs(t *testing.T, h http.Handler, id int) []*http.Cookie {
	t.Helper()
	if id == 0 {
		return nil
	}
	req := httptest.NewRequest(http.MethodPost, "/signin/as", strings.NewReader(fmt.Sprintf("person=%d", id)))
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := httptest.NewRecorder()
	h.ServeHTTP(w, req)
	if w.Header().Get("Location") != "/" {
		t.Fatalf("person %d is not signed in", id)
	}
	return w.Result().Cookies()
}

// stranger is somebody who leads another desk.
func stranger(t *testing.T, h *rooms.Newsroom) int {
	t.Helper()
	var id ref.Person
	err := h.DB.Write(ctx, func(tx *store.Tx) error {
		d, err := tx.AddDesk(ctx, store.Desk{Name: "Elsewhere", Zone: "Europe/London", Weekdays: "0111110", PassBy: relay.ByHolder, QuietAfter: 3})
		if err != nil {
			return err
		}
		id, err = tx.AddPerson(ctx, store.Person{Name: "Sam Stranger", Initials: "SS", Mail: "sam@elsewhere.example", Access: relay.Lead, Hours: "0,420,420,420,420,420,0", Desks: []ref.Desk{d}})
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	h.Forget()
	return int(id)
}

// Whatever is posted from another site is refused, at every address and for everybody.
func TestNothingIsPostedFromAnotherSite(t *testing.T) {
	s, h := openServer(t, true)
	cookies := signedInAs(t, h, 1)
	tried := 0
	for _, a := range s.Addresses {
		method, path, _ := strings.Cut(a, " ")
		if method != http.MethodPost {
			continue
		}
		for _, header := range []map[string]string{{"Sec-Fetch-Site": "cross-site"}, {"Origin": "https://evil.example"}} {
			if got := ask(h, method, fillIn(path), cookies, header); got != "no" {
				t.Errorf("%s with %v: %s", a, header, got)
			}
		}
		tried++
	}
	if tried < 90 {
		t.Errorf("only %d addresses", tried)
	}
}

// Pages by private link leave no trace of their address, and names typed by others are
// text in them.
func TestPrivatePagesKeepTheirAddressToThemselves(t *testing.T) {
	house, h := open(t, true)
	evil := `<img src=x onerror="alert(1)">{{.}}`
	if _, err := house.Review.Invite(ctx, 1, review.Invite{Piece: 391, Name: evil, Mail: "evil@evil.example", May: store.MayComment, Note: evil}); err != nil {
		t.Fatal(err)
	}
	if err := house.Notify.DeliverMail(ctx); err != nil {
		t.Fatal(err)
	}
	var text string
	if err := house.DB.Get(ctx, &text, "SELECT text || html FROM room_mail ORDER BY id DESC LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	if _, html, _ := strings.Cut(text, "<!doctype"); strings.Contains(html, "<img") {
		t.Error("the mail has an image of somebody’s making")
	}
	_, rest, _ := strings.Cut(text, "/review/")
	token := rest[:26]
	res, body := visit(t, h).get("/review/" + token)
	if res.StatusCode != 200 || strings.Contains(body, "<img src=x") || !strings.Contains(body, "&lt;img src=x") {
		t.Errorf("%d: a name is not shown as text", res.StatusCode)
	}
	if res.Header.Get("Referrer-Policy") != "no-referrer" || !strings.Contains(res.Header.Get("X-Robots-Tag"), "noindex") || res.Header.Get("Cache-Control") != "no-store" {
		t.Errorf("headers: %v", res.Header)
	}
	for _, path := range []string{"/", "/inbox", "/pieces", "/pieces/391", "/partner", "/pieces/391/review"} {
		if res, _ := visit(t, h).get(path); res.Request.URL.Path != "/signin" {
			t.Errorf("%s answers who has only a private link with %s", path, res.Request.URL.Path)
		}
	}
	if res, _ := visit(t, h).get("/partner/" + token); res.StatusCode != 403 {
		t.Errorf("a reviewer’s link at a partner’s address: %d", res.StatusCode)
	}
	if res, _ := visit(t, h).get("/password/" + token); res.StatusCode != 403 {
		t.Errorf("a reviewer’s link at a password’s address: %d", res.StatusCode)
	}
}
