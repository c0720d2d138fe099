package browser

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/mmcdole/gofeed"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// The whole lap of one piece, by four people and a copy editor: made, written,
// sent back, passed again, two legs side by side, signed off, and out at its time.
func TestTheWholeLap(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	lead, writer, pictures, copyEditor := s.as(maren, 1280), s.as(yusuf, 1280), s.as(ruth, 1280), s.as(hollis, 390)

	lead.page.Keyboard.MustType('n')
	lead.see("New piece")
	lead.fill("#title", "The ledger of Harrow Ford")
	lead.choose("#format", "1")
	lead.see("The earliest it could go out is")
	lead.fill("#from", "5")
	lead.unfoldSlot(t)
	lead.seeIn("[data-answer]", "in hand")
	due := lead.find("[data-due=draft]").MustText()
	lead.press("Make it, and begin its first leg")
	lead.see("“The ledger of Harrow Ford” is made")
	path := strings.TrimPrefix(lead.page.MustInfo().URL, s.url)
	var id ref.Piece
	s.must(s.Newsroom.DB.Get(ctx, &id, "SELECT MAX(id) FROM piece"))
	if got := s.leg(id, "draft").Due.Format("Mon 2 Jan"); got != due {
		t.Errorf("the draft is due %s, %s was shown", got, due)
	}
	lead.see("The brief does not say “Angle”")
	lead.press("Edit brief")
	lead.fill("#p-angle", "What the ledger does not say.")
	lead.fill("#p-audience", "Those who keep books.")
	lead.press("Save")
	lead.see("The brief is saved.")
	lead.open(path)
	lead.press("Pass to Yusuf, Draft")

	writer.open("/inbox")
	writer.press("The ledger of Harrow Ford")
	writer.see("Before you pass it")
	writer.write("Nobody had opened the ledger since May, and the last line stops in the middle.")
	writer.press("Names checked against the notes")
	writer.press("Pass to Maren, Edit")
	if s.leg(id, "edit").State != relay.Running {
		t.Fatal("the edit has not begun")
	}

	lead.open(path)
	lead.unfold("Send back")
	lead.fill("#reasons", "Who stopped writing, and why in May?")
	lead.press("^Send back$")
	lead.see("Sent back. Now Draft with Yusuf.")

	writer.open("/")
	writer.see("The ledger of Harrow Ford")
	writer.see("came back: Who stopped writing")
	writer.open(path)
	writer.see("Draft came back: “Who stopped writing, and why in May?”")
	writer.write("Nobody had opened the ledger since May, when the miller went to Canada in the middle of a line.")
	writer.press("Pass to Maren, Edit")

	lead.open(path)
	lead.unfold("Pass to Ruth, Pictures and Hollis, Copy edit")
	lead.see("“Short title” is not filled in")
	lead.unfold("Fill in")
	lead.fill("#field-shorttitle", "mill ledger")
	lead.press("^Save$")
	lead.see("The fields are saved.")
	lead.press("Pass to Ruth, Pictures and Hollis, Copy edit")
	copyEditor.open(path)
	copyEditor.press("Pass Copy edit")
	if s.leg(id, "signoff").State != relay.Waiting || s.leg(id, "pictures").State != relay.Running {
		t.Error("the sign-off did not wait for the pictures")
	}
	pictures.open(path)
	pictures.press("Lead picture has its text alternative")
	pictures.press("Pass to Maren, Sign-off")
	lead.open(path)
	lead.press("Pass to Hollis, Release")
	copyEditor.open(path)
	copyEditor.press("Description written")
	copyEditor.press("Pass Release")

	lead.open(path)
	lead.see("All legs are passed. It goes out by itself")
	for range 6 {
		if s.stored(id).Stage == relay.Out {
			break
		}
		lead.unfold("The demo’s clock")
		lead.press("Next week")
	}
	row := s.stored(id)
	if row.Stage != relay.Out || row.OutAt != row.GoesOut {
		t.Fatalf("it is %s, out at %v, and was to go at %v", row.Stage, row.OutAt, row.GoesOut)
	}
	lead.open(path)
	lead.press("Read it where it is out")
	lead.see("when the miller went to Canada")
	lead.see("Yusuf Lindqvist")

	feed := s.feed("/site/web/feed.atom")
	if feed.FeedType != "atom" || len(feed.Items) == 0 {
		t.Fatalf("no feed: %+v", feed)
	}
	found := false
	for _, i := range feed.Items {
		found = found || i.Title == "The ledger of Harrow Ford" && strings.Contains(i.Content, "went to Canada")
	}
	if !found {
		t.Error("the piece is not in the feed")
	}
	if n, err := store.Verify(ctx, s.Newsroom.DB); err != nil || n == 0 {
		t.Errorf("the logbook: %d entries, %v", n, err)
	}
	var runs int
	s.must(s.Newsroom.DB.Get(ctx, &runs, "SELECT COUNT(*) FROM leg_run WHERE piece_id = ?", id))
	if runs != 9 { // seven legs, the edit that sent back, the draft again
		t.Errorf("%d runs are on record, want 9", runs)
	}
}

// unfoldSlot presses the first slot that is not too soon.
func (u *user) unfoldSlot(t *testing.T) {
	t.Helper()
	u.eval(`() => [...document.querySelectorAll("button[data-date]")].find(b => !b.innerText.includes("too soon")).click()`)
}

func (s *site) stored(id ref.Piece) store.Row {
	s.t.Helper()
	r, err := store.Piece(ctx, s.Newsroom.DB, id)
	s.must(err)
	return r
}

func (s *site) leg(id ref.Piece, key string) *relay.Leg {
	s.t.Helper()
	r := s.stored(id)
	return r.Leg(key)
}

func (s *site) get(path string) (int, string) {
	s.t.Helper()
	res, err := http.Get(s.url + path)
	s.must(err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	s.must(err)
	return res.StatusCode, string(b)
}

func (s *site) feed(path string) *gofeed.Feed {
	s.t.Helper()
	_, body := s.get(path)
	f, err := gofeed.NewParser().ParseString(body)
	s.must(err)
	return f
}
