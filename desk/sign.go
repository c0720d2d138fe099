package desk

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
	"time"

	"golang.org/x/crypto/argon2"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// The cost of a password: argon2id with 19 MiB and two passes, one of the
// settings commonly recommended for sign-in pages (from memory, no source at hand).
const (
	hashMemory = 19 * 1024 // KiB
	hashPasses = 2
	hashBytes  = 32
)

// LeastPassword is the fewest characters of a password.
const LeastPassword = 10

// HashPassword makes what is stored of a password: "salt$hash" in base64.
func HashPassword(password string) (string, error) {
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return "", fmt.Errorf("make salt: %w", err)
	}
	enc := base64.RawStdEncoding
	return enc.EncodeToString(salt) + "$" + enc.EncodeToString(hash(password, salt)), nil
}

func hash(password string, salt []byte) []byte {
	return argon2.IDKey([]byte(password), salt, hashPasses, hashMemory, 1, hashBytes)
}

func samePassword(stored, password string) bool {
	enc := base64.RawStdEncoding
	s, h, _ := strings.Cut(stored, "$")
	salt, err1 := enc.DecodeString(s)
	want, err2 := enc.DecodeString(h)
	got := hash(password, salt) // also for an unknown address, so that both take as long
	return err1 == nil && err2 == nil && len(want) == hashBytes && subtle.ConstantTimeCompare(got, want) == 1
}

// How many tries to sign in there may be within a quarter of an hour. Whoever guesses is
// stopped where they are: with an address from one host, and from one host in all. Only
// when an address is tried from very many hosts is it closed, and then not on devices on
// which its owner has signed in before; so nobody is locked out by somebody else.
const (
	guessesPerPair   = 5
	guessesPerHost   = 30
	guessesPerMail   = 100
	guessesPerDevice = 10
	guessSpan        = 15 * 60
)

var errGuess = &relay.Refusal{Reason: relay.ErrNotYours, Field: "mail", Text: "This mail address and password do not belong together. Check both and try again."}

// From is where somebody tries to sign in.
type From struct {
	Host   string
	Device string // what the cookie of a device says on which somebody signed in before; empty for none
	Agent  string // the browser
}

// SignIn gives the person to whom a mail address and password belong. Each try is noted
// before the password is looked at, so that many at once are counted too.
func (h *House) SignIn(ctx context.Context, mail, password string, from From) (store.Person, error) {
	mail = strings.ToLower(strings.TrimSpace(mail))
	now := day.MomentOf(time.Now()) // by this machine's clock: the demo's must not help to guess
	b, err := h.Books(ctx)
	if err != nil {
		return store.Person{}, err
	}
	var found store.Person
	for _, p := range b.People {
		if strings.EqualFold(p.Mail, mail) && !p.Retired && !p.Guest && p.BarredAt == 0 {
			found = p
		}
	}
	if err := h.guess(ctx, mail, from, found, now); err != nil {
		return store.Person{}, err
	}
	h.hashing <- struct{}{} // hashing takes memory and time; a few at once are enough
	same := samePassword(found.Password, password)
	<-h.hashing
	if !same {
		return store.Person{}, errGuess
	}
	return found, h.DB.Write(ctx, func(tx *store.Tx) error { return tx.ForgetGuesses(ctx, mail, from.Host) })
}

// guess notes a try to sign in, or refuses it.
func (h *House) guess(ctx context.Context, mail string, from From, found store.Person, now day.Moment) error {
	return h.DB.Write(ctx, func(tx *store.Tx) error {
		device := ""
		if from.Device != "" {
			hash := hashOf(from.Device)
			whose, err := store.DeviceOf(ctx, tx, hash)
			if err != nil {
				return err
			}
			if whose != 0 && whose == found.ID {
				device = hash
			}
		}
		n, err := tx.Guesses(ctx, mail, from.Host, device, now-guessSpan)
		if err != nil {
			return err
		}
		wait := n.Pair >= guessesPerPair || n.Host >= guessesPerHost || n.Mail >= guessesPerMail
		if device != "" {
			wait = n.Device >= guessesPerDevice
		}
		if wait {
			return &relay.Refusal{Reason: relay.ErrNotNow, Field: "mail", Text: "Too many wrong passwords from here. Wait a quarter of an hour, or choose another password by mail."}
		}
		return tx.AddGuess(ctx, mail, from.Host, device, now, now-guessSpan)
	})
}

// SignOutEverywhere ends all sessions of a person.
func (h *House) SignOutEverywhere(ctx context.Context, who int64) error {
	return h.act(ctx, who, func(a *act) error {
		a.setUp = true
		return a.tx.EndSessions(a, who)
	})
}
