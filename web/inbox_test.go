package web

import (
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"greenbaton/core/ref"
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

// Looking at a piece writes nothing, and what stands on its page is of one moment; once it
// is shown, what the inbox said of it until then is read, and no more.
func TestLookingAtAPieceWritesNothing(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	var piece ref.Piece
	var newest ref.Item
	if err := house.DB.Get(ctx, &piece, "SELECT piece_id FROM inbox WHERE person_id = 1 AND read_at = 0 AND piece_id <> 0 ORDER BY id DESC LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	path := fmt.Sprintf("/pieces/%d", piece)
	c.get(path) // whoever comes in is noted
	changes := func() (n int) {
		err := house.DB.Write(ctx, func(tx *store.Tx) error { return tx.Get(ctx, &n, "SELECT total_changes()") })
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	before := changes()
	_, body := c.get(path)
	if n := changes() - before; n != 0 {
		t.Errorf("%d rows are written", n)
	}
	seq := regexp.MustCompile(`data-opened="` + path + `/opened" data-seq="(\d+)"`).FindStringSubmatch(body)
	if seq == nil {
		t.Fatal("the page does not say up to where it is read")
	}
	err := house.DB.Write(ctx, func(tx *store.Tx) (err error) { // meanwhile
		newest, err = tx.AddItem(ctx, store.Item{PersonID: 1, PieceID: piece, Kind: "with-you", Text: "news", At: house.Now()})
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	if res, _ := c.post(path+"/opened", url.Values{"seq": {"no number"}}); res.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("no number: %d", res.StatusCode)
	}
	_, body = c.post(path+"/opened", url.Values{"seq": {seq[1]}})
	var unread []ref.Item
	if err := house.DB.Select(ctx, &unread, "SELECT id FROM inbox WHERE person_id = ? AND read_at = 0 AND piece_id = ?", 1, piece); err != nil || len(unread) != 1 || unread[0] != newest {
		t.Errorf("%v is unread, want %d: %v", unread, newest, err)
	}
	n, err := house.Notify.Unread(ctx, 1)
	if err != nil || !strings.Contains(body, fmt.Sprintf(`"unread":%d`, n)) {
		t.Errorf("it says %s, want %d: %v", body, n, err)
	}
}
