package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
)

var elsewhere = []string{
	"", "https://elsewhere.example/", "//elsewhere.example", "///elsewhere.example", `/\elsewhere.example`, `\\elsewhere.example`, "/\t/elsewhere.example", "/\n/elsewhere.example", "\t//elsewhere.example", " //elsewhere.example",
	"/\r\n/elsewhere.example", "javascript:alert(1)", "elsewhere.example", "/ /elsewhere.example", "/\x00/elsewhere.example", "http:/elsewhere.example", "/%zz",
}

// Each form that says where to go on to, with the act carried out, and signing in.
func TestNoFormLeadsElsewhere(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	c.http.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	path, _ := pieceNamed(t, house, "Millstone grit")
	id := strings.TrimPrefix(path, "/pieces/")
	for i, to := range elsewhere {
		_, body := c.post("/preview", url.Values{"do": {"allow"}, "piece": {id}, "leg": {"edit"}, "days": {fmt.Sprint(3 + i)}})
		for _, x := range []struct {
			address string
			form    url.Values
		}{
			{"/change", url.Values{"changes": {hidden(body, "changes", 0)}, "seal": {hidden(body, "seal", 0)}}},
			{path + "/follow", url.Values{"how": {[]string{"follow", "mute", ""}[i%3]}}},
			{"/cells/priority", url.Values{"pieces": {id}, "value": {fmt.Sprint(i % 2)}}},
		} {
			address := x.address
			x.form.Set("back", to)
			res, body := c.post(address, x.form)
			if res.StatusCode != http.StatusSeeOther {
				t.Errorf("%s was not carried out: %d %.300s", address, res.StatusCode, body)
			}
			if at := res.Header.Get("Location"); !strings.HasPrefix(at, "/") || strings.Contains(at, "elsewhere") {
				t.Errorf("%s with %q leads to %q", address, to, at)
			}
		}
	}
	for _, to := range elsewhere {
		out := c.another()
		out.http.CheckRedirect = c.http.CheckRedirect
		req, err := http.NewRequest(http.MethodGet, out.url+"/pieces", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.URL.Opaque = "" // the address asked for is kept in the session, whatever it looks like
		req.URL.Path = "/" + to
		if res, err := out.http.Do(req); err == nil {
			res.Body.Close()
		}
		res, _ := out.post("/signin/as", url.Values{"person": {"1"}})
		if at := res.Header.Get("Location"); !strings.HasPrefix(at, "/") || strings.HasPrefix(at, "//") || strings.Contains(at, "\t") {
			t.Errorf("signing in after %q leads to %q", to, at)
		}
	}
}

// What was done is said by the program, whatever the form that asks for it calls it.
func TestTheSentenceOfAChangeIsTheProgramsOwn(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	path, _ := pieceNamed(t, house, "Millstone grit")
	id := strings.TrimPrefix(path, "/pieces/")
	_, body := c.post("/preview", url.Values{"do": {"allow"}, "piece": {id}, "leg": {"edit"}, "days": {"4"}})
	_, body = c.post("/change", url.Values{"changes": {hidden(body, "changes", 0)}, "seal": {hidden(body, "seal", 0)}, "what": {"gave everybody a rise"}, "back": {"/inbox"}})
	if strings.Contains(body, "rise") || !strings.Contains(body, "Done: gives Edit 4 days") {
		t.Errorf("it says %s", body)
	}
	var kept string
	if err := house.DB.Get(ctx, &kept, "SELECT what FROM undo ORDER BY id DESC LIMIT 1"); err != nil || strings.Contains(kept, "rise") {
		t.Errorf("kept as %q, %v", kept, err)
	}
}
