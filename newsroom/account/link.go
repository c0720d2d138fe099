package account

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// linkDays is for how many days a private link opens that ends on no date.
const linkDays = 60

// Mint makes a private link and gives its address. Its token is in the address alone.
func (h Room) Mint(ctx context.Context, kind string, about int64) (string, error) {
	token := rand.Text()
	now := h.Now()
	l := store.Link{Hash: newsroom.HashOf(token), Kind: kind, About: about, MadeAt: now, Ends: now + linkDays*86400}
	path := map[string]string{store.LinkReview: "/review/", store.LinkPartner: "/partner/", store.LinkPassword: "/password/"}[kind]
	if kind == store.LinkPassword {
		l.Ends = now + passwordLinkFor
	}
	return h.Base + path + token, h.DB.Write(ctx, func(tx *store.Tx) error { return tx.AddLink(ctx, l) })
}

// passwordLinkFor is for how long, in seconds, a link to choose another password opens.
const passwordLinkFor = 2 * 3600

// DeadLink is said of a private link that was never made, or not as it is.
var DeadLink = &relay.Refusal{Reason: relay.ErrNotYours, Field: "link", Text: "This link does not open anything. Perhaps a part of it was lost on the way: open it again from the mail it came with, or ask whoever sent it to you for another one."}

// linkEnded says of a private link what has happened, and whom to ask.
func linkEnded(why string, ask store.Person, desk string) error {
	whom := "whoever sent it to you"
	switch {
	case ask.ID != 0 && !ask.Retired:
		whom = fmt.Sprintf("%s, %s", ask.Name, ask.Mail)
	case desk != "":
		whom = desk
	}
	return &relay.Refusal{Reason: relay.ErrNotYours, Field: "link", Text: why + " If you think that it should open something, ask " + whom + "."}
}

// Link gives what a token opens, of a kind; a link that did once says what happened since.
func (h Room) Link(ctx context.Context, r store.Reader, kind, token string) (store.Link, error) {
	if len(token) > 64 {
		return store.Link{}, DeadLink
	}
	l, err := store.LinkAt(ctx, r, newsroom.HashOf(token))
	if errors.Is(err, store.ErrNone) || err == nil && l.Kind != kind {
		return l, DeadLink
	}
	if err != nil || l.RevokedAt == 0 && l.Ends > h.Now() {
		return l, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return l, err
	}
	return l, h.SayEnded(ctx, r, b, l)
}

// SayEnded says why a link no longer opens, and whom to ask.
func (h Room) SayEnded(ctx context.Context, r store.Reader, b *newsroom.Setup, l store.Link) error {
	switch l.Kind {
	case store.LinkReview:
		x, err := store.ReviewerAt(ctx, r, ref.Reviewer(l.About))
		if errors.Is(err, store.ErrNone) {
			return DeadLink
		} else if err != nil {
			return err
		}
		row, err := store.Piece(ctx, r, x.PieceID)
		if errors.Is(err, store.ErrNone) {
			return DeadLink // the piece was taken back
		} else if err != nil {
			return err
		}
		name, ask := b.Desk(row.DeskID).Name, b.Person(x.AskedBy)
		switch {
		case x.RevokedAt != 0:
			return linkEnded(fmt.Sprintf("%s no longer asks you about “%s”, so this link has ended.", name, row.Title), ask, name)
		case l.RevokedAt != 0:
			return linkEnded(fmt.Sprintf("Your access at %s was ended, and this link with it.", name), ask, name)
		}
		until := l.Ends
		if x.Ends != 0 {
			until = min(until, x.Ends)
		}
		return linkEnded(fmt.Sprintf("This link to “%s” opened until %s.", row.Title, b.At(until, row.DeskID)), ask, name)
	case store.LinkPartner:
		p := b.Partner(ref.Partner(l.About))
		var lead store.Person
		for _, id := range b.Leads(p.DeskID) {
			lead = b.Person(id)
			break
		}
		name := b.Desk(p.DeskID).Name
		if l.RevokedAt != 0 || p.Retired {
			return linkEnded(fmt.Sprintf("%s ended this link to the page of %s; another one may have been made since.", name, p.Name), lead, name)
		}
		return linkEnded(fmt.Sprintf("This link to the page of %s opened until %s.", p.Name, b.At(l.Ends, p.DeskID)), lead, name)
	}
	return &relay.Refusal{Reason: relay.ErrNotYours, Field: "link", Text: "This link to choose a password has ended: each opens for two hours, and once. Ask for another one where you sign in."}
}

// LinkPlace stands in the words of a mail for a private link, which is made when the mail
// is handed to the mail server and is kept nowhere.
const LinkPlace = "\x01"
