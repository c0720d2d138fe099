package posttest

import (
	"bytes"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/mail"
	"testing"
	"time"

	"github.com/emersion/go-smtp"
)

// Box is a mail server that keeps what it is sent (github.com/emersion/go-smtp).
type Box struct {
	Port int
	Got  chan Letter
}

// Letter is what it was sent.
type Letter struct {
	From string
	To   []string
	Raw  []byte
}

type talk struct {
	box *Box
	Letter
}

// NewSession begins to talk to who sends mail.
func (b *Box) NewSession(*smtp.Conn) (smtp.Session, error)  { return &talk{box: b}, nil }
func (s *talk) Mail(from string, _ *smtp.MailOptions) error { s.From = from; return nil }
func (s *talk) Rcpt(to string, _ *smtp.RcptOptions) error   { s.To = append(s.To, to); return nil }
func (s *talk) Reset()                                      { s.Letter = Letter{} }
func (s *talk) Logout() error                               { return nil }
func (s *talk) Data(r io.Reader) (err error) {
	if s.Raw, err = io.ReadAll(r); err == nil {
		s.box.Got <- s.Letter
	}
	return err
}

// NewBox starts a mail server.
func NewBox(t testing.TB) *Box {
	t.Helper()
	b := &Box{Got: make(chan Letter, 99)}
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
	b.Port = ln.Addr().(*net.TCPAddr).Port
	return b
}

// Parts reads a mail with the parsers of the standard library: its header, and its parts
// by their kind.
func Parts(t testing.TB, data []byte) (mail.Header, map[string]string) {
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
