package desk

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// hashOf is the hash under which a token is kept.
func hashOf(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// linkDays is for how many days a private link opens that ends on no date.
const linkDays = 60

// mint makes a private link and gives its address. Its token is in the address alone.
func (h *House) mint(ctx context.Context, kind string, about int64) (string, error) {
	token := rand.Text()
	now := h.Now()
	l := store.Link{Hash: hashOf(token), Kind: kind, About: about, MadeAt: now, Ends: now + linkDays*86400}
	path := map[string]string{store.LinkReview: "/review/", store.LinkPartner: "/partner/", store.LinkPassword: "/password/"}[kind]
	if kind == store.LinkPassword {
		l.Ends = now + passwordLinkFor
	}
	return h.Base + path + token, h.DB.Write(ctx, func(tx *store.Tx) error { return tx.AddLink(ctx, l) })
}

// passwordLinkFor is for how long, in seconds, a link to choose another password opens.
const passwordLinkFor = 2 * 3600

// deadLink is said of every private link that opens nothing, whyever.
var deadLink = &relay.Refusal{Reason: relay.ErrNotYours, Text: "This link does not open anything, or no longer. Ask whoever sent it to you for another one."}

// link gives what a token opens, of a kind. What does not open is all the same to who asks.
func (h *House) link(ctx context.Context, r store.Reader, kind, token string) (store.Link, error) {
	if len(token) > 64 {
		return store.Link{}, deadLink
	}
	l, err := store.LinkAt(ctx, r, hashOf(token))
	if errors.Is(err, store.ErrNone) || err == nil && (l.Kind != kind || l.RevokedAt != 0 || l.Ends <= h.Now()) {
		return l, deadLink
	}
	return l, err
}
