package post

import (
	"context"
	"mime"
	"net/mail"
	"strings"
	"testing"

	"greenbaton/newsroom"
	"greenbaton/post/posttest"
)

func TestMailGoesThroughAServerAndIsReadBack(t *testing.T) {
	b := posttest.NewBox(t)
	m, err := NewSMTP("127.0.0.1", b.Port, "Green Baton <desk@house.example>", "", "")
	if err != nil {
		t.Fatal(err)
	}
	for range 2 { // the same mail twice has the same identity
		err = m.Send(context.Background(), newsroom.Mail{
			Key: "item 812", To: `"Adaeze Brandt" <adaeze@house.example>`, Subject: "Flour & lungs – Edit is with you", Text: "Edit is with you – from Yusuf.\n\nOpen it: http://house.example/pieces/7\n",
			HTML: "<p>Edit is with you – from Yusuf.</p>", Thread: "piece-7", Stop: "http://house.example/stop/2.handoff.abc",
		})
		if err != nil {
			t.Fatal(err)
		}
		got := <-b.Got
		h, body := posttest.Parts(t, got.Raw)
		subject, err := new(mime.WordDecoder).DecodeHeader(h.Get("Subject"))
		if err != nil || subject != "Flour & lungs – Edit is with you" {
			t.Errorf("subject %q, %v", subject, err)
		}
		for name, want := range map[string]string{"Message-ID": "<item.812@house.example>", "In-Reply-To": "<piece-7@house.example>", "References": "<piece-7@house.example>",
			"List-Unsubscribe": "<http://house.example/stop/2.handoff.abc>", "List-Unsubscribe-Post": "List-Unsubscribe=One-Click", "Auto-Submitted": "auto-generated"} {
			if h.Get(name) != want {
				t.Errorf("%s: %q, want %q", name, h.Get(name), want)
			}
		}
		if to, err := h.AddressList("To"); err != nil || len(to) != 1 || to[0].Address != "adaeze@house.example" || to[0].Name != "Adaeze Brandt" || got.To[0] != "adaeze@house.example" || got.From != "desk@house.example" {
			t.Errorf("from %s to %v, %v", got.From, got.To, err)
		}
		if !strings.Contains(body["text/plain"], "Edit is with you – from Yusuf.") || !strings.Contains(body["text/html"], "<p>Edit is with you – from Yusuf.</p>") {
			t.Errorf("parts: %q", body)
		}
	}
	if err := m.Send(context.Background(), newsroom.Mail{Key: "k", To: "nobody at all", Subject: "s"}); err == nil {
		t.Error("a mail to no address was sent")
	}
}

// Names and subjects that try to bring in headers of their own bring in nothing.
func TestNothingInAMailBecomesAHeader(t *testing.T) {
	b := posttest.NewBox(t)
	m, err := NewSMTP("127.0.0.1", b.Port, "desk@house.example", "", "")
	if err != nil {
		t.Fatal(err)
	}
	evil := "Hello\r\nBcc: thief@evil.example\r\n\r\nbody"
	err = m.Send(context.Background(), newsroom.Mail{Key: evil, To: (&mail.Address{Name: evil, Address: "a@house.example"}).String(), Subject: evil, Text: evil, HTML: "<p>x</p>", Thread: evil, Stop: "http://house.example/" + evil})
	if err != nil {
		return // refusing it is as good
	}
	got := <-b.Got
	h, _ := posttest.Parts(t, got.Raw)
	if len(got.To) != 1 || h.Get("Bcc") != "" {
		t.Errorf("it went to %v, with Bcc %q", got.To, h.Get("Bcc"))
	}
}
