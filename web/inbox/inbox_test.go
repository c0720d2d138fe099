package inbox

import (
	"context"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/notify"
	"greenbaton/store"
	"greenbaton/web/kit/kittest"
)

// told stands in for what somebody was told.
type told struct {
	Notify
	items []store.ItemWithTitle
	aside []ref.Item
}

func (n *told) InboxOf(context.Context, ref.Person, string, ref.Item, int) ([]store.ItemWithTitle, error) {
	return n.items, nil
}

func (n *told) Unread(context.Context, ref.Person) (int, error) { return len(n.items), nil }

func (n *told) Passable(context.Context, ref.Person, []ref.Piece) (map[ref.Piece]notify.Passable, error) {
	return map[ref.Piece]notify.Passable{7: {Leg: "draft", To: []string{"Adaeze"}}}, nil
}

func (n *told) SetAside(_ context.Context, _ ref.Person, item ref.Item, _ bool) error {
	if item == 404 {
		return newsroom.ErrNotFound
	}
	n.aside = append(n.aside, item)
	return nil
}

// What is told of one piece stands together, with the pass that is possible there.
func TestTheInboxIsInGroups(t *testing.T) {
	item := func(id ref.Item, piece ref.Piece, title, text string) store.ItemWithTitle {
		return store.ItemWithTitle{Item: store.Item{ID: id, PieceID: piece, Text: text, At: kittest.Now}, Title: title}
	}
	stub := &told{items: []store.ItemWithTitle{item(3, 7, "Rope", "Draft is yours."), item(2, 8, "Slate", "It is out."), item(1, 7, "Rope", "Brief is passed.")}}
	k := kittest.Server(t)
	c := kittest.Serve(t, k, &Section{Server: k, Notify: stub})
	status, _, body := c.Get("/inbox")
	if status != http.StatusOK || !strings.Contains(body, "3 unread") {
		t.Fatalf("%d %.300s", status, body)
	}
	if strings.Count(body, `href="/pieces/7"`) != 1 || !strings.Contains(body, "to Adaeze") {
		t.Error("the lines of one piece do not stand together, with its pass")
	}
	if rope, slate := strings.Index(body, ">Rope<"), strings.Index(body, ">Slate<"); rope < 0 || slate < rope {
		t.Error("the piece with the newest line is not the first")
	}
	for _, x := range []struct {
		item   string
		form   url.Values
		status int
		to     string
	}{
		{"3", url.Values{"do": {"aside"}, "back": {"/inbox?which=unread"}}, http.StatusSeeOther, "/inbox?which=unread"},
		{"3", url.Values{"do": {"aside"}, "back": {"//elsewhere.example"}}, http.StatusSeeOther, "/inbox"},
		{"404", url.Values{"do": {"aside"}}, http.StatusNotFound, ""},
		{"soon", url.Values{"do": {"aside"}}, http.StatusNotFound, ""},
	} {
		if status, to, _ := c.Post("/inbox/"+x.item+"/aside", x.form); status != x.status || to != x.to {
			t.Errorf("%s %v: %d to %q", x.item, x.form, status, to)
		}
	}
	if len(stub.aside) != 2 {
		t.Errorf("set aside: %v", stub.aside)
	}
}
