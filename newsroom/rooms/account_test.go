package rooms_test

import (
	"encoding/base32"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
	"github.com/pquerna/otp/totp"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/setup"
	"greenbaton/post"
	"greenbaton/store"
)

// password gives somebody of the test house a password.
func (x *testHouse) password(who ref.Person, password string) {
	x.t.Helper()
	hash, err := account.HashPassword(password)
	x.must(err)
	x.must(x.DB.Write(ctx, func(tx *store.Tx) error { return tx.PutPassword(ctx, who, hash) }))
	x.Forget()
}

var home = account.From{Host: "home"}

// The vectors of RFC 4226, appendix D, and RFC 6238, appendix B, for SHA-1 (secret
// "12345678901234567890"), against the package that makes and checks our codes.
func TestCodesAgreeWithRFC4226AndRFC6238(t *testing.T) {
	secret := base32.StdEncoding.EncodeToString([]byte("12345678901234567890"))
	for i, want := range []string{"755224", "287082", "359152", "969429", "338314", "254676", "287922", "162583", "399871", "520489"} {
		if got, err := hotp.GenerateCode(secret, uint64(i)); err != nil || got != want {
			t.Errorf("count %d: %s, want %s, %v", i, got, want, err)
		}
	}
	for at, want := range map[int64]string{59: "94287082", 1111111109: "07081804", 1111111111: "14050471", 1234567890: "89005924", 2000000000: "69279037", 20000000000: "65353130"} {
		got, err := totp.GenerateCodeCustom(secret, time.Unix(at, 0), totp.ValidateOpts{Period: 30, Digits: otp.DigitsEight, Algorithm: otp.AlgorithmSHA1})
		if err != nil || got != want {
			t.Errorf("at %d: %s, want %s, %v", at, got, want, err)
		}
	}
}

func TestACodeCountsOnce(t *testing.T) {
	h := newHouse(t)
	h.password(lead, "right and long")
	secret, address, err := h.Account.NewCodes(ctx, lead)
	h.must(err)
	if !strings.HasPrefix(address, "otpauth://totp/Green%20Baton:p1@house.example?") || !strings.Contains(address, "secret="+secret) {
		t.Errorf("address %s", address)
	}
	code := func() string {
		c, err := totp.GenerateCode(secret, time.Now())
		h.must(err)
		return c
	}
	if err := h.Account.SwitchCodes(ctx, lead, secret, "000000", "", home); err == nil && code() != "000000" {
		t.Error("switched on with a wrong code")
	}
	h.must(h.Account.SwitchCodes(ctx, lead, secret, code(), "", home))
	from := account.From{Host: "a"}
	first := code()
	h.must(h.Account.SignInCode(ctx, lead, first[:3]+" "+first[3:], from))
	if err := h.Account.SignInCode(ctx, lead, first, from); err == nil {
		t.Error("a code counted twice")
	}
	if err := h.Account.SwitchCodes(ctx, lead, "", "", "wrong", home); err == nil {
		t.Error("switched off without the password")
	}
	h.must(h.Account.SwitchCodes(ctx, lead, "", "", "right and long", home))
	if h.books().Person(lead).Otp != "" {
		t.Error("still on")
	}
}

// A thousand wrong passwords, from one host and from a thousand, leave others able to sign
// in, and the one whose address it is where they have signed in before.
func TestGuessingLocksNobodyElseOut(t *testing.T) {
	h := newHouse(t)
	h.password(lead, "right and long")
	h.password(editor, "other and long")
	_, device, err := h.Account.Enter(ctx, lead, account.From{Host: "home"})
	h.must(err)
	refused := 0
	for i := range 250 {
		_, err := h.Account.SignIn(ctx, "p1@house.example", "guess", account.From{Host: "evil"})
		if errors.Is(err, relay.ErrNotNow) {
			refused++
		}
		_, err = h.Account.SignIn(ctx, fmt.Sprintf("p%d@house.example", 1+i%7), "guess", account.From{Host: "evil"})
		if err == nil {
			t.Fatal("a guess was right")
		}
	}
	if refused < 240 {
		t.Errorf("only %d of 250 were refused", refused)
	}
	for name, x := range map[string]struct {
		mail, password string
		from           account.From
	}{
		"herself, from elsewhere":             {"p1@house.example", "right and long", account.From{Host: "home"}},
		"somebody else, from elsewhere":       {"p2@house.example", "other and long", account.From{Host: "office"}},
		"herself, there, on a device of hers": {"p1@house.example", "right and long", account.From{Host: "evil", Device: device}},
	} {
		if _, err := h.Account.SignIn(ctx, x.mail, x.password, x.from); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := h.Account.SignIn(ctx, "p2@house.example", "other and long", account.From{Host: "evil", Device: device}); err == nil {
		t.Error("a device of somebody else lets in")
	}
	for i := range 150 { // from very many hosts
		_, _ = h.Account.SignIn(ctx, "p1@house.example", "guess", account.From{Host: fmt.Sprint("bot", i)})
	}
	if _, err := h.Account.SignIn(ctx, "p1@house.example", "right and long", account.From{Host: "new"}); !errors.Is(err, relay.ErrNotNow) {
		t.Errorf("guessing from very many hosts goes on: %v", err)
	}
	if _, err := h.Account.SignIn(ctx, "p1@house.example", "right and long", account.From{Host: "home", Device: device}); err != nil {
		t.Errorf("she is locked out of her own device: %v", err)
	}
}

// Whoever finds an open page cannot guess the password on it, nor keep the machine busy:
// after a few wrong ones nothing is looked at any more, and its owner still signs in.
func TestAnOpenPageIsNoPlaceToGuess(t *testing.T) {
	for name, guess := range map[string]func(h *testHouse, password string) error{
		"another password": func(h *testHouse, was string) error {
			return h.Account.ChangePassword(ctx, lead, 0, was, "seven herons by the sluice", home)
		},
		"codes off": func(h *testHouse, was string) error { return h.Account.SwitchCodes(ctx, lead, "", "", was, home) },
	} {
		h := newHouse(t)
		h.password(lead, "right and long")
		var wrong, waits int
		var last error
		begin := time.Now()
		for range 60 {
			switch last = guess(h, "a wrong one"); {
			case errors.Is(last, relay.ErrInput):
				wrong++
			case errors.Is(last, relay.ErrNotNow):
				waits++
			}
		}
		if wrong != 5 || waits != 55 || !strings.Contains(last.Error(), "Wait a quarter of an hour") {
			t.Errorf("%s: %d were looked at, %d refused, at last: %v", name, wrong, waits, last)
		}
		t.Logf("%s: sixty tries in %v", name, time.Since(begin))
		if err := guess(h, "right and long"); !errors.Is(err, relay.ErrNotNow) {
			t.Errorf("%s: the right one after too many wrong ones: %v", name, err)
		}
		if _, err := h.Account.SignIn(ctx, "p1@house.example", "right and long", home); err != nil {
			t.Errorf("%s: she is locked out: %v", name, err)
		}
	}
	h := newHouse(t)
	secret, _, err := h.Account.NewCodes(ctx, lead)
	h.must(err)
	for i := range 9 {
		if err := h.Account.SwitchCodes(ctx, lead, secret, "no code", "", home); errors.Is(err, relay.ErrNotNow) != (i >= 5) {
			t.Errorf("wrong code %d: %v", i+1, err)
		}
	}
}

func TestPasswordsThatEverybodyTriesAreRefused(t *testing.T) {
	h := newHouse(t)
	h.password(lead, "right and long")
	h.must(h.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := tx.Exec(ctx, "UPDATE desk SET name = 'Millrace' WHERE id = 1")
		return err
	}))
	h.Forget()
	for password, says := range map[string]string{
		"short": "at least 10 characters", "1234567890": "first that anybody tries", "password12": "first that anybody tries", "qwertyuiop12": "first that anybody tries",
		"P@ssw0rd123": "first that anybody tries", "aaaaaaaaaaaa": "first that anybody tries", "greenbaton": "is mostly a name", "GreenBaton26": "is mostly a name", "millrace2026": "is mostly a name",
		"house.example": "is mostly a name", strings.Repeat("long ", 100): "under 400 characters",
	} {
		if err := h.Account.ChangePassword(ctx, lead, 0, "right and long", password, home); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), says) {
			t.Errorf("%.20q: %v", password, err)
		}
		f := setup.FirstHouse{Name: "Lea Lead", Mail: "lea@house.example", Password: password, Desk: "Millrace", Zone: "UTC", Weekdays: [7]bool{1: true}, Channel: "Web", Format: "Report"}
		if _, err := h.Settings.SetUp(ctx, f); !refused(err, relay.ErrInput) || !strings.Contains(err.Error(), says) {
			t.Errorf("setting up with %.20q: %v", password, err)
		}
	}
	h.must(h.Account.ChangePassword(ctx, lead, 0, "right and long", "The tide mill turns", home))
}

var passwordLink = regexp.MustCompile(`http://house\.example/password/(\S+)`)

func TestAPasswordIsChosenByMail(t *testing.T) {
	h := newHouse(t)
	h.Mail = post.Room{DB: h.DB}
	h.password(editor, "old and long enough")
	visit, _, err := h.Account.Enter(ctx, editor, account.From{Host: "home"})
	h.must(err)
	h.must(h.Account.AskPassword(ctx, " P2@house.example ", account.From{Host: "a"}))
	h.must(h.Account.AskPassword(ctx, "nobody@house.example", account.From{Host: "a"}))
	h.must(h.Notify.DeliverMail(ctx))
	m := passwordLink.FindStringSubmatch(strings.Join(h.letters("p2@house"), "\n"))
	if m == nil || len(h.letters("nobody")) != 0 {
		t.Fatalf("letters: %v", h.letters(""))
	}
	for _, bad := range []string{"short", "P2@house.example", strings.Repeat("x", 500)} {
		if err := h.Account.ChoosePassword(ctx, m[1], bad); !errors.Is(err, relay.ErrInput) {
			t.Errorf("%.20q: %v", bad, err)
		}
	}
	h.must(h.Account.ChoosePassword(ctx, m[1], "quite another one"))
	if err := h.Account.ChoosePassword(ctx, m[1], "and yet another one"); !errors.Is(err, relay.ErrNotYours) {
		t.Errorf("a link was used twice: %v", err)
	}
	if goes, err := h.GoesOn(ctx, newsroom.Visitor{Person: editor, Visit: visit}, false); err != nil || goes {
		t.Errorf("another device stays signed in: %v", err)
	}
	if _, err := h.Account.SignIn(ctx, "p2@house.example", "quite another one", account.From{Host: "home"}); err != nil {
		t.Error(err)
	}
	h.must(h.Account.AskPassword(ctx, "p2@house.example", account.From{Host: "a"}))
	h.must(h.Notify.DeliverMail(ctx))
	all := passwordLink.FindAllStringSubmatch(strings.Join(h.letters("p2@house"), "\n"), -1)
	h.now = h.now.Add(3 * time.Hour)
	if _, err := h.Account.PasswordLink(ctx, all[len(all)-1][1]); !errors.Is(err, relay.ErrNotYours) {
		t.Errorf("an old link opens: %v", err)
	}
}

func TestALeadEndsSomebodysAccessAtOnce(t *testing.T) {
	h := newHouse(t)
	h.password(writer, "right and long")
	p := h.make("12-18")
	h.pass(editor, p, "brief")
	for _, who := range []ref.Person{editor, writer, freelance, outside, stranger} {
		if err := h.Account.EndAccess(ctx, who, 1, pictures, true); !errors.Is(err, relay.ErrNotYours) {
			t.Errorf("%d ended somebody’s access: %v", who, err)
		}
	}
	if err := h.Account.EndAccess(ctx, lead, 1, lead, true); err == nil {
		t.Error("a lead ended her own")
	}
	h.must(h.Account.EndAccess(ctx, lead, 1, writer, true))
	if err := h.Planning.PassLeg(ctx, writer, planning.Pass{Piece: p, Leg: "draft"}); !errors.Is(err, relay.ErrNotYours) {
		t.Errorf("they act still: %v", err)
	}
	if _, err := h.Account.SignIn(ctx, "p3@house.example", "right and long", account.From{Host: "a"}); err == nil {
		t.Error("they sign in still")
	}
	left, err := h.Account.LeftWith(ctx, lead, 1, writer)
	h.must(err)
	if len(left) != 1 || left[0].Leg.Key != "draft" {
		t.Errorf("left with them: %v", left)
	}
	h.must(h.Planning.GiveLeg(ctx, lead, p, "draft", freelance, 0))
	h.must(h.Account.EndAccess(ctx, lead, 1, writer, false))
	if _, err := h.Account.SignIn(ctx, "p3@house.example", "right and long", account.From{Host: "a"}); err != nil {
		t.Errorf("they were given it back: %v", err)
	}
}
