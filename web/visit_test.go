package web

import (
	"bufio"
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

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// Whatever ends a visit ends its open copy and its live stream at once, before the next
// message either way, and what it sent meanwhile is not taken.
func TestAVisitThatEndedNeitherWritesNorHears(t *testing.T) {
	const who, mail = 2, "adaeze@millrace.example"
	visitOf := func(h *rooms.Newsroom) (id ref.Visit) {
		if err := h.DB.Get(ctx, &id, "SELECT MAX(id) FROM visit WHERE person_id = ?", who); err != nil {
			t.Fatal(err)
		}
		return id
	}
	for name, end := range map[string]func(t *testing.T, h *rooms.Newsroom) error{
		"another password": func(t *testing.T, h *rooms.Newsroom) error {
			hash, err := account.HashPassword("the old password of hers")
			if err != nil {
				return err
			}
			if err := h.DB.Write(ctx, func(tx *store.Tx) error { return tx.PutPassword(ctx, who, hash) }); err != nil {
				return err
			}
			h.Forget()
			return h.Account.ChangePassword(ctx, who, 0, "the old password of hers", "seven herons by the sluice", account.From{Host: "h"})
		},
		"signed out there":      func(t *testing.T, h *rooms.Newsroom) error { return h.Account.EndVisit(ctx, who, visitOf(h), 0) },
		"signed out elsewhere":  func(t *testing.T, h *rooms.Newsroom) error { return h.Account.EndVisit(ctx, who, 0, 999_999) },
		"signed out everywhere": func(t *testing.T, h *rooms.Newsroom) error { return h.Account.SignOutEverywhere(ctx, who) },
		"access ended":          func(t *testing.T, h *rooms.Newsroom) error { return h.Account.EndAccess(ctx, 1, 1, who, true) },
		"retired": func(t *testing.T, h *rooms.Newsroom) error {
			bend(t, h, fmt.Sprintf("UPDATE leg SET holder = 1 WHERE holder = %d", who))
			bend(t, h, fmt.Sprintf("UPDATE piece SET owner = 1 WHERE owner = %d", who))
			h.Forget()
			b, err := h.Setup(ctx)
			if err != nil {
				return err
			}
			p := b.Person(who)
			p.Retired = true
			_, _, err = h.Settings.SavePerson(ctx, 1, 1, p)
			return err
		},
	} {
		t.Run(name, func(t *testing.T) {
			house, h := open(t, true)
			srv := httptest.NewServer(h)
			defer srv.Close()
			var id ref.Piece
			if err := house.DB.Get(ctx, &id, "SELECT id FROM piece WHERE title = 'The last tide mill on the Severn'"); err != nil {
				t.Fatal(err)
			}
			n, err := house.Planning.Newest(ctx, 1, id)
			if err != nil {
				t.Fatal(err)
			}
			cookies := cookiesFor(t, h, who)
			conn, _, err := dial(t, srv, cookies, srv.URL, id, n.Seq)
			if err != nil {
				t.Fatal(err)
			}
			defer conn.CloseNow()
			wait, stop := context.WithTimeout(ctx, 2*time.Minute)
			defer stop()
			if _, _, err := conn.Read(wait); err != nil { // hello
				t.Fatal(err)
			}
			news := stream(t, wait, srv, cookies)

			if err := end(t, house); err != nil {
				t.Fatal(err)
			}
			edit := fmt.Sprintf(`{"edit":{"page":"p","turn":1,"base":%d,"change":[{"insert":"after the end "}]}}`, n.Seq)
			_ = conn.Write(wait, websocket.MessageText, []byte(edit)) // the line may be closed already
			if _, err := house.Copyroom.EditCopy(ctx, 1, id, copyroom.CopyEdit{Client: "lead", Turn: 1, Base: n.Seq, Change: nil}); err != nil {
				t.Fatal(err)
			}
			if err := house.Hold(ctx, 1, id, true); err != nil { // news that she is not to hear
				t.Fatal(err)
			}
			for {
				_, b, err := conn.Read(wait)
				if wait.Err() != nil {
					t.Fatal("the line stays open")
				}
				if err != nil {
					break
				}
				if !strings.Contains(string(b), `"kind":"left"`) {
					t.Errorf("the copy's line says %s", b)
				}
			}
			for line := range news {
				if strings.HasPrefix(line, "data:") {
					t.Errorf("the stream says %s", line)
				}
			}
			if wait.Err() != nil {
				t.Fatal("the stream stays open")
			}
			var written int
			if err := house.DB.Get(ctx, &written, "SELECT COUNT(*) FROM copy_edit WHERE change LIKE '%after the end%'"); err != nil || written != 0 {
				t.Errorf("%d edits were taken, %v", written, err)
			}
			if res, err := postEdit(srv, cookies, id, n.Seq); err != nil || res.StatusCode == http.StatusOK {
				t.Errorf("an edit over a plain request: %v, %v", res.Status, err)
			}
		})
	}
}

// stream listens to the live news until it ends.
func stream(t *testing.T, ctx context.Context, srv *httptest.Server, cookies []*http.Cookie) <-chan string {
	t.Helper()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, srv.URL+"/live?after=x", nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range cookies {
		req.AddCookie(c)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	lines := bufio.NewScanner(res.Body)
	for lines.Scan() && !strings.HasPrefix(lines.Text(), "data:") { // that it is to look at everything
	}
	out := make(chan string)
	go func() {
		defer close(out)
		defer res.Body.Close()
		for lines.Scan() {
			select {
			case out <- lines.Text():
			case <-ctx.Done():
				return
			}
		}
	}()
	return out
}

func postEdit(srv *httptest.Server, cookies []*http.Cookie, id ref.Piece, base int) (*http.Response, error) {
	body, err := json.Marshal(map[string]any{"page": "q", "turn": 1, "base": base, "change": []any{map[string]any{"insert": "after the end "}}})
	if err != nil {
		return nil, err
	}
	req, err := http.NewRequest(http.MethodPost, fmt.Sprintf("%s/pieces/%d/copy", srv.URL, id), strings.NewReader(string(body)))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Accept", "application/json")
	for _, c := range cookies {
		req.AddCookie(c)
	}
	res, err := http.DefaultClient.Do(req)
	if err == nil {
		err = res.Body.Close()
	}
	return res, err
}

// A partner's page that listens by private link hears nothing once the link was ended.
func TestAPartnersStreamEndsWithItsLink(t *testing.T) {
	house, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	address, err := house.Review.PartnerLink(ctx, 1, 1, 1)
	if err != nil {
		t.Fatal(err)
	}
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	wait, stop := context.WithTimeout(ctx, 2*time.Minute)
	defer stop()
	req, err := http.NewRequestWithContext(wait, http.MethodGet, srv.URL+u.Path+"/live", nil)
	if err != nil {
		t.Fatal(err)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil || res.StatusCode != http.StatusOK {
		t.Fatal(err, res.Status)
	}
	defer res.Body.Close()
	if err := house.Review.RevokePartner(ctx, 1, 1, 1); err != nil {
		t.Fatal(err)
	}
	for lines := bufio.NewScanner(res.Body); lines.Scan(); {
		if strings.HasPrefix(lines.Text(), "data:") {
			t.Errorf("it says %s", lines.Text())
		}
	}
	if wait.Err() != nil {
		t.Error("it stays open")
	}
}

// Somebody who is signed out is nobody on pages for everybody: a form for colleagues does
// not open for them.
func TestAnEndedVisitOpensNoFormForColleagues(t *testing.T) {
	house, h := open(t, true)
	bend(t, house, "UPDATE form SET anyone = 0")
	var slug string
	if err := house.DB.Get(ctx, &slug, "SELECT slug FROM form WHERE open = 1 LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	c := visit(t, h).as(3)
	if res, _ := c.get("/ask/" + slug); res.Request.URL.Path != "/ask/"+slug {
		t.Fatalf("a colleague is sent to %s", res.Request.URL)
	}
	if err := house.Account.EndVisit(ctx, 3, 0, 0); err != nil {
		t.Fatal(err)
	}
	if res, _ := c.get("/ask/" + slug); res.Request.URL.Path != "/signin" {
		t.Errorf("it opens at %s", res.Request.URL)
	}
	if _, body := c.post("/ask/"+slug, url.Values{"who": {"X"}, "mail": {"x@y.example"}}); strings.Contains(body, "We have your request") {
		t.Error("it takes a request")
	}
}

// A visit that is not used ends; one that is used goes on, and a page that is only left
// open does not count as use.
func TestAVisitEndsWhenItIsNotUsed(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(3)
	ago := func(d time.Duration) {
		bend(t, house, fmt.Sprintf("UPDATE visit SET used_at = %d", time.Now().Add(-d).Unix()))
	}
	get := func(mode string) string {
		t.Helper()
		req, err := http.NewRequest(http.MethodGet, c.url+"/", nil)
		if err != nil {
			t.Fatal(err)
		}
		if mode != "" {
			req.Header.Set("Sec-Fetch-Mode", mode)
		}
		res, _ := c.read(c.http.Do(req))
		return res.Request.URL.Path
	}
	ago(newsroom.DefaultIdle - time.Hour)
	if at := get("cors"); at != "/" {
		t.Fatalf("it ended early, at %s", at)
	}
	var used int64
	if err := house.DB.Get(ctx, &used, "SELECT MAX(used_at) FROM visit"); err != nil || time.Since(time.Unix(used, 0)) < time.Hour {
		t.Errorf("a page that asks by itself counts as use: %v", err)
	}
	get("navigate")
	if err := house.DB.Get(ctx, &used, "SELECT MAX(used_at) FROM visit"); err != nil || time.Since(time.Unix(used, 0)) > time.Hour {
		t.Errorf("it is not noted as used: %v", err)
	}
	ago(newsroom.DefaultIdle + time.Minute)
	if at := get("navigate"); at != "/signin" {
		t.Errorf("unused for three days, it opens %s", at)
	}
	house.Idle = 0
	if at := get("navigate"); at != "/" {
		t.Errorf("without a limit it ended, at %s", at)
	}
}
