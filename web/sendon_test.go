package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
)

// A lead sends a piece on to another format by hand: first what would follow is said,
// nothing is done by looking, and then it is of that format.
func TestAPieceIsSentOnByHand(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	path, version := pieceNamed(t, house, "Bolting cloth, thread by thread")
	if _, body := c.get(path + "/do"); !strings.Contains(body, `href="`+path+`/sendon"`) {
		t.Error("no way leads there")
	}
	_, body := c.get(path + "/sendon")
	if !strings.Contains(body, "To another format") || strings.Contains(body, "What would") || strings.Contains(body, "btn-main\">Make it") {
		t.Errorf("it says %s", body)
	}
	var recipe int64
	if err := house.DB.Get(ctx, &recipe, "SELECT id FROM format WHERE name = 'Recipe'"); err != nil {
		t.Fatal(err)
	}
	_, body = c.get(fmt.Sprintf("%s/sendon?format=%d", path, recipe))
	if !strings.Contains(body, "It would become a recipe") || !strings.Contains(body, "It no longer runs") || !strings.Contains(body, "Make it a recipe") {
		t.Errorf("what would follow: %s", body)
	}
	if _, now := pieceNamed(t, house, "Bolting cloth, thread by thread"); now != version {
		t.Error("looking at it did it")
	}
	for name, x := range map[string]struct {
		form url.Values
		code int
		says string
	}{
		"nothing chosen": {url.Values{"version": {version}}, http.StatusConflict, "no longer in use"},
		"another page":   {url.Values{"format": {fmt.Sprint(recipe)}, "version": {"1"}}, http.StatusConflict, "changed since you opened it"},
	} {
		if version == "1" && name == "another page" {
			x.form.Set("version", "7")
		}
		if res, body := c.post(path+"/sendon", x.form); res.StatusCode != x.code || !strings.Contains(body, x.says) {
			t.Errorf("%s: %d", name, res.StatusCode)
		}
	}
	res, body := c.post(path+"/sendon", url.Values{"format": {fmt.Sprint(recipe)}, "version": {version}})
	if res.Request.URL.Path != path || !strings.Contains(body, "It is sent on.") || !strings.Contains(body, "Recipe") {
		t.Errorf("at %s", res.Request.URL)
	}
	if res, _ := c.another().as(3).get(path + "/sendon"); res.StatusCode != http.StatusForbidden && res.StatusCode != http.StatusNotFound {
		t.Errorf("a writer is offered it: %d", res.StatusCode)
	}
}

// Pieces that were half sent on are listed for leads, with the way to mend them.
func TestHalfSentPiecesAreMendedFromAPage(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	if _, body := c.get("/misplaced"); !strings.Contains(body, "belong together") || strings.Contains(body, "Mend it") {
		t.Errorf("where all is well: %s", body)
	}
	bend(t, house, "UPDATE piece SET format_id = (SELECT id FROM format WHERE name = 'Letter') WHERE title = 'Bolting cloth, thread by thread'")
	house.Forget()
	_, body := c.get("/misplaced")
	if !strings.Contains(body, "Letter of Millrace, on Web, with a route of Feature") || !strings.Contains(body, "Feature of Millrace, on Web") {
		t.Errorf("it says %s", body)
	}
	if _, body = c.post("/misplaced", url.Values{"piece": {hidden(body, "piece", 0)}, "version": {hidden(body, "version", 0)}}); !strings.Contains(body, "It is mended.") || strings.Contains(body, ">Mend it") {
		t.Errorf("mended, it says %s", body)
	}
}
