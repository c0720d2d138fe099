package web

import (
	"fmt"
	"net/url"
	"strings"
	"testing"

	"greenbaton/desk"
	"greenbaton/store"
)

// pieceNamed gives the path of a piece and its version.
func pieceNamed(t *testing.T, h *desk.House, title string) (string, string) {
	t.Helper()
	var p struct{ ID, Version int64 }
	if err := h.DB.Get(ctx, &p, "SELECT id, version FROM piece WHERE title = ?", title); err != nil {
		t.Fatal(err)
	}
	return fmt.Sprintf("/pieces/%d", p.ID), fmt.Sprint(p.Version)
}

// Each act as a plain form, as its page offers it, and what the page says then.
func TestActsOnAPieceAsPlainForms(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	dao, petra, bram := lead.another().as(7), lead.another().as(4), lead.another().as(9)
	for _, x := range []struct {
		name  string
		who   *client
		title string
		act   string
		form  url.Values
		offer string // what the page offers before
		says  string // what it says after
	}{
		{"give", lead, "The last tide mill on the Severn", "give", url.Values{"leg": {"pictures"}, "to": {"7"}}, "Give Pictures to", "Given to Dao."},
		{"open", lead, "The last tide mill on the Severn", "give", url.Values{"leg": {"copyedit"}, "to": {"0"}}, "Nobody: open it", "The leg is open"},
		{"take", dao, "Flour dust and lungs: what the miller knew", "take", url.Values{"leg": {"pictures"}}, "Take Pictures", "It is yours now."},
		{"skip", lead, "The night shift at Quern Street", "skip", url.Values{"leg": {"listen"}, "why": {"no time"}}, "Skip Second listen", "Skipped. Now Cut with Dao."},
		{"bring back", lead, "The night shift at Quern Street", "need", url.Values{"leg": {"listen"}}, "Bring Second listen back", "The leg is back"},
		{"give it a day", lead, "The miller’s tithe", "place", url.Values{"date": {"2027-01-11"}, "time": {""}}, "Give it a day", "It goes out Mon 11 Jan, 08:00"},
		{"take its day away", lead, "The miller’s tithe", "place", url.Values{"none": {"yes"}}, "Take its day away", "It has no day any more"},
		{"edit the brief", lead, "The miller’s tithe", "brief", url.Values{"title": {"The miller’s tithe"}, "brief": {"Count the cups."}, "owner": {"2"}, "from": {"900"}, "words_to": {"1400"}}, "Edit brief", "Count the cups."},
		{"send back as a partner", bram, "Old Weir’s first harvest", "back", url.Values{"leg": {"yes"}, "to": {"edit"}, "reasons": {"The combine was not borrowed."}}, "Send back", "Sent back."},
		{"pass with words missing", petra, "How a stone is dressed", "pass", url.Values{"leg": {"draft"}}, "Before it can be passed", "900 are asked for"},
	} {
		path, version := pieceNamed(t, house, x.title)
		if _, body := x.who.get(path); !strings.Contains(body, x.offer) {
			t.Errorf("%s: the page does not offer %q", x.name, x.offer)
		}
		x.form.Set("version", version)
		if res, body := x.who.post(path+"/"+x.act, x.form); !strings.Contains(body, x.says) {
			t.Errorf("%s: %d at %s, and not %q", x.name, res.StatusCode, res.Request.URL.Path, x.says)
		}
	}
	if n, err := store.Verify(ctx, house.DB); err != nil {
		t.Error(n, err)
	}
}

func TestLeadsSayWhoMayPass(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	if _, body := lead.post("/desk/passing", url.Values{"pass_by": {"owner"}}); !strings.Contains(body, "Saved.") {
		t.Error("it is not saved")
	}
	path, _ := pieceNamed(t, house, "Millstone grit")
	if _, body := lead.another().as(3).get(path); strings.Contains(body, "data-pass") {
		t.Error("a holder is still offered to pass")
	}
	if res, _ := lead.another().as(3).post("/desk/passing", url.Values{"pass_by": {"holder"}}); res.StatusCode != 403 {
		t.Errorf("somebody else changed it: %d", res.StatusCode)
	}
	if res, body := lead.post("/desk/passing", url.Values{"pass_by": {"anybody"}}); res.StatusCode != 422 || !strings.Contains(body, "Choose who may pass") {
		t.Errorf("%d", res.StatusCode)
	}
}

func TestInboxAndPostRoom(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	_, body := c.get("/inbox")
	if !strings.Contains(body, " unread") {
		t.Fatal("nothing is unread")
	}
	var item int64
	if err := house.DB.Get(ctx, &item, "SELECT id FROM inbox WHERE person_id = 1 AND read_at = 0 LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	before, err := house.Unread(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	if res, _ := c.post(fmt.Sprintf("/inbox/%d", item), nil); !strings.HasPrefix(res.Request.URL.Path, "/pieces/") {
		t.Errorf("opening leads to %s", res.Request.URL.Path)
	}
	if after, err := house.Unread(ctx, 1); err != nil || after >= before {
		t.Errorf("%d unread, then %d", before, after)
	}
	if _, body = c.post("/inbox/read", nil); !strings.Contains(body, "Everything is read") {
		t.Error("not all is read")
	}
	_, body = c.get("/post?to=petra")
	if !strings.Contains(body, "petra@vance.example") || strings.Contains(body, "yusuf@millrace.example") || !strings.Contains(body, "delivered") {
		t.Error("the post room does not show the mail to one person")
	}
}

func TestOnlyLeadsAndStaffSeeTheFormOfANewPiece(t *testing.T) {
	_, h := open(t, true)
	c := visit(t, h)
	for _, who := range []int{4, 9} {
		u := c.another().as(who)
		if res, body := u.get("/pieces/new"); res.StatusCode != 403 || strings.Contains(body, "Adaeze") {
			t.Errorf("person %d sees the form: %d", who, res.StatusCode)
		}
		for _, path := range []string{"/pieces/new", "/pieces/new/plan"} {
			if res, body := u.post(path, url.Values{"format": {"1"}, "title": {"T"}}); res.StatusCode != 403 || strings.Contains(body, "Adaeze") {
				t.Errorf("person %d posts to %s: %d", who, path, res.StatusCode)
			}
		}
	}
}
