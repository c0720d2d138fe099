package post

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/wneessen/go-mail"

	"greenbaton/desk"
)

// Room is the stand-in for mail: it accepts everything. What it accepted is
// seen on the page of the same name, which reads the outbox.
type Room struct{}

// Send accepts a mail.
func (Room) Send(context.Context, desk.Mail) error { return nil }

// SMTP delivers mail through a mail server.
type SMTP struct {
	client *mail.Client
	from   string
	domain string
}

// NewSMTP prepares delivery through the server at host:port, from an address.
// With a user it signs in; TLS is used where the server offers it, and required
// where a password is sent.
func NewSMTP(host string, port int, from, user, password string) (*SMTP, error) {
	opts := []mail.Option{mail.WithPort(port), mail.WithTimeout(20 * time.Second), mail.WithTLSPolicy(mail.TLSOpportunistic)}
	if user != "" {
		opts = append(opts, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(user), mail.WithPassword(password), mail.WithTLSPolicy(mail.TLSMandatory))
	}
	c, err := mail.NewClient(host, opts...)
	if err != nil {
		return nil, fmt.Errorf("mail server %s: %w", host, err)
	}
	_, domain, _ := strings.Cut(strings.Trim(from, "<> "), "@")
	return &SMTP{c, from, strings.TrimRight(domain, ">")}, nil
}

// Send delivers a mail. Its key becomes the Message-ID, so that one sent twice
// after a crash is recognised as the same.
func (s *SMTP) Send(ctx context.Context, m desk.Mail) error {
	msg := mail.NewMsg()
	if err := msg.From(s.from); err != nil {
		return fmt.Errorf("sender %q: %w", s.from, err)
	}
	if err := msg.To(m.To); err != nil {
		return fmt.Errorf("receiver %q: %w", m.To, err)
	}
	msg.Subject(m.Subject)
	msg.SetMessageIDWithValue(strings.ReplaceAll(m.Key, " ", ".") + "@" + s.domain)
	msg.SetDate()
	msg.SetBodyString(mail.TypeTextPlain, m.Text)
	return s.client.DialAndSendWithContext(ctx, msg)
}
