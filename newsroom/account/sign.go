package account

import (
	"context"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

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
func (h Room) SignIn(ctx context.Context, mail, password string, from From) (store.Person, error) {
	mail = strings.ToLower(strings.TrimSpace(mail))
	now := machineNow() // the demo's clock must not help to guess
	b, err := h.Setup(ctx)
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
	if !samePassword(found.Password, password) {
		return store.Person{}, errGuess
	}
	return found, h.DB.Write(ctx, func(tx *store.Tx) error { return tx.ForgetGuesses(ctx, mail, from.Host) })
}

// guess notes a try to sign in, or refuses it.
func (h Room) guess(ctx context.Context, mail string, from From, found store.Person, now day.Moment) error {
	return h.DB.Write(ctx, func(tx *store.Tx) error {
		device := ""
		if from.Device != "" {
			hash := newsroom.HashOf(from.Device)
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

// machineNow is the time by this machine's clock, for what has nothing to do with the
// house's own: visits, guesses and codes.
func machineNow() day.Moment { return day.MomentOf(time.Now()) }

// SignOutEverywhere ends all sessions of a person.
func (h Room) SignOutEverywhere(ctx context.Context, who ref.Person) error {
	return h.Do(ctx, who, func(a *newsroom.Command) error {
		a.SetUp = true
		return a.Tx.EndSessions(a, who)
	})
}
