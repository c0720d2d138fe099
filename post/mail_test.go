package post

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"strings"
	"testing"

	"greenbaton/desk"
)

// receiver is a small SMTP server (RFC 5321) that keeps what it is sent.
type receiver struct {
	port int
	got  chan string
}

func newReceiver(t *testing.T) *receiver {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { ln.Close() })
	r := &receiver{ln.Addr().(*net.TCPAddr).Port, make(chan string, 9)}
	go func() {
		for {
			c, err := ln.Accept()
			if err != nil {
				return
			}
			go r.talk(c)
		}
	}()
	return r
}

func (r *receiver) talk(c net.Conn) {
	defer c.Close()
	say := func(s string) { fmt.Fprintf(c, "%s\r\n", s) }
	say("220 small receiver")
	var envelope, data strings.Builder
	in := false
	for s := bufio.NewScanner(c); s.Scan(); {
		line := s.Text()
		verb := strings.ToUpper(strings.Fields(line + " x")[0])
		switch {
		case in && line == ".":
			in = false
			r.got <- envelope.String() + data.String()
			say("250 kept")
		case in:
			data.WriteString(line + "\n")
		case verb == "DATA":
			in = true
			say("354 go on")
		case verb == "QUIT":
			say("221 bye")
			return
		default:
			envelope.WriteString(line + "\n")
			say("250 ok")
		}
	}
}

func TestMailGoesThroughAServerWithItsKeyAsIdentity(t *testing.T) {
	r := newReceiver(t)
	m, err := NewSMTP("127.0.0.1", r.port, "Green Baton <desk@house.example>", "", "")
	if err != nil {
		t.Fatal(err)
	}
	for range 2 { // the same mail twice has the same identity
		err = m.Send(context.Background(), desk.Mail{Key: "piece 7 version 3 leg begins edit to 2", To: "Adaeze Brandt <adaeze@house.example>", Subject: "The tide mill: Edit is with you", Text: "Open it: http://house.example/pieces/7\n"})
		if err != nil {
			t.Fatal(err)
		}
		got := <-r.got
		for _, want := range []string{"RCPT TO:<adaeze@house.example>", "Subject: The tide mill: Edit is with you", "Message-ID: <piece.7.version.3.leg.begins.edit.to.2@house.example>", "http://house.example/pieces/7", `From: "Green Baton" <desk@house.example>`} {
			if !strings.Contains(got, want) {
				t.Errorf("the mail lacks %q:\n%s", want, got)
			}
		}
	}
	if err := m.Send(context.Background(), desk.Mail{Key: "k", To: "nobody at all", Subject: "s"}); err == nil {
		t.Error("a mail to no address was sent")
	}
}
