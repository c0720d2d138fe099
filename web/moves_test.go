package web

import (
	"fmt"
	"html"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"greenbaton/core/ref"
	"greenbaton/newsroom/rooms"
	"greenbaton/store"
)

// pieceNamed gives the path of a piece and its version.
func pieceNamed(t testing.TB, h *rooms.Newsroom, title string) (string, string) {
	t.Helper()
	var p struct {
		ID      int64
		Version int64
	}
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
		{"take", dao, "Flour dust and lungs: what the miller knew", "take", url.Values{"leg": {"pictures"}}, "Take Pictures", "It is yours now."},
		{"skip", lead, "The night shift at Quern Street", "skip", url.Values{"leg": {"listen"}, "why": {"no time"}}, "Skip Second listen", "Skipped. Now Cut with Dao."},
		{"bring back", lead, "The night shift at Quern Street", "need", url.Values{"leg": {"listen"}}, "Bring Second listen back", "The leg is back"},
		{"note the hours left", lead, "The last tide mill on the Severn", "left", url.Values{"leg": {"edit"}, "left": {"NaN"}, "form": {"edit"}}, "Hours of work left", "Write the hours left as a number"},
		{"note the hours left as a number", lead, "The last tide mill on the Severn", "left", url.Values{"leg": {"edit"}, "left": {"1½"}}, "Hours of work left", "Noted; the load follows."},
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

// hidden gives what a page keeps in a hidden field, the n-th of its name.
func hidden(body, name string, n int) string {
	found := regexp.MustCompile(`name="`+name+`" value="([^"]*)"`).FindAllStringSubmatch(body, -1)
	if n >= len(found) {
		return ""
	}
	return html.UnescapeString(found[n][1])
}

// Each change of the plan without scripts: what it would do on a page of its own,
// then done, then taken back.
func TestChangesOfThePlanAsPlainForms(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	for _, x := range []struct {
		name, title string
		form        url.Values
		offer, says string
		done        string // what the logbook says then
	}{
		{"give", "The last tide mill on the Severn", url.Values{"do": {"give"}, "leg": {"pictures"}, "to": {"7"}}, "Give it to somebody", "Gives Pictures to Dao", "gave Pictures to Dao"},
		{"open", "The last tide mill on the Severn", url.Values{"do": {"give"}, "leg": {"copyedit"}, "to": {"0"}}, "Nobody: open it", "Opens Copy edit", "opened Copy edit"},
		{"give it a day", "The miller’s tithe", url.Values{"do": {"move"}, "date": {"2027-01-11"}, "time": {""}}, "Give it a day", "Goes out Mon 11 Jan, 08:00", "set its day to Mon 11 Jan, 08:00"},
		{"take its day away", "Millstone grit", url.Values{"do": {"move"}, "none": {"yes"}}, "Take its day away", "Takes its day away", "took its day away"},
		{"other days", "Millstone grit", url.Values{"do": {"allow"}, "leg": {"edit"}, "days": {"4"}}, "Working days it may take", "Gives Edit 4 days", "gave Edit 4 days"},
		{"pin", "Millstone grit", url.Values{"do": {"pin"}, "leg": {"edit"}, "due": {"2026-11-26"}}, "Due date set by hand", "Pins Edit to Thu 26 Nov", "pinned Edit to Thu 26 Nov"},
		{"hold", "Millstone grit", url.Values{"do": {"not before"}, "leg": {"edit"}, "not_before": {"2026-12-01"}}, "Does not begin before", "Keeps Edit from beginning before Tue 1 Dec", "kept Edit from beginning"},
		{"overlap", "Millstone grit", url.Values{"do": {"overlap"}, "leg": {"pictures"}}, "Run it side by side", "Runs Pictures side by side with Edit", "let Pictures run side by side"},
		{"swap", "Millstone grit", url.Values{"do": {"swap"}, "with": {"Spelt, a second look"}}, "", "stands", "set its day to Fri 4 Dec, 08:00"},
		{"a row", "Millstone grit", url.Values{"do": {"row"}, "channel": {"1"}, "way": {"later"}}, "", "more change", "set its day to Thu 10 Dec, 08:00"},
	} {
		path, _ := pieceNamed(t, house, x.title)
		id := strings.TrimPrefix(path, "/pieces/")
		x.form.Set("piece", id)
		if with := x.form.Get("with"); with != "" {
			other, _ := pieceNamed(t, house, with)
			x.form.Set("with", strings.TrimPrefix(other, "/pieces/"))
			x.says = "Soda" // never said: replaced below
		}
		if x.form.Get("do") == "row" {
			var at int64
			if err := house.DB.Get(ctx, &at, "SELECT goes_out FROM piece WHERE id = ?", id); err != nil {
				t.Fatal(err)
			}
			x.form.Set("from", fmt.Sprint(at))
		}
		if x.form.Get("do") == "swap" {
			x.says = "“Millstone grit” goes out Fri 4 Dec, 08:00"
		}
		if _, body := lead.get(path); !strings.Contains(body, x.offer) {
			t.Errorf("%s: the page does not offer %q", x.name, x.offer)
		}
		res, body := lead.post("/preview", x.form)
		if res.StatusCode != 200 || !strings.Contains(body, x.says) {
			t.Errorf("%s: %d, and not %q", x.name, res.StatusCode, x.says)
			continue
		}
		res, body = lead.post("/change", url.Values{"changes": {hidden(body, "changes", 0)}, "seal": {hidden(body, "seal", 0)}, "back": {path}})
		if strings.Contains(body, "\ufffd") {
			t.Errorf("%s: a letter was cut in two", x.name)
		}
		if !strings.Contains(body, x.done) || res.Request.URL.Path != path {
			t.Errorf("%s: %d at %s, and not %q", x.name, res.StatusCode, res.Request.URL.Path, x.done)
		}
		if _, body = lead.post("/undo", url.Values{"undo": {hidden(body, "undo", 0)}, "back": {path}}); !strings.Contains(body, "Taken back") {
			t.Errorf("%s is not taken back", x.name)
		}
	}
}

func TestAPreviewThatIsOutOfDateIsShownAnew(t *testing.T) {
	house, h := open(t, true)
	lead := visit(t, h).as(1)
	path, _ := pieceNamed(t, house, "Millstone grit")
	form := url.Values{"do": {"allow"}, "piece": {strings.TrimPrefix(path, "/pieces/")}, "leg": {"edit"}, "days": {"4"}}
	_, shown := lead.post("/preview", form)
	form.Set("days", "3")
	_, other := lead.post("/preview", form)
	lead.post("/change", url.Values{"changes": {hidden(other, "changes", 0)}, "seal": {hidden(other, "seal", 0)}})
	res, body := lead.post("/change", url.Values{"changes": {hidden(shown, "changes", 0)}, "seal": {hidden(shown, "seal", 0)}})
	if res.StatusCode != 409 || !strings.Contains(body, "Something changed since this was worked out") || hidden(body, "seal", 0) == "" || hidden(body, "seal", 0) == hidden(shown, "seal", 0) {
		t.Errorf("%d: %s", res.StatusCode, body)
	}
	for _, bad := range []url.Values{
		{"do": {"juggle"}, "piece": form["piece"]}, {"do": {"allow"}, "piece": {"0"}}, {"do": {"allow"}, "piece": form["piece"], "leg": {"edit"}, "days": {"many"}},
		{"do": {"allow"}, "piece": form["piece"], "leg": {"edit"}, "days": {"2.5"}}, {"do": {"pin"}, "piece": form["piece"], "leg": {"edit"}, "due": {"tomorrow"}}, {"do": {"move"}, "piece": form["piece"], "date": {"2066-01-01"}},
		{"do": {"move"}, "piece": form["piece"], "date": {"9999-12-31"}}, {"do": {"plan"}, "changes": {"{"}}, {"do": {"away"}, "person": {"3"}, "from": {"2026-12-09"}, "to": {"2026-12-01"}}, {"do": {"swap"}, "piece": form["piece"], "with": {"0"}},
	} {
		if res, body := lead.post("/preview", bad); res.StatusCode < 400 || res.StatusCode >= 500 || !strings.Contains(body, `role="alert"`) {
			t.Errorf("%v: %d", bad, res.StatusCode)
		}
	}
	for i, to := range []string{"https://elsewhere.example/", "//elsewhere.example", `/\elsewhere.example`} {
		_, fresh := lead.post("/preview", url.Values{"do": {"allow"}, "piece": form["piece"], "leg": {"edit"}, "days": {fmt.Sprint(5 + i)}})
		if res, _ := lead.post("/change", url.Values{"changes": {hidden(fresh, "changes", 0)}, "seal": {hidden(fresh, "seal", 0)}, "back": {to}}); res.Request.URL.Path != "/" {
			t.Errorf("led to %s by %q", res.Request.URL, to)
		}
	}
}

func TestFreelancersDoNotSeeHowFullOthersAre(t *testing.T) {
	house, h := open(t, true)
	petra := visit(t, h).as(4)
	path, _ := pieceNamed(t, house, "How a stone is dressed")
	res, body := petra.get(path + "/legs/draft")
	if res.StatusCode != 200 || !strings.Contains(body, "Give it to Yusuf") || strings.Contains(body, "% full") || strings.Contains(body, " over") {
		t.Errorf("%d: %s", res.StatusCode, body)
	}
	for _, p := range []string{path + "/ways", "/propose", "/desks/1", "/channels/1", "/people/1", "/formats/1", "/formats/1/pieces"} {
		if res, _ := petra.get(p); res.StatusCode != 403 {
			t.Errorf("%s: %d", p, res.StatusCode)
		}
	}
}

func TestInboxAndPostRoom(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	_, body := c.get("/inbox")
	if !strings.Contains(body, " unread") {
		t.Fatal("nothing is unread")
	}
	var item ref.Item
	if err := house.DB.Get(ctx, &item, "SELECT id FROM inbox WHERE person_id = 1 AND read_at = 0 LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	before, err := house.Notify.Unread(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	if res, _ := c.post(fmt.Sprintf("/inbox/%d", item), nil); !strings.HasPrefix(res.Request.URL.Path, "/pieces/") {
		t.Errorf("opening leads to %s", res.Request.URL.Path)
	}
	if after, err := house.Notify.Unread(ctx, 1); err != nil || after >= before {
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

// Sending back over a due date that was set by hand says before that it falls away, says it
// after, and the piece is due when its rework ends; taken back, the date is there again.
func TestSendingBackSaysWhichDatesFallAway(t *testing.T) {
	house, h := open(t, true)
	c := visit(t, h).as(1)
	path, _ := pieceNamed(t, house, "The last tide mill on the Severn")
	id := strings.TrimPrefix(path, "/pieces/")
	pin := func() (n int) {
		if err := house.DB.Get(ctx, &n, "SELECT pin FROM leg WHERE piece_id = ? AND key = 'draft'", id); err != nil {
			t.Fatal(err)
		}
		return n
	}
	past := int(house.Now().Date(time.UTC)) - 4
	err := house.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := tx.Exec(ctx, "UPDATE leg SET pin = ? WHERE piece_id = ? AND key = 'draft'", past, id)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	house.Forget()
	for _, at := range []string{path, path + "/do", path + "/back?leg=edit"} {
		if _, body := c.get(at); !strings.Contains(body, "fall away where it is run again: Draft, Fri 20 Nov.") {
			t.Errorf("%s does not say what falls away", at)
		}
	}
	_, body := c.get(path)
	_, body = c.post(path+"/back", url.Values{"form": {"back"}, "leg": {"edit"}, "to": {"draft"}, "reasons": {"again"}, "version": {hidden(body, "version", 0)}})
	if pin() != 0 || !strings.Contains(body, "the due date set by hand no longer holds (Draft, Fri 20 Nov)") {
		t.Errorf("it is not said: %d", pin())
	}
	undo := hidden(body, "undo", 0)
	if c.post("/undo", url.Values{"undo": {undo}, "back": {path}}); pin() != past {
		t.Errorf("taken back, it is %d, want %d: %s", pin(), past, undo)
	}
}
