package desk

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
	"github.com/pquerna/otp/totp"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Enter begins a visit of somebody who has signed in, and makes their device known. It
// gives the visit's id, and what the cookie of the device says from now on.
func (h *House) Enter(ctx context.Context, person int64, from From) (visit int64, device string, err error) {
	now := machineNow()
	err = h.DB.Write(ctx, func(tx *store.Tx) error {
		device = from.Device
		if whose, err := store.DeviceOf(ctx, tx, hashOf(device)); err != nil {
			return err
		} else if device == "" || whose != person {
			device = rand.Text()
		}
		if err := tx.KnowDevice(ctx, hashOf(device), person, now); err != nil {
			return err
		}
		agent := []rune(from.Agent)
		visit, err = tx.AddVisit(ctx, store.Visit{PersonID: person, BeganAt: now, UsedAt: now, Agent: string(agent[:min(len(agent), 200)]), Host: from.Host})
		return err
	})
	return visit, device, err
}

// visitDays is for how many days a visit lasts.
const visitDays = 14

// Visits gives where somebody is signed in, the newest first.
func (h *House) Visits(ctx context.Context, who int64) ([]store.Visit, error) {
	return store.VisitsOf(ctx, h.DB.View(), who, machineNow()-visitDays*86400)
}

// EndVisit signs somebody out on one of their own devices; with 0 on all but the one of
// the visit given.
func (h *House) EndVisit(ctx context.Context, who, visit, but int64) error {
	return h.act(ctx, who, func(a *act) error {
		a.ended = true
		if visit != 0 {
			return a.tx.EndVisit(a, who, visit, machineNow())
		}
		return a.tx.EndVisits(a, who, but, machineNow())
	})
}

// ChangePassword changes somebody's own password, and signs them out everywhere else.
func (h *House) ChangePassword(ctx context.Context, who, visit int64, was, is string, from From) error {
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	p := b.Person(who)
	if err := b.checkPasswordOf(p, is); err != nil {
		return err
	}
	if same, err := h.sayPassword(ctx, p, was, from); err != nil {
		return inField(err, "was")
	} else if !same {
		return bad("was", "This is not your password. If you do not know it any more, sign out and choose another by mail.")
	}
	hash, err := HashPassword(is)
	if err != nil {
		return err
	}
	return h.act(ctx, who, func(a *act) error { return a.putPassword(p, hash, visit) })
}

// inField makes a refusal one about a field of a form.
func inField(err error, field string) error {
	var r *relay.Refusal
	if !errors.As(err, &r) {
		return err
	}
	about := *r
	about.Field = field
	return &about
}

// putPassword stores a password, and ends all visits but one.
func (a *act) putPassword(p store.Person, hash string, but int64) error {
	a.setUp = true
	if err := a.tx.PutPassword(a, p.ID, hash); err != nil {
		return err
	}
	if err := a.tx.EndVisits(a, p.ID, but, machineNow()); err != nil {
		return err
	}
	if err := a.revokeLinks(store.LinkPassword, p.ID); err != nil {
		return err
	}
	if len(p.Desks) == 0 {
		return nil
	}
	return a.log(store.Entry{DeskID: p.Desks[0], Act: "set up", What: "chose another password"})
}

// AskPassword mails somebody a private link to choose another password. It says nothing of
// whether there is such an address.
func (h *House) AskPassword(ctx context.Context, mail string, from From) error {
	mail = strings.ToLower(strings.TrimSpace(mail))
	now := machineNow()
	if err := h.guess(ctx, "forgot "+mail, From{Host: from.Host}, store.Person{}, now); err != nil {
		return err
	}
	return h.act(ctx, 0, func(a *act) error {
		for _, p := range a.b.People {
			if !strings.EqualFold(p.Mail, mail) || p.Retired || p.Guest || p.BarredAt != 0 {
				continue
			}
			return a.tx.AddMessage(a, store.Message{
				Key: fmt.Sprintf("password of %d at %s", p.ID, rand.Text()), Kind: store.KindMail, To: address(p), Subject: "Choose another password", At: a.now, LinkKind: store.LinkPassword, LinkAbout: p.ID,
				Body: fmt.Sprintf("Somebody, perhaps you, asked for another password for %s.\n\nChoose one here, within two hours: %s\n\nIf it was not you, do nothing; your password stays.\n", p.Mail, linkPlace),
			})
		}
		return nil
	})
}

// PasswordLink gives whose password a private link lets somebody choose.
func (h *House) PasswordLink(ctx context.Context, token string) (store.Person, error) {
	l, err := h.link(ctx, h.DB.View(), store.LinkPassword, token)
	if err != nil {
		return store.Person{}, err
	}
	b, err := h.Books(ctx)
	if err != nil {
		return store.Person{}, err
	}
	p := b.Person(l.About)
	if l.UsedAt != 0 || p.ID == 0 || p.Retired || p.BarredAt != 0 {
		return p, h.sayEnded(ctx, h.DB.View(), b, l)
	}
	return p, nil
}

// ChoosePassword chooses a password by a private link, which opens nothing any more then.
func (h *House) ChoosePassword(ctx context.Context, token, password string) error {
	p, err := h.PasswordLink(ctx, token)
	if err != nil {
		return err
	}
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	if err := b.checkPasswordOf(p, password); err != nil {
		return err
	}
	hash, err := HashPassword(password)
	if err != nil {
		return err
	}
	return h.act(ctx, p.ID, func(a *act) error {
		if first, err := a.tx.UseLink(a, hashOf(token), a.now); err != nil {
			return err
		} else if !first {
			return deadLink
		}
		return a.putPassword(p, hash, 0)
	})
}

// codeOptions are those of RFC 6238 that authenticator programs take: SHA-1, six digits,
// thirty seconds.
var codeOptions = hotp.ValidateOpts{Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1}

// codeStep is how long a one-time code counts, in seconds.
const codeStep = 30

// NewCodes makes a secret for one-time codes, and the address (otpauth) under which an
// authenticator program takes it.
func (h *House) NewCodes(ctx context.Context, who int64) (secret, address string, err error) {
	b, err := h.Books(ctx)
	if err != nil {
		return "", "", err
	}
	raw := make([]byte, 20)
	rand.Read(raw) // never fails
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Green Baton", AccountName: b.Person(who).Mail, Secret: raw})
	if err != nil {
		return "", "", fmt.Errorf("make one-time codes: %w", err)
	}
	return base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(raw), key.URL(), nil
}

// stepOf gives the step of which a code is, at a moment or just before or after; 0 for none.
func stepOf(secret, code string, now time.Time) int64 {
	code = strings.ReplaceAll(strings.TrimSpace(code), " ", "")
	for _, off := range []int64{0, -1, 1} {
		step := now.Unix()/codeStep + off
		want, err := hotp.GenerateCodeCustom(secret, uint64(step), codeOptions)
		if err == nil && len(code) == len(want) && sameText(want, code) {
			return step
		}
	}
	return 0
}

// SwitchCodes switches one-time codes on for somebody, with a code that shows that their
// program has the secret; or off, with the password.
func (h *House) SwitchCodes(ctx context.Context, who int64, secret, code, password string, from From) error {
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	p := b.Person(who)
	if secret == "" {
		if same, err := h.sayPassword(ctx, p, password, from); err != nil {
			return inField(err, "was")
		} else if !same {
			return bad("was", "This is not your password, so one-time codes stay on.")
		}
	} else if err := h.guess(ctx, "codes of "+p.Mail, From{Host: from.Host}, store.Person{}, machineNow()); err != nil {
		return inField(err, "code")
	}
	if secret != "" && (len(secret) != 32 || stepOf(secret, code, time.Now()) == 0) {
		return bad("code", "This is not the code that your program shows now. Look whether the clock of your device is right, and try the next one.")
	}
	return h.act(ctx, who, func(a *act) error {
		a.setUp = true
		if err := a.tx.SetCodes(a, who, secret); err != nil || len(p.Desks) == 0 {
			return err
		}
		return a.log(store.Entry{DeskID: p.Desks[0], Act: "set up", What: map[bool]string{true: "switched one-time codes on", false: "switched one-time codes off"}[secret != ""]})
	})
}

// SignInCode looks at a one-time code of somebody whose password was right. Each counts once.
func (h *House) SignInCode(ctx context.Context, person int64, code string, from From) error {
	b, err := h.Books(ctx)
	if err != nil {
		return err
	}
	p := b.Person(person)
	if err := h.guess(ctx, "code of "+p.Mail, From{Host: from.Host}, store.Person{}, machineNow()); err != nil {
		return err
	}
	wrong := bad("code", "This is not the code that your program shows now. Wait for the next one, and try again.")
	step := stepOf(p.Otp, code, time.Now())
	if step == 0 || p.Otp == "" {
		return wrong
	}
	return h.DB.Write(ctx, func(tx *store.Tx) error {
		if first, err := tx.UseCode(ctx, person, step); err != nil {
			return err
		} else if !first {
			return wrong
		}
		return tx.ForgetGuesses(ctx, "code of "+p.Mail, from.Host)
	})
}

// EndAccess ends somebody's access at once, whatever they still have, or gives it back:
// they are signed out everywhere, and private links of theirs open nothing any more.
func (h *House) EndAccess(ctx context.Context, by, desk, person int64, ended bool) error {
	return h.setUpAct(ctx, by, desk, func(a *act) error {
		p := a.b.Person(person)
		if !slices.Contains(p.Desks, desk) {
			return ErrNotFound
		}
		if err := a.b.mayAnswerFor(by, p); err != nil {
			return err
		}
		if by == person {
			return bad("access", "You cannot end your own access. Ask another lead.")
		}
		at, what := day.Moment(0), "gave "+p.Name+" their access back"
		if ended {
			at, what = a.now, "ended the access of "+p.Name
			if err := a.endLinks(person); err != nil {
				return err
			}
		}
		if err := a.tx.Bar(a, person, at); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: desk, Act: "set up", What: what})
	})
}

// endLinks ends all private links of somebody.
func (a *act) endLinks(person int64) error {
	asked, err := store.ReviewsFor(a, a.tx, []int64{person})
	if err != nil {
		return err
	}
	for _, r := range asked {
		if err := a.revokeLinks(store.LinkReview, r.ID); err != nil {
			return err
		}
	}
	return a.revokeLinks(store.LinkPassword, person)
}

// revokeLinks ends all private links of a kind about somebody or something.
func (a *act) revokeLinks(kind string, about int64) error {
	a.ended = true
	return a.tx.RevokeLinks(a, kind, about, a.now)
}

// LeftWith gives the unfinished legs that somebody has on a desk, those that run first, so
// that they can be given to others.
func (h *House) LeftWith(ctx context.Context, by, desk, person int64) ([]HeldLeg, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return nil, err
	}
	if err := b.mayLead(by, desk); err != nil {
		return nil, err
	}
	var out []HeldLeg
	for _, p := range board.Pieces {
		for i := range p.Legs {
			if l := &p.Legs[i]; p.DeskID == desk && p.Stage == relay.UnderWay && l.Holder == person && !l.Done() {
				out = append(out, HeldLeg{Piece: p, Leg: l})
			}
		}
	}
	slices.SortStableFunc(out, func(x, y HeldLeg) int {
		return count(x.Leg.State != relay.Running) - count(y.Leg.State != relay.Running)
	})
	return out, nil
}
