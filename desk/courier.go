package desk

import (
	"context"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Mail is one mail to one person.
type Mail struct {
	Key     string // the same mail, sent twice, has the same key
	To      string // "Name <address>"
	Subject string
	Text    string
}

// Mailer delivers mail.
type Mailer interface {
	Send(ctx context.Context, m Mail) error
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
// fails is noted and tried again later, with growing pauses; a message may arrive
// twice after a crash, with the same key, but is never lost.
func (h *House) DeliverMail(ctx context.Context) error {
	h.mailing.Lock()
	defer h.mailing.Unlock()
	return h.deliverAll(ctx, true)
}

// DeliverPages tells the channels what goes out and what is withdrawn, as DeliverMail does mail.
func (h *House) DeliverPages(ctx context.Context) error {
	h.paging.Lock()
	defer h.paging.Unlock()
	return h.deliverAll(ctx, false)
}

func (h *House) deliverAll(ctx context.Context, mail bool) error {
	for {
		now := h.Now()
		waiting, err := store.WaitingMessages(ctx, h.DB.View(), mail, now, 100)
		if err != nil || len(waiting) == 0 {
			return err
		}
		failed := map[int64]error{}
		for _, m := range waiting {
			if err := h.deliver(ctx, m); err != nil {
				failed[m.ID] = err
				h.Log.Warn("not delivered", "message", m.ID, "kind", m.Kind, "try", m.Tries+1, "problem", err)
			}
		}
		err = h.DB.Write(ctx, func(t *store.Tx) error {
			for _, m := range waiting {
				if err := settleMessage(ctx, t, m, failed[m.ID], now); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
}

func settleMessage(ctx context.Context, t *store.Tx, m store.Message, problem error, now day.Moment) error {
	if problem == nil {
		return t.MessageSent(ctx, m.ID, now)
	}
	pause := day.Moment(30) << min(m.Tries, 10)
	return t.MessageFailed(ctx, m.ID, problem.Error(), now+min(pause, 6*3600))
}

func (h *House) deliver(ctx context.Context, m store.Message) error {
	if m.Kind == "mail" {
		if m.LinkKind != "" { // made only now, so that it is kept nowhere
			address, err := h.mint(ctx, m.LinkKind, m.LinkAbout)
			if err != nil {
				return err
			}
			m.Body = strings.ReplaceAll(m.Body, linkPlace, address)
		}
		return h.Mail.Send(ctx, Mail{m.Key, m.To, m.Subject, m.Body})
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
	p.Copy = text.Clean()
	all, err := store.Attachments(ctx, h.DB.View(), row.ID)
	for _, x := range all {
		if x.Lead {
			p.Lead, p.LeadAlt = x.FileID, x.Alt
		}
	}
	return p, err
}
