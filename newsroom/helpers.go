package newsroom

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"net/mail"
	"strings"
	"unicode"

	"greenbaton/core/relay"
	"greenbaton/store"
)

// FirstOf gives the first of a list, the zero value of an empty one.
func FirstOf[T any](all []T) (v T) {
	if len(all) > 0 {
		v = all[0]
	}
	return v
}

// IdsOf gives the ids of a list, in its order.
func IdsOf[T any, K ~int64](xs []T, id func(T) K) []K {
	out := make([]K, len(xs))
	for i, x := range xs {
		out[i] = id(x)
	}
	return out
}

// Count gives 1 for what is so, otherwise 0.
func Count(b bool) int {
	if b {
		return 1
	}
	return 0
}

// HashOf is the hash under which a token is kept.
func HashOf(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// TokenOf gives the token of something that is worked out anew instead of stored, by the secret
// of the house.
func TokenOf[T ~int64](secret string, id T) string {
	n := binary.AppendUvarint(nil, uint64(id))
	m := hmac.New(sha256.New, []byte(secret))
	m.Write(n)
	return base64.RawURLEncoding.EncodeToString(append(n, m.Sum(nil)[:18]...))
}

// Address writes somebody as a mail is addressed.
func Address(p store.Person) string { return (&mail.Address{Name: p.Name, Address: p.Mail}).String() }

// NewSecret makes a secret of the house.
func NewSecret() string { return rand.Text() }

// SameText compares two secrets without telling by the time it takes where they differ.
func SameText(x, y string) bool { return subtle.ConstantTimeCompare([]byte(x), []byte(y)) == 1 }

// Initials gives the first letters of the first and last name.
func Initials(name string) string {
	var out []rune
	words := strings.Fields(name)
	for i, w := range words {
		if i == 0 || i == len(words)-1 {
			out = append(out, unicode.ToUpper([]rune(w)[0]))
		}
	}
	return string(out)
}

// Slug makes the last part of a page's address from a title.
func Slug(title string, number int) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		if b.Len() >= 60 {
			break
		}
	}
	return fmt.Sprintf("%d-%s", number, strings.Trim(b.String(), "-"))
}

// SlugOf gives the address of a piece on its channel: the one that was chosen, or one made of
// its number and title.
func SlugOf(p *relay.Piece) string {
	if p.Slug != "" {
		return p.Slug
	}
	return Slug(p.Title, p.Number)
}

// AddressOf gives where a piece is, or will be, below a base where it is on the shipped site;
// none where that is not known before it is there.
func AddressOf(b *Setup, base string, p *relay.Piece) string {
	at, o := p.Address, b.Outlets[p.ChannelID]
	switch {
	case at != "" && p.Stage == relay.Out:
	case o.Here():
		at = "/site/" + b.Channel(p.ChannelID).Slug + "/" + SlugOf(p)
	default:
		at = o.Page(SlugOf(p), p.Number, max(p.OutAt, p.GoesOut).In(b.Zones[p.DeskID]))
	}
	if strings.HasPrefix(at, "/") {
		return strings.TrimRight(base, "/") + at
	}
	return at
}
