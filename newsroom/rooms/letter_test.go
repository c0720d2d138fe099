package rooms_test

import (
	"context"
	"mime"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/release"
	room "greenbaton/newsroom/release"
	"greenbaton/post"
	"greenbaton/post/posttest"
)

// A letter goes once to each of its readers, through a mail server, with an address at which it is
// stopped by one click; a line of another piece goes with it, or alone where there is no letter.
func TestALetterGoesToItsReadersAndIsStoppedByOneClick(t *testing.T) {
	h, box := newHouse(t), posttest.NewBox(t)
	h.elsewhere()
	var err error
	h.Mail, err = post.NewSMTP("127.0.0.1", box.Port, "Desk <desk@house.example>", "", "")
	h.must(err)
	letters := h.channel("Grain notes", release.Outlet{Kind: release.Letter, From: "Grain notes"})
	n, err := h.Release.AddReaders(ctx, lead, letters, "ana@x.example\nBo <bo@x.example>, ANA@x.example\n\n")
	h.must(err)
	if n != 2 {
		t.Errorf("%d readers came new", n)
	}
	for _, bad := range []string{"no address", "a@x.example\nnot one"} {
		if n, err := h.Release.AddReaders(ctx, lead, letters, bad); err == nil || n != 0 {
			t.Errorf("%q adds %d readers, %v", bad, n, err)
		}
	}
	if n := h.count("SELECT COUNT(*) FROM reader"); n != 2 {
		t.Errorf("%d readers are kept", n)
	}
	if _, err := h.Release.Readers(ctx, writer, letters); err == nil {
		t.Error("a writer sees who reads the letter")
	}

	// A letter of its own, and a piece of the web that is a line in it.
	id := h.ready("12-18")
	line := h.ready("12-16")
	h.must(h.Release.AddPlace(ctx, lead, line, room.Also{Channel: letters, At: at("12-18"), Line: "From the web: five stones"}))
	h.exec("UPDATE piece SET channel_id = ? WHERE id = ?", letters, id)
	h.Forget()
	h.comes("12-18")
	h.deliver()
	h.deliver()
	if d := h.place(line, letters); d.Has == 0 {
		t.Fatalf("the line did not go with the letter: %+v", d)
	}
	h.must(h.Notify.DeliverMail(ctx))
	got := map[string]posttest.Letter{}
	for range 50 {
		select {
		case x := <-box.Got:
			if strings.HasSuffix(x.To[0], "@x.example") {
				if _, twice := got[x.To[0]]; twice {
					t.Errorf("%s has it twice", x.To[0])
				}
				got[x.To[0]] = x
			}
		default:
		}
	}
	if len(got) != 2 {
		t.Fatalf("%d readers have it", len(got))
	}
	stops := map[string]string{}
	for to, x := range got {
		head, body := posttest.Parts(t, x.Raw)
		from, err := head.AddressList("From")
		h.must(err)
		subject, err := new(mime.WordDecoder).DecodeHeader(head.Get("Subject"))
		h.must(err)
		if from[0].Name != "Grain notes" || from[0].Address != "desk@house.example" || subject != "The tide mill" {
			t.Errorf("it comes from %v as %q", from, subject)
		}
		stop := strings.Trim(head.Get("List-Unsubscribe"), "<>")
		if !strings.HasPrefix(stop, "http://house.example/stop/") || head.Get("List-Unsubscribe-Post") != "List-Unsubscribe=One-Click" {
			t.Errorf("it is stopped at %q", stop)
		}
		stops[to] = strings.TrimPrefix(stop, "http://house.example/stop/")
		for kind, text := range body {
			for _, want := range []string{"four words are enough", "From the web: five stones", "http://house.example/site/web/2-the-tide-mill", "http://house.example/site/grain-notes/1-the-tide-mill", stop} {
				if !strings.Contains(text, want) {
					t.Errorf("%s does not say %q:\n%s", kind, want, text)
				}
			}
		}
	}
	if stops["ana@x.example"] == stops["bo@x.example"] {
		t.Error("both stop it at one address")
	}

	// One stops it. A correction is not mailed again, another letter only to the other.
	says, err := h.Notify.StopMail(ctx, stops["ana@x.example"], true)
	h.must(err)
	if !says.Letter || !strings.Contains(says.Says, "Grain notes") || h.count("SELECT COUNT(*) FROM reader WHERE stopped_at <> 0") != 0 {
		t.Errorf("asked, it says %+v", says)
	}
	_, err = h.Notify.StopMail(ctx, stops["ana@x.example"], false)
	h.must(err)
	if _, err := h.Notify.StopMail(ctx, stops["ana@x.example"]+"x", false); err == nil {
		t.Error("a forged address stops a letter")
	}
	n, err = h.Release.AddReaders(ctx, lead, letters, "ana@x.example")
	h.must(err)
	if n != 0 || h.count("SELECT COUNT(*) FROM reader WHERE stopped_at <> 0") != 1 {
		t.Error("who stopped it is added again")
	}
	h.must(h.Release.Correct(ctx, lead, id, 0))
	h.must(h.rewrite(id, "a correction of it\n"))
	h.must(h.Release.BringOut(ctx, lead, id, 0, "One word"))
	h.deliver()
	page, err := h.Review.SitePage(ctx, "grain-notes", "1-the-tide-mill")
	h.must(err)
	if !strings.Contains(page.Body, "a correction of it") {
		t.Errorf("the correction is not on the site: %s", page.Body)
	}
	h.must(h.Release.Correct(ctx, lead, line, 0))
	h.must(h.rewrite(line, "a correction of the line\n"))
	h.must(h.Release.BringOut(ctx, lead, line, 0, ""))
	h.deliver()
	h.must(h.Review.Withdraw(ctx, lead, line, 0, "it was wrong")) // which takes its line away nowhere
	h.deliver()
	if page, err = h.Review.SitePage(ctx, "grain-notes", "1-the-tide-mill"); err != nil || page.Gone {
		t.Errorf("the letter is gone with a line of it: %v", err)
	}
	alone := h.ready("12-21")
	h.must(h.Release.AddPlace(ctx, lead, alone, room.Also{Channel: letters, Line: "Alone"}))
	h.comes("12-21")
	h.deliver()
	h.must(h.Notify.DeliverMail(ctx))
	var to []string
	for range 50 {
		select {
		case x := <-box.Got:
			if strings.HasSuffix(x.To[0], "@x.example") {
				to = append(to, x.To[0])
				if _, body := posttest.Parts(t, x.Raw); !strings.Contains(body["text/plain"], "Alone") || strings.Contains(body["text/plain"], "correction") || strings.Contains(body["text/plain"], "five stones") {
					t.Errorf("it says\n%s", body["text/plain"])
				}
			}
		default:
		}
	}
	if !slices.Equal(to, []string{"bo@x.example"}) {
		t.Errorf("the line alone went to %v", to)
	}
}

// A letter to the address of a list is one mail, without an address of ours to stop it.
func TestALetterGoesToAList(t *testing.T) {
	h := newHouse(t)
	letters := h.channel("Notes", release.Outlet{Kind: release.Letter, To: "notes@lists.example"})
	id := h.ready("12-18")
	h.must(h.Release.AddPlace(ctx, lead, id, room.Also{Channel: letters}))
	h.comes("12-18")
	h.deliver()
	if n := h.count(`SELECT COUNT(*) FROM outbox WHERE "to" = 'notes@lists.example' AND letter_id <> 0 AND reader_id = 0`); n != 1 {
		t.Errorf("%d mails wait for the list", n)
	}
	h.Mail = post.Room{DB: h.DB}
	h.must(h.Notify.DeliverMail(context.Background()))
	if n := h.count("SELECT COUNT(*) FROM room_mail WHERE html LIKE '%The tide mill%' AND html NOT LIKE '%/stop/%' AND \"to\" = 'notes@lists.example'"); n != 1 {
		t.Errorf("%d mails came", n)
	}
}
