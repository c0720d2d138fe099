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

// How many wrong passwords are allowed within a quarter of an hour.
const (
	guessesPerMail = 5
	guessesPerHost = 30
	guessSpan      = 15 * 60
)

var errGuess = &relay.Refusal{Reason: relay.ErrNotYours, Field: "mail", Text: "This mail address and password do not belong together. Check both and try again."}

// SignIn gives the person to whom a mail address and password belong. After
// several wrong ones it refuses for a quarter of an hour, by mail address and
// by the host that asks. Each try is noted before the password is looked at, so
// that many at once are counted too.
func (h *House) SignIn(ctx context.Context, mail, password, host string) (store.Person, error) {
	mail = strings.ToLower(strings.TrimSpace(mail))
	now := day.MomentOf(time.Now()) // by this machine's clock: the demo's must not help to guess
	err := h.DB.Write(ctx, func(tx *store.Tx) error {
		byMail, byHost, err := tx.Guesses(ctx, mail, host, now-guessSpan)
		if err != nil {
			return err
		}
		if byMail >= guessesPerMail || byHost >= guessesPerHost {
			return &relay.Refusal{Reason: relay.ErrNotNow, Field: "mail", Text: "Too many wrong passwords. Wait a quarter of an hour, then try again."}
		}
		return tx.AddGuess(ctx, mail, host, now, now-guessSpan)
	})
	if err != nil {
		return store.Person{}, err
	}
	b, err := h.Books(ctx)
	if err != nil {
		return store.Person{}, err
	}
	var found store.Person
	for _, p := range b.People {
		if strings.EqualFold(p.Mail, mail) && !p.Retired && !p.Guest {
			found = p
		}
	}
	if !samePassword(found.Password, password) { // takes its time, so no transaction is open meanwhile
		return store.Person{}, errGuess
	}
	return found, h.DB.Write(ctx, func(tx *store.Tx) error { return tx.ForgetGuesses(ctx, mail) })
}

// SignOutEverywhere ends all sessions of a person.
func (h *House) SignOutEverywhere(ctx context.Context, who int64) error {
	return h.act(ctx, who, func(a *act) error {
		a.setUp = true
		return a.tx.EndSessions(a, who)
	})
}
