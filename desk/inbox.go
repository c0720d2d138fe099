package desk

import (
	"context"
	"errors"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// Inbox gives the newest lines of somebody's own inbox below an id (0: the newest of all).
func (h *House) Inbox(ctx context.Context, who, below int64, limit int) ([]store.ItemWithTitle, error) {
	return store.Inbox(ctx, h.DB.View(), who, below, limit)
}

// Unread counts what is unread in somebody's own inbox.
func (h *House) Unread(ctx context.Context, who int64) (int, error) {
	return store.Unread(ctx, h.DB.View(), who)
}

// OpenItem marks a line of one's own inbox read and gives it.
func (h *House) OpenItem(ctx context.Context, who, item int64) (store.Item, error) {
	var i store.Item
	err := h.act(ctx, who, func(a *act) (err error) {
		i, err = a.tx.ReadItem(a, who, item, a.now)
		return err
	})
	if errors.Is(err, store.ErrNone) {
		err = ErrNotFound
	}
	return i, err
}

// ReadAll marks one's own inbox read.
func (h *House) ReadAll(ctx context.Context, who int64) error {
	return h.act(ctx, who, func(a *act) error { return a.tx.ReadAll(a, who, a.now) })
}

// ReadAbout marks what one's own inbox holds about a piece read, when it is opened.
func (h *House) ReadAbout(ctx context.Context, who, piece int64) error {
	unread, err := store.UnreadOfPiece(ctx, h.DB.View(), who, piece)
	if err != nil || !unread {
		return err
	}
	return h.act(ctx, who, func(a *act) error { return a.tx.ReadPiece(a, who, piece, a.now) })
}

// mustLead refuses what is for leads only.
func (h *House) mustLead(ctx context.Context, who int64) error {
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	if b.Person(who).Access != relay.Lead {
		return &relay.Refusal{Reason: relay.ErrNotYours, Text: "The post room is for leads."}
	}
	return nil
}

// PostRoom gives the newest mails below an id (0: the newest of all), for
// leads of the desks whose pieces they are about.
func (h *House) PostRoom(ctx context.Context, who int64, to string, below int64, limit int) ([]store.Message, error) {
	if err := h.mustLead(ctx, who); err != nil {
		return nil, err
	}
	return store.Mails(ctx, h.DB.View(), who, to, below, limit)
}

// PostRoomMail gives one mail, for leads.
func (h *House) PostRoomMail(ctx context.Context, who, id int64) (store.Message, error) {
	if err := h.mustLead(ctx, who); err != nil {
		return store.Message{}, err
	}
	m, err := store.Mail(ctx, h.DB.View(), who, id)
	if errors.Is(err, store.ErrNone) {
		return m, ErrNotFound
	} else if err != nil {
		return m, err
	}
	m.Body = strings.ReplaceAll(m.Body, linkPlace, "(a private link, known only to whoever got the mail)")
	// The stand-in keeps what it was handed, links and all, as the box of the receiver would.
	kept, err := store.RoomMailOf(ctx, h.DB.View(), m.Key)
	if errors.Is(err, store.ErrNone) {
		return m, nil
	}
	m.Body = kept.Text
	return m, err
}
