package post

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/wneessen/go-mail"

	"greenbaton/newsroom"
	"greenbaton/store"
)

// Room is the stand-in for mail: it accepts everything, and keeps it as the boxes of
// those it is for would. That is seen on the page of the same name.
type Room struct {
	DB *store.DB // nil keeps nothing
}

// Send accepts a mail; the same one, sent twice, is kept once.
func (r Room) Send(ctx context.Context, m newsroom.Mail) error {
	if r.DB == nil {
		return nil
	}
	return r.DB.Write(ctx, func(tx *store.Tx) error {
		return tx.KeepRoomMail(ctx, store.RoomMail{Key: m.Key, To: m.To, Subject: m.Subject, Text: m.Text, HTML: m.HTML})
	})
}

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
func (s *SMTP) Send(ctx context.Context, m newsroom.Mail) error {
	msg := mail.NewMsg()
	if err := msg.From(s.from); err != nil {
		return fmt.Errorf("sender %q: %w", s.from, err)
	}
	if m.Sender != "" {
		if err := msg.FromFormat(m.Sender, msg.GetFrom()[0].Address); err != nil {
			return fmt.Errorf("sender %q: %w", m.Sender, err)
		}
	}
	if err := msg.To(m.To); err != nil {
		return fmt.Errorf("receiver %q: %w", m.To, err)
	}
	msg.Subject(m.Subject)
	msg.SetMessageIDWithValue(strings.ReplaceAll(m.Key, " ", ".") + "@" + s.domain)
	msg.SetDate()
	msg.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834: who is away need not tell us so
	msg.SetBodyString(mail.TypeTextPlain, m.Text)
	msg.AddAlternativeString(mail.TypeTextHTML, m.HTML)
	if m.Thread != "" { // all mails of a thread answer the same one, which need not exist
		root := "<" + m.Thread + "@" + s.domain + ">"
		msg.SetGenHeader(mail.HeaderInReplyTo, root)
		msg.SetGenHeader(mail.HeaderReferences, root)
	}
	if m.Stop != "" { // RFC 2369 and RFC 8058
		msg.SetGenHeader(mail.HeaderListUnsubscribe, "<"+m.Stop+">")
		msg.SetGenHeader(mail.HeaderListUnsubscribePost, "List-Unsubscribe=One-Click")
	}
	return s.client.DialAndSendWithContext(ctx, msg)
}
