package web

import (
	"fmt"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// What is with somebody and can be passed is passed in the inbox; what is set aside is out
// of the way, and back where it was.
func TestTheInboxIsActedOnInPlace(t *testing.T) {
	house, h := open(t, true)
	id := idOf(t, house, "A baker’s year in twelve loaves")
	c := visit(t, h).as(8) // Sian has its Welsh leg, of which nothing is to be done before
	_, body := c.get("/inbox")
	if !strings.Contains(body, "Pass Welsh") || !strings.Contains(body, "A baker’s year in twelve loaves") {
		t.Fatal("it cannot be passed in the inbox")
	}
	item := regexp.MustCompile(`/inbox/(\d+)/aside`).FindStringSubmatch(body)
	res, body := c.post("/inbox/"+item[1]+"/aside", url.Values{"do": {"aside"}, "back": {"/inbox?"}})
	if res.Request.URL.Path != "/inbox" || strings.Contains(body, "/inbox/"+item[1]+"/aside") {
		t.Error("it is not set aside")
	}
	if _, body = c.get("/inbox?which=aside"); !strings.Contains(body, "/inbox/"+item[1]+"/aside") {
		t.Error("it is not among what is set aside")
	}
	c.post("/inbox/"+item[1]+"/aside", url.Values{"do": {"back"}})
	c.post("/inbox/"+item[1]+"/aside", url.Values{"do": {"unread"}})
	if _, body = c.get("/inbox?which=unread"); !strings.Contains(body, "/inbox/"+item[1]+"/aside") {
		t.Error("it is not unread again")
	}
	other := visit(t, h).as(1)
	other.post("/inbox/"+item[1]+"/aside", url.Values{"do": {"aside"}})
	if _, body = c.get("/inbox"); !strings.Contains(body, "/inbox/"+item[1]+"/aside") {
		t.Error("somebody else set it aside")
	}
	res, _ = c.post(fmt.Sprintf("/pieces/%d/pass", id), url.Values{"leg": {"welsh"}, "back": {"/inbox?"}})
	row, err := store.Piece(ctx, house.DB, id)
	if err != nil || row.Leg("welsh").State != relay.Passed || res.Request.URL.Path != "/inbox" {
		t.Errorf("passed: %s, at %s, %v", row.Leg("welsh").State, res.Request.URL.Path, err)
	}
	if res, _ := c.post(fmt.Sprintf("/pieces/%d/pass", id), url.Values{"leg": {"yes"}, "back": {"//evil.example"}}); strings.Contains(res.Request.URL.Host, "evil") {
		t.Error("a form leads elsewhere")
	}
}
