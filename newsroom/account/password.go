package account

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/ccojocar/zxcvbn-go"
	"golang.org/x/crypto/argon2"

	"greenbaton/newsroom"
	"greenbaton/store"
)

// The cost of a password: argon2id with 19 MiB and two passes, one of the settings
// commonly recommended for sign-in pages (from memory, no source at hand).
const (
	hashMemory = 19 * 1024 // KiB
	hashPasses = 2
	hashBytes  = 32
)

// hashing holds as many as are hashing at once, whatever for: each takes hashMemory.
var hashing = make(chan struct{}, 2)

func hash(password string, salt []byte) []byte {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2.IDKey([]byte(password), salt, hashPasses, hashMemory, 1, hashBytes)
}

// HashPassword makes what is stored of a password: "salt$hash" in base64.
func HashPassword(password string) (string, error) {
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return "", fmt.Errorf("make salt: %w", err)
	}
	enc := base64.RawStdEncoding
	return enc.EncodeToString(salt) + "$" + enc.EncodeToString(hash(password, salt)), nil
}

func samePassword(stored, password string) bool {
	enc := base64.RawStdEncoding
	s, h, _ := strings.Cut(stored, "$")
	salt, err1 := enc.DecodeString(s)
	want, err2 := enc.DecodeString(h)
	got := hash(password, salt) // also for an unknown address, so that both take as long
	return err1 == nil && err2 == nil && len(want) == hashBytes && subtle.ConstantTimeCompare(got, want) == 1
}

// The limits of a password: how long it is, how hard it has to be to guess (the estimator
// of zxcvbn scores from 0 to 4; below 2 it is found by a few million tries, those first
// that everybody makes), and how much of it the estimator looks at.
const (
	LeastPassword = 10 // characters
	mostPassword  = 400
	leastStrength = 2
	estimated     = 72 // bytes
)

// strength estimates how hard a password is to guess for who knows some words about it.
func strength(password string, words []string) int {
	return zxcvbn.PasswordStrength(strings.ToLower(password[:min(len(password), estimated)]), words).Score
}

// CheckPassword refuses a password that is too short or easily guessed, by who knows the
// name of the program, of its desks, and of the one whose it is, too.
func CheckPassword(password string, names ...string) error {
	switch {
	case len([]rune(password)) < LeastPassword:
		return newsroom.Invalid("password", "A password has at least %d characters. Four words that have nothing to do with each other make a good one.", LeastPassword)
	case len(password) > mostPassword:
		return newsroom.Invalid("password", "Keep the password under %d characters.", mostPassword)
	}
	words := wordsOf(append(names, "Green Baton"))
	if strength(password, words) >= leastStrength {
		return nil
	}
	low := strings.ToLower(password)
	if slices.ContainsFunc(words, func(w string) bool { return len(w) > 3 && strings.Contains(low, w) }) {
		return newsroom.Invalid("password", "This password is mostly a name that others know: yours, the desk’s or the program’s. Choose another: four words that have nothing to do with each other, say.")
	}
	return newsroom.Invalid("password", "This password is among the first that anybody tries. Choose another: four words that have nothing to do with each other, say.")
}

// wordsOf gives the words in names, and each name without what stands between its words.
func wordsOf(names []string) []string {
	var out []string
	for _, n := range names {
		parts := strings.FieldsFunc(strings.ToLower(n), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsNumber(r) })
		out = append(append(out, parts...), strings.Join(parts, ""))
	}
	return out
}

// checkPasswordOf refuses a password for somebody as checkPassword does.
func checkPasswordOf(b *newsroom.Setup, p store.Person, password string) error {
	names := []string{p.Name, p.Mail}
	for _, d := range b.Desks {
		names = append(names, d.Name)
	}
	return CheckPassword(password, names...)
}

// sayPassword reports whether a password is that of somebody who is signed in. Each try is
// counted first, as when somebody signs in: whoever finds an open page must not guess on it.
func (h Room) sayPassword(ctx context.Context, p store.Person, password string, from From) (bool, error) {
	about := "password of " + p.Mail
	if err := h.guess(ctx, about, From{Host: from.Host}, store.Person{}, machineNow()); err != nil {
		return false, err
	}
	if !samePassword(p.Password, password) {
		return false, nil
	}
	return true, h.DB.Write(ctx, func(tx *store.Tx) error { return tx.ForgetGuesses(ctx, about, from.Host) })
}
