package post

import (
	"bytes"
	"context"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/mail"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-smtp"

	"greenbaton/newsroom"
)

// box is a mail server that keeps what it is sent (github.com/emersion/go-smtp).
type box struct{ got chan letter }

type letter struct {
	from string
	to   []string
	data []byte
}

type talk struct {
	box *box
	letter
}

func (b *box) NewSession(*smtp.Conn) (smtp.Session, error)  { return &talk{box: b}, nil }
func (s *talk) Mail(from string, _ *smtp.MailOptions) error { s.from = from; return nil }
func (s *talk) Rcpt(to string, _ *smtp.RcptOptions) error   { s.to = append(s.to, to); return nil }
func (s *talk) Reset()                                      { s.letter = letter{} }
func (s *talk) Logout() error                               { return nil }
func (s *talk) Data(r io.Reader) (err error) {
	if s.data, err = io.ReadAll(r); err == nil {
		s.box.got <- s.letter
	}
	return err
}

func newBox(t *testing.T) (*box, int) {
	t.Helper()
	b := &box{make(chan letter, 9)}
	srv := smtp.NewServer(b)
	srv.Domain, srv.ReadTimeout = "box.example", time.Minute
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		if err := srv.Serve(ln); err != nil && !errors.Is(err, smtp.ErrServerClosed) {
			t.Log(err)
		}
	}()
	t.Cleanup(func() { srv.Close() })
	return b, ln.Addr().(*net.TCPAddr).Port
}

// parts reads a mail with the parsers of the standard library: its header, and its parts
// by their kind.
func parts(t *testing.T, data []byte) (mail.Header, map[string]string) {
	t.Helper()
	m, err := mail.ReadMessage(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	kind, params, err := mime.ParseMediaType(m.Header.Get("Content-Type"))
	if err != nil || kind != "multipart/alternative" {
		t.Fatalf("it is %s, %v", kind, err)
	}
	out := map[string]string{}
	for r := multipart.NewReader(m.Body, params["boundary"]); ; {
		p, err := r.NextRawPart()
		if err == io.EOF {
			return m.Header, out
		} else if err != nil {
			t.Fatal(err)
		}
		kind, _, err := mime.ParseMediaType(p.Header.Get("Content-Type"))
		if err != nil {
			t.Fatal(err)
		}
		var body io.Reader = p
		if p.Header.Get("Content-Transfer-Encoding") == "quoted-printable" {
			body = quotedprintable.NewReader(p)
		}
		b, err := io.ReadAll(body)
		if err != nil {
			t.Fatal(err)
		}
		out[kind] = string(b)
	}
}

func TestMailGoesThroughAServerAndIsReadBack(t *testing.T) {
	b, port := newBox(t)
	m, err := NewSMTP("127.0.0.1", port, "Green Baton <desk@house.example>", "", "")
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
		got := <-b.got
		h, body := parts(t, got.data)
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
		if to, err := h.AddressList("To"); err != nil || len(to) != 1 || to[0].Address != "adaeze@house.example" || to[0].Name != "Adaeze Brandt" || got.to[0] != "adaeze@house.example" || got.from != "desk@house.example" {
			t.Errorf("from %s to %v, %v", got.from, got.to, err)
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
	b, port := newBox(t)
	m, err := NewSMTP("127.0.0.1", port, "desk@house.example", "", "")
	if err != nil {
		t.Fatal(err)
	}
	evil := "Hello\r\nBcc: thief@evil.example\r\n\r\nbody"
	err = m.Send(context.Background(), newsroom.Mail{Key: evil, To: (&mail.Address{Name: evil, Address: "a@house.example"}).String(), Subject: evil, Text: evil, HTML: "<p>x</p>", Thread: evil, Stop: "http://house.example/" + evil})
	if err != nil {
		return // refusing it is as good
	}
	got := <-b.got
	h, _ := parts(t, got.data)
	if len(got.to) != 1 || h.Get("Bcc") != "" {
		t.Errorf("it went to %v, with Bcc %q", got.to, h.Get("Bcc"))
	}
}
