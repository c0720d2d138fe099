package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/words"
	"greenbaton/store"
)

// Mail is one mail to one person.
type Mail struct {
	Key     string // the same mail, sent twice, has the same key
	To      string // "Name <address>"
	Subject string
	Text    string
	HTML    string
	Thread  string // mails of one thread are shown together; empty for one of its own
	Stop    string // the address at which mails like it are stopped by one click; empty for none
}

// Mailer delivers mail.
type Mailer interface {
	Send(ctx context.Context, m Mail) error
}

// Post is one message to a chat.
type Post struct {
	Key    string // the same message, sent twice, has the same key
	URL    string
	Secret string // with which it is signed
	Body   string // JSON
	At     time.Time
}

// Poster posts to chats.
type Poster interface {
	Post(ctx context.Context, p Post) error
}

// Page is a piece as it goes out.
type Page struct {
	Channel string // the channel's short name
	Slug    string
	Piece   int64
	Title   string
	Summary string
	Author  string
	Copy    copy.Text
	Lead    int64 // the file of its lead picture, 0 for none
	LeadAlt string
	At      day.Moment
}

// Publisher is a channel's publishing site. Publishing the same page again
// replaces it; withdrawing takes down what a piece has on a channel, under
// whatever title, and does nothing where there is nothing.
type Publisher interface {
	Publish(ctx context.Context, p Page) error
	Withdraw(ctx context.Context, channel string, piece int64, at day.Moment) error
}

// DeliverMail hands the mail that waits in the outbox to the mail server. What
// fails is noted and tried again later, with growing pauses, until it is given up; a
// message may arrive twice after a crash, with the same key, but is never lost.
func (h *House) DeliverMail(ctx context.Context) error {
	h.mailing.Lock()
	defer h.mailing.Unlock()
	return h.deliverAll(ctx, store.KindMail)
}

// DeliverPosts posts what waits for chats, as DeliverMail does mail.
func (h *House) DeliverPosts(ctx context.Context) error {
	h.posting.Lock()
	defer h.posting.Unlock()
	return h.deliverAll(ctx, store.KindHook)
}

// DeliverPages tells the channels what goes out and what is withdrawn, as DeliverMail does mail.
func (h *House) DeliverPages(ctx context.Context) error {
	h.paging.Lock()
	defer h.paging.Unlock()
	return h.deliverAll(ctx, "publish", "withdraw")
}

func (h *House) deliverAll(ctx context.Context, kinds ...string) error {
	for {
		now := h.Now()
		waiting, err := store.WaitingMessages(ctx, h.DB.View(), kinds, now, 100)
		if err != nil || len(waiting) == 0 {
			return err
		}
		if err := h.step("read what waits"); err != nil {
			return err
		}
		failed := map[int64]error{}
		for _, m := range waiting {
			if err := h.deliver(ctx, m); err != nil {
				if errors.Is(err, errStopped) {
					return err
				}
				failed[m.ID] = err
				h.Log.Warn("not delivered", "message", m.ID, "kind", m.Kind, "try", m.Tries+1, "problem", err)
			}
			if err := h.step("delivered"); err != nil {
				return err
			}
		}
		err = h.DB.Write(ctx, func(t *store.Tx) error {
			for _, m := range waiting {
				if err := settleMessage(ctx, t, m, failed[m.ID], now); err != nil {
					return err
				}
				if err := h.step("settled one"); err != nil {
					return err
				}
			}
			return h.step("settled all")
		})
		if err != nil {
			return err
		}
		if err := h.step("stored"); err != nil {
			return err
		}
	}
}

// errStopped is what a step ends with in tests of what a crash leaves.
var errStopped = errors.New("stopped")

// step is called between the statements of the courier; tests stop it there.
func (h *House) step(name string) error {
	if h.Crash != nil && h.Crash(name) {
		return fmt.Errorf("after %q: %w", name, errStopped)
	}
	return nil
}

func settleMessage(ctx context.Context, t *store.Tx, m store.Message, problem error, now day.Moment) error {
	if problem == nil {
		return t.MessageSent(ctx, m.ID, now)
	}
	pause := day.Moment(30) << min(m.Tries, 10)
	return t.MessageFailed(ctx, m.ID, problem.Error(), now+min(pause, 6*3600))
}

func (h *House) deliver(ctx context.Context, m store.Message) error {
	switch m.Kind {
	case store.KindMail:
		mail, err := h.mailOf(ctx, m)
		if err != nil {
			return err
		}
		if err := h.step("made the mail"); err != nil {
			return err
		}
		return h.Mail.Send(ctx, mail)
	case store.KindHook:
		return h.deliverPost(ctx, m)
	}
	row, err := store.Piece(ctx, h.DB.View(), m.PieceID)
	if err != nil {
		return err
	}
	// A later message may have been delivered first; what counts is how the piece stands now.
	switch {
	case m.Kind == "withdraw" && row.Stage != relay.Out:
		return h.Site.Withdraw(ctx, m.To, row.ID, m.At)
	case m.Kind == "publish" && row.Stage == relay.Out:
		page, err := h.page(ctx, row)
		if err != nil {
			return err
		}
		page.At, page.Channel = m.At, m.To
		return h.Site.Publish(ctx, page)
	}
	return nil
}

// mailOf makes a mail as it is handed over: with its private link, its HTML part, its
// thread, and the address at which mails like it are stopped.
func (h *House) mailOf(ctx context.Context, m store.Message) (Mail, error) {
	out := Mail{Key: m.Key, To: m.To, Subject: words.OneLine(m.Subject), Text: m.Body}
	if m.LinkKind != "" { // made only now, so that it is kept nowhere
		address, err := h.mint(ctx, m.LinkKind, m.LinkAbout)
		if err != nil {
			return out, err
		}
		out.Text = strings.ReplaceAll(out.Text, linkPlace, address)
	}
	if m.PieceID != 0 && m.Topic != "digest" {
		out.Thread = fmt.Sprintf("piece-%d", m.PieceID)
	}
	if m.Topic != "" && m.PersonID != 0 {
		var secret string
		err := h.DB.Write(ctx, func(tx *store.Tx) (err error) {
			secret, err = tx.Secret(ctx, "stop", newSecret)
			return err
		})
		if err != nil {
			return out, err
		}
		out.Stop = h.Base + "/stop/" + stopToken(secret, m.PersonID, m.Topic)
		out.Text += "\nNo more mails like this one: " + out.Stop + "\n"
	}
	var err error
	out.HTML, err = mailHTML(out)
	return out, err
}

func (h *House) deliverPost(ctx context.Context, m store.Message) error {
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(b.Hooks, func(k store.Hook) bool { return fmt.Sprint(k.ID) == m.To })
	if i < 0 || !b.Hooks[i].IsOn {
		return nil // nobody listens any more
	}
	if h.Chat == nil {
		return errors.New("no chat can be reached from here")
	}
	return h.Chat.Post(ctx, Post{Key: m.Key, URL: b.Hooks[i].URL, Secret: b.Hooks[i].Secret, Body: m.Body, At: m.At.In(time.UTC)})
}

// page makes the page of a piece from its newest copy.
func (h *House) page(ctx context.Context, row store.Row) (Page, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return Page{}, err
	}
	p := Page{Slug: Slug(row.Title, row.Number), Piece: row.ID, Title: row.Title, Summary: row.Summary, Author: b.Person(row.Owner).Name}
	for _, l := range row.Legs {
		if l.Words && l.Holder != 0 {
			p.Author = b.Person(l.Holder).Name
		}
	}
	_, text, _, err := newest(ctx, h.DB.View(), &row)
	if err != nil {
		return p, err
	}
	own, err := store.PicturesOf(ctx, h.DB.View(), row.ID)
	if err != nil {
		return p, err
	}
	p.Copy = text.Clean().WithPictures(func(file int64) bool { return own[file] })
	all, err := store.Attachments(ctx, h.DB.View(), row.ID)
	for _, x := range all {
		if x.Lead {
			p.Lead, p.LeadAlt = x.FileID, x.Alt
		}
	}
	return p, err
}
