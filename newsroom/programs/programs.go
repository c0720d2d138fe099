// Package programs is what other programs ask of the newsroom in the name of somebody: the tokens
// with which they do, what they asked to be done once, and the events that are posted to them.
package programs

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Room is the newsroom, as programs ask it.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// Register lets programs elsewhere hear of what happens, after house rules and all else, and the
// newsroom drop tokens that open nothing, and what was asked to be done once.
func Register(n *newsroom.Newsroom) {
	n.Hooks.Moved = append(n.Hooks.Moved, hear)
	n.Hooks.Ends = append(n.Hooks.Ends, signalAll)
	n.Hooks.Keeps = append(n.Hooks.Keeps,
		newsroom.Keep{Key: "tokens", Name: "Tokens of programs that were ended", Says: "Those in use stay.", Days: 365, Least: 30, Drop: (*store.Tx).DropTokens},
		newsroom.Keep{Key: "once", Name: "What programs asked to be done once", Says: "What was done stays.", Days: 2, Least: 1, Drop: (*store.Tx).DropOnce})
}

// Prefix begins every token, so that one which got about is known for what it is.
const Prefix = "baton_"

// mostTokens is how many tokens somebody has at most, and mostDays for how long one opens.
const (
	mostTokens = 20
	mostDays   = 3650
)

// Tokens gives the tokens of somebody that were not ended, the newest first.
func (h Room) Tokens(ctx context.Context, who ref.Person) ([]store.Token, error) {
	return store.TokensOf(ctx, h.DB.View(), who)
}

// Make makes a token that opens so much for so many days, 0 for as long as it is not ended. It is
// given once and kept nowhere.
func (h Room) Make(ctx context.Context, by ref.Person, name string, s scope.Scope, days int) (string, error) {
	token := Prefix + rand.Text() + rand.Text()[:10]
	return token, h.Do(ctx, by, func(a *newsroom.Command) error {
		name = strings.Join(strings.Fields(name), " ")
		all, err := store.TokensOf(a, a.Tx, by)
		switch {
		case err != nil:
			return err
		case name == "" || len([]rune(name)) > 80:
			return newsroom.Invalid("name", "Say in up to 80 characters which program it is for.")
		case slices.ContainsFunc(all, func(t store.Token) bool { return strings.EqualFold(t.Name, name) }):
			return newsroom.Invalid("name", "You have a token of this name. End it first, or choose another name.")
		case len(s) == 0:
			return newsroom.Invalid("scope", "Choose what the program may read or write.")
		case days < 0 || days > mostDays:
			return newsroom.Invalid("days", "Say for how many days it opens, up to %d.", mostDays)
		case len(all) >= mostTokens:
			return newsroom.Invalid("name", "You have %d tokens. End one that is not used before you make another.", len(all))
		}
		x := store.Token{PersonID: by, Name: name, Scope: s.String(), Hash: newsroom.HashOf(token), MadeAt: a.Now}
		if days > 0 {
			x.Ends = a.Now + day.Moment(days)*86400
		}
		if _, err := a.Tx.AddToken(a, x); err != nil {
			return err
		}
		return logTo(a, by, "made a token for the program "+name+", which "+s.Says())
	})
}

// End ends a token of somebody's own.
func (h Room) End(ctx context.Context, by ref.Person, id ref.Token) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		t, err := store.TokenByID(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) || err == nil && (t.PersonID != by || t.EndedAt != 0) {
			return newsroom.ErrNotFound
		} else if err != nil {
			return err
		}
		a.Ended = true
		if err := a.Tx.EndToken(a, id, a.Now); err != nil {
			return err
		}
		return logTo(a, by, "ended the token of the program "+t.Name)
	})
}

// logTo writes into the logbook of each desk of somebody.
func logTo(a *newsroom.Command, by ref.Person, what string) error {
	for _, d := range a.Setup.DesksOf(by) {
		if err := a.Log(store.Entry{DeskID: d.ID, Act: "program", What: what}); err != nil {
			return err
		}
	}
	return nil
}

// Key is what a token opens.
type Key struct {
	Token  store.Token
	Person store.Person
	Scope  scope.Scope
}

// usedEvery is how often at most it is noted that a token is used, in seconds.
const usedEvery = 60

// Open gives what a token opens, and notes from where it was used; newsroom.ErrToken where it opens
// nothing.
func (h Room) Open(ctx context.Context, token, from string) (Key, error) {
	if len(token) > 80 || !strings.HasPrefix(token, Prefix) {
		return Key{}, newsroom.ErrToken
	}
	t, err := store.TokenAt(ctx, h.DB.View(), newsroom.HashOf(token))
	if errors.Is(err, store.ErrNone) {
		return Key{}, newsroom.ErrToken
	} else if err != nil {
		return Key{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return Key{}, err
	}
	k := Key{Token: t, Person: b.Person(t.PersonID)}
	now := h.Now()
	if !t.Opens(now) || !k.Person.SignsIn() {
		return Key{}, newsroom.ErrToken
	}
	if k.Scope, err = scope.Parse(t.Scope); err != nil {
		return Key{}, err
	}
	if t.UsedAt < now-usedEvery {
		err = h.DB.Write(ctx, func(tx *store.Tx) error { return tx.UseToken(ctx, t.ID, now, from) })
	}
	return k, err
}

// Opens reports whether a token opens still what it did when it was opened; what cannot be looked up now is
// looked up later.
func (h Room) Opens(ctx context.Context, k Key) bool {
	goes, err := h.GoesOn(ctx, newsroom.Visitor{Person: k.Person.ID, Token: k.Token.ID}, false)
	return goes || err != nil && !errors.Is(err, newsroom.ErrToken)
}

// as are what is being done under keys just now.
type as struct {
	mu   sync.Mutex
	keys map[onceKey]bool
}

type onceKey struct {
	token ref.Token
	key   string
}

// ErrMeanwhile is said of a key under which something is being done just now.
var ErrMeanwhile error = &relay.Refusal{Reason: relay.ErrNotNow, Text: "Something is being done under this Idempotency-Key just now. Ask again in a moment."}

// ErrOther is said of a key under which something else was asked.
var ErrOther error = &relay.Refusal{Reason: relay.ErrInput, Field: "Idempotency-Key", Text: "Something else was asked under this Idempotency-Key. Give each thing that is to be done once a key of its own."}

// Once begins what a program asks to be done once. Where it was done already it gives what was
// answered, with a status of 0 where that is not known: the program was stopped between. Done is
// called in the end, whatever happened.
func (h Room) Once(ctx context.Context, x store.AskedOnce) (before *store.AskedOnce, done func(), err error) {
	p := newsroom.PartOf[as](h.Newsroom)
	k := onceKey{x.TokenID, x.Key}
	p.mu.Lock()
	if p.keys[k] {
		p.mu.Unlock()
		return nil, nil, ErrMeanwhile
	}
	if p.keys == nil {
		p.keys = map[onceKey]bool{}
	}
	p.keys[k] = true
	p.mu.Unlock()
	done = func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		delete(p.keys, k)
	}
	was, err := store.OnceAt(ctx, h.DB.View(), x.TokenID, x.Key)
	switch {
	case errors.Is(err, store.ErrNone):
		return nil, done, nil
	case err == nil && was.Asked != x.Asked:
		err = ErrOther
	}
	if err != nil {
		done()
		return nil, nil, err
	}
	return &was, done, nil
}

// Answered keeps what was answered to what was done once.
func (h Room) Answered(ctx context.Context, x store.AskedOnce) error {
	return h.DB.Write(ctx, func(tx *store.Tx) error { return tx.AnswerOnce(ctx, x) })
}
