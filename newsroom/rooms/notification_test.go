package rooms_test

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"greenbaton/core/notification"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/rule"
	"greenbaton/newsroom"
	"greenbaton/newsroom/notify"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/review"
	"greenbaton/post"
	"greenbaton/store"
)

// tell says how somebody is told of a topic.
func (x *testHouse) tell(who ref.Person, topic notification.Topic, how notification.How) {
	x.t.Helper()
	t, err := x.Notify.TellingOf(ctx, who)
	x.must(err)
	x.must(x.Notify.SaveTelling(ctx, who, notify.Telling{Person: t.Person, How: map[notification.Topic]notification.How{topic: how}}))
}

func (x *testHouse) letters(to string) []string {
	x.t.Helper()
	var out []string
	x.must(x.DB.Select(ctx, &out, `SELECT subject || char(10) || text FROM room_mail WHERE "to" LIKE ? ORDER BY id`, "%"+to+"%"))
	return out
}

// A rule tells three people, each in their own way: by mail at once, in the daily mail, in
// the chat; each is told once, and all have it in the inbox.
func TestThreePeopleAreToldInThreeWays(t *testing.T) {
	h := newHouse(t)
	h.Mail, h.Chat = post.Room{DB: h.DB}, post.ChatRoom{DB: h.DB}
	h.must(h.Notify.SaveHook(ctx, lead, store.Hook{DeskID: 1, Name: "Newsroom", URL: "https://chat.example/1", IsOn: true}))
	h.tell(lead, notification.Nudge, notification.Daily)
	h.tell(writer, notification.Nudge, notification.Chat)
	h.rules(rule.Rule{When: rule.Begins, If: []rule.Cond{is("leg", "Pictures")}, Then: []rule.Action{{Do: rule.Tell, To: []string{rule.TellOwner, person(writer), rule.TellHolder}, Words: "{leg} begins."}}})
	p := h.make("12-09")
	h.pass(editor, p, "brief")
	h.write(writer, p, "four words are here")
	h.pass(writer, p, "draft")
	deliver := func() {
		h.must(h.Tick(ctx))
		h.must(h.Notify.DeliverMail(ctx))
		h.must(h.Notify.DeliverPosts(ctx))
	}
	deliver()
	about := func(to string) (n int) {
		for _, l := range h.letters(to) {
			n += strings.Count(l, "Pictures begins.")
		}
		return n
	}
	if a, b, c := about("p5@house"), about("p1@house"), about("chat.example"); a != 1 || b != 0 || c != 1 {
		t.Errorf("told at once: %d by mail, %d too early, %d in the chat", a, b, c)
	}
	var posted struct{ To, Text, Kind string }
	h.must(json.Unmarshal([]byte(strings.SplitN(h.letters("chat.example")[0], "\n", 2)[1]), &posted))
	if posted.To != "Wim Writer" || posted.Text != "Pictures begins." || posted.Kind != "rule" {
		t.Errorf("the chat reads %+v", posted)
	}
	h.now = h.now.Add(24 * time.Hour)
	for range 3 {
		deliver()
	}
	if n := about("p1@house"); n != 1 {
		t.Errorf("the daily mail says it %d times", n)
	}
}

// In quiet hours and on days off mail is held, and then sent.
func TestMailIsHeldInQuietHours(t *testing.T) {
	h := newHouse(t)
	h.Mail = post.Room{DB: h.DB}
	h.now = time.Date(2026, 11, 27, 21, 0, 0, 0, time.UTC) // Friday evening
	h.make("12-18")
	for _, at := range []time.Duration{0, 12 * time.Hour, 48 * time.Hour} {
		h.now = time.Date(2026, 11, 27, 21, 0, 0, 0, time.UTC).Add(at)
		h.must(h.Notify.DeliverMail(ctx))
		if n := len(h.letters("p2@house")); n != 0 {
			t.Fatalf("%d mails came %s", n, h.now)
		}
	}
	h.now = time.Date(2026, 11, 30, 7, 0, 0, 0, time.UTC)
	h.must(h.Notify.DeliverMail(ctx))
	if n := len(h.letters("p2@house")); n != 1 {
		t.Errorf("%d mails came on Monday at seven", n)
	}
}

func TestFollowingAndMutingAPiece(t *testing.T) {
	h := newHouse(t)
	p := h.make("12-18")
	h.must(h.Notify.FollowPiece(ctx, pictures, p, store.Follows))
	h.must(h.Notify.FollowPiece(ctx, lead, p, store.Mutes))
	h.pass(editor, p, "brief")
	h.write(writer, p, "four words are here")
	h.must(h.Planning.GiveLeg(ctx, lead, p, "copy", 0, 0)) // the owner would be told that nobody has it
	h.pass(writer, p, "draft")
	count := func(who ref.Person, kind string) (n int) {
		items, err := h.Notify.Inbox(ctx, who, 0, 50)
		h.must(err)
		for _, i := range items {
			if i.Kind == kind {
				n++
			}
		}
		return n
	}
	if n := count(pictures, "followed"); n < 2 {
		t.Errorf("who follows is told %d times", n)
	}
	if n := count(lead, "leg begins"); n != 0 {
		t.Errorf("who muted it is told %d times", n)
	}
	if err := h.Notify.FollowPiece(ctx, stranger, p, store.Follows); !errors.Is(err, newsroom.ErrNotFound) {
		t.Errorf("a stranger follows it: %v", err)
	}
}

// Wherever the courier is stopped, each message is delivered at least once, and whoever
// gets it twice knows it by its key and shows it once.
func TestMessagesSurviveACrashAfterEveryStatement(t *testing.T) {
	for stop := 1; ; stop++ {
		h := newHouse(t)
		counts := &counting{room: post.Room{DB: h.DB}, chat: post.ChatRoom{DB: h.DB}, sent: map[string]int{}}
		h.Mail, h.Chat = counts, counts
		h.must(h.Notify.SaveHook(ctx, lead, store.Hook{DeskID: 1, Name: "Newsroom", URL: "https://chat.example/1", IsOn: true, Kinds: "created"}))
		h.make("12-18")
		h.make("12-16")
		_, err := h.Review.Invite(ctx, lead, review.Invite{Piece: 1, Name: "Joan", Mail: "joan@out.example", May: store.MayRead})
		h.must(err)
		n, stopped := 0, false
		h.Crash = func(string) bool { n++; stopped = stopped || n == stop; return n == stop }
		err1, err2 := h.Notify.DeliverMail(ctx), h.Notify.DeliverPosts(ctx)
		if !stopped {
			if stop < 15 {
				t.Fatalf("there are only %d steps", stop)
			}
			return
		}
		if err1 == nil && err2 == nil {
			t.Fatalf("stop %d was not felt", stop)
		}
		h.Crash = nil
		h.must(h.Notify.DeliverMail(ctx))
		h.must(h.Notify.DeliverPosts(ctx))
		var queued, shown int
		h.must(h.DB.Get(ctx, &queued, "SELECT COUNT(*) FROM outbox WHERE kind IN ('mail', 'hook')"))
		h.must(h.DB.Get(ctx, &shown, "SELECT COUNT(*) FROM room_mail"))
		if queued < 5 || shown != queued || len(counts.sent) != queued {
			t.Fatalf("stopped after statement %d: %d queued, %d delivered, %d shown", stop, queued, len(counts.sent), shown)
		}
		h.must(h.DB.Get(ctx, &queued, "SELECT COUNT(*) FROM outbox WHERE sent_at = 0"))
		if queued != 0 {
			t.Fatalf("stopped after statement %d: %d wait for ever", stop, queued)
		}
	}
}

// counting counts what is handed over, and hands it on.
type counting struct {
	room post.Room
	chat post.ChatRoom
	sent map[string]int
}

func (c *counting) Send(ctx context.Context, m newsroom.Mail) error {
	c.sent[m.Key]++
	return c.room.Send(ctx, m)
}

func (c *counting) Post(ctx context.Context, p newsroom.Post) error {
	c.sent[p.Key]++
	return c.chat.Post(ctx, p)
}

// What cannot be delivered is given up in the end, is seen, and can be sent again.
func TestDeadLettersAreSeenAndSentAgain(t *testing.T) {
	h := newHouse(t)
	h.Chat = post.ChatRoom{DB: h.DB}
	h.must(h.Notify.SaveHook(ctx, lead, store.Hook{DeskID: 1, Name: "Newsroom", URL: "https://chat.example/down", IsOn: true, Kinds: "created"}))
	h.make("12-18")
	tries := 0
	for range 60 {
		var before, after int
		h.must(h.DB.Get(ctx, &before, "SELECT SUM(tries) FROM outbox WHERE kind = 'hook'"))
		h.must(h.Notify.DeliverPosts(ctx))
		h.must(h.DB.Get(ctx, &after, "SELECT SUM(tries) FROM outbox WHERE kind = 'hook'"))
		tries += after - before
		h.now = h.now.Add(6 * time.Hour)
	}
	if tries != store.MostTries {
		t.Fatalf("it was tried %d times", tries)
	}
	all, err := h.Notify.PostRoom(ctx, lead, "", 0, 50)
	h.must(err)
	var dead store.Message
	for _, m := range all {
		if m.Kind == store.KindHook && m.Dead() {
			dead = m
		}
	}
	if dead.ID == 0 || dead.Problem == "" {
		t.Fatalf("it is not seen: %+v", all)
	}
	for _, x := range []struct {
		ago  time.Duration // that it is now
		want int
	}{{0, 0}, {2 * 24 * time.Hour, 1}} { // it is not said for ever
		h.now = h.now.Add(-x.ago)
		if given, err := h.Notify.GivenUp(ctx, lead, 1); err != nil || len(given) != x.want || x.want == 1 && given[0] != (store.GivenUp{N: 1}) {
			t.Errorf("%v %+v", err, given)
		}
		h.now = h.now.Add(x.ago)
	}
	hook := notify.HooksOf(h.books(), 1)[0]
	hook.URL = "https://chat.example/up"
	h.must(h.Notify.SaveHook(ctx, lead, hook))
	if err := h.Notify.SendAgain(ctx, editor, dead.ID); !errors.Is(err, relay.ErrNotYours) {
		t.Errorf("staff sent it again: %v", err)
	}
	h.must(h.Notify.SendAgain(ctx, lead, dead.ID))
	h.must(h.Notify.DeliverPosts(ctx))
	if n := len(h.letters("chat.example/up")); n != 1 {
		t.Errorf("%d came", n)
	}
	next := func() (at int64) {
		h.must(h.DB.Get(ctx, &at, "SELECT next_at FROM outbox WHERE id = ?", dead.ID))
		return at
	}
	was := next()
	h.now = h.now.Add(time.Hour)
	_ = h.Notify.SendAgain(ctx, lead, dead.ID) // pressed twice; whatever it answers
	if next() != was {
		t.Error("what has arrived is made ready to be sent once more")
	}
}

func TestChatsOnPrivateNetworksAreRefused(t *testing.T) {
	h := newHouse(t)
	for _, u := range []string{"http://127.0.0.1/x", "http://localhost:9/x", "https://10.1.2.3/", "http://[::1]/", "https://chat.internal/", "ftp://chat.example/", "chat.example", "https://u:p@chat.example/", "http://169.254.1.1/"} {
		if err := h.Notify.SaveHook(ctx, lead, store.Hook{DeskID: 1, Name: "x", URL: u}); err == nil {
			t.Errorf("%s is taken", u)
		}
	}
	h.PrivateHooks = true
	h.must(h.Notify.SaveHook(ctx, lead, store.Hook{DeskID: 1, Name: "x", URL: "http://127.0.0.1/x"}))
}

func TestTheWordsOfMessagesAreTheDesks(t *testing.T) {
	h := newHouse(t)
	for text, want := range map[string]string{"{price}": "no field {price}", "{leg": "not closed", "a\r\nBcc: x": "one line", strings.Repeat("x", 500): "under 400"} {
		if err := h.Notify.SaveWording(ctx, lead, 1, "handoff", text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.20q: %v", text, err)
		}
	}
	h.must(h.Notify.SaveWording(ctx, lead, 1, "handoff", "Over to you: {leg} of {piece}, {{please}}."))
	said, _, err := h.Notify.PreviewWording(ctx, lead, 1, "handoff", "{leg}: {piece}", 0)
	h.must(err)
	if said != "No piece is under way to show it with." {
		t.Errorf("preview: %q", said)
	}
	p := h.make("12-18")
	items, err := h.Notify.Inbox(ctx, editor, 0, 9)
	h.must(err)
	if len(items) == 0 || items[0].Text != "Over to you: Brief of The tide mill, {please}." {
		t.Errorf("it says %v", items)
	}
	said, title, err := h.Notify.PreviewWording(ctx, lead, 1, "handoff", "{leg}: {piece}", p)
	h.must(err)
	if said != "Brief: The tide mill" || title != "The tide mill" {
		t.Errorf("preview: %q with %q", said, title)
	}
	// Fields in a title mean nothing, nor do line breaks.
	_, err = h.Intake.Create(ctx, lead, planning.Draft{Title: "Flour {owner}\nBcc: thief@evil.example", Format: 1, Owner: lead})
	h.must(err)
	items, err = h.Notify.Inbox(ctx, editor, 0, 1)
	h.must(err)
	if items[0].Text != "Over to you: Brief of Flour {owner} Bcc: thief@evil.example, {please}." {
		t.Errorf("it says %q", items[0].Text)
	}
}

// One click in a mail stops mails like it, and nobody else's.
func TestMailsAreStoppedWithOneClick(t *testing.T) {
	h := newHouse(t)
	h.Mail = post.Room{DB: h.DB}
	h.make("12-18")
	h.must(h.Notify.DeliverMail(ctx))
	letter := h.letters("p2@house")[0]
	_, token, found := strings.Cut(letter, "/stop/")
	if !found {
		t.Fatalf("no way to stop them in %q", letter)
	}
	token = strings.TrimSpace(token)
	for _, forged := range []string{"", "x", "1" + token[1:], strings.Replace(token, "handoff", "asked", 1), token + "x", "2.handoff."} {
		if _, err := h.Notify.StopMail(ctx, forged, false); !errors.Is(err, relay.ErrNotYours) {
			t.Errorf("%q stopped something: %v", forged, err)
		}
	}
	if _, err := h.Notify.StopMail(ctx, token, true); err != nil {
		t.Fatal(err)
	}
	h.make("12-16")
	h.must(h.Notify.DeliverMail(ctx))
	if n := len(h.letters("p2@house")); n != 2 {
		t.Errorf("asking what would be stopped stopped it: %d", n)
	}
	_, err := h.Notify.StopMail(ctx, token, false)
	h.must(err)
	h.make("12-14")
	h.must(h.Notify.DeliverMail(ctx))
	if n := len(h.letters("p2@house")); n != 2 {
		t.Errorf("%d mails after they were stopped", n)
	}
}
