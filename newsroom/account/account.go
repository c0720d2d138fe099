package account

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
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Enter begins a visit of somebody who has signed in, and makes their device known. It
// gives the visit's id, and what the cookie of the device says from now on.
func (h Room) Enter(ctx context.Context, person ref.Person, from From) (visit ref.Visit, device string, err error) {
	now := machineNow()
	err = h.DB.Write(ctx, func(tx *store.Tx) error {
		device = from.Device
		if whose, err := store.DeviceOf(ctx, tx, newsroom.HashOf(device)); err != nil {
			return err
		} else if device == "" || whose != person {
			device = rand.Text()
		}
		if err := tx.KnowDevice(ctx, newsroom.HashOf(device), person, now); err != nil {
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
func (h Room) Visits(ctx context.Context, who ref.Person) ([]store.Visit, error) {
	return store.VisitsOf(ctx, h.DB.View(), who, machineNow()-visitDays*86400)
}

// EndVisit signs somebody out on one of their own devices; with 0 on all but the one of
// the visit given.
func (h Room) EndVisit(ctx context.Context, who ref.Person, visit, but ref.Visit) error {
	return h.Do(ctx, who, func(a *newsroom.Command) error {
		a.Ended = true
		if visit != 0 {
			return a.Tx.EndVisit(a, who, visit, machineNow())
		}
		return a.Tx.EndVisits(a, who, but, machineNow())
	})
}

// ChangePassword changes somebody's own password, and signs them out everywhere else.
func (h Room) ChangePassword(ctx context.Context, who ref.Person, visit ref.Visit, was, is string, from From) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	p := b.Person(who)
	if err := checkPasswordOf(b, p, is); err != nil {
		return err
	}
	if same, err := h.sayPassword(ctx, p, was, from); err != nil {
		return inField(err, "was")
	} else if !same {
		return newsroom.Invalid("was", "This is not your password. If you do not know it any more, sign out and choose another by mail.")
	}
	hash, err := HashPassword(is)
	if err != nil {
		return err
	}
	return h.Do(ctx, who, func(a *newsroom.Command) error { return putPassword(a, p, hash, visit) })
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
func putPassword(a *newsroom.Command, p store.Person, hash string, but ref.Visit) error {
	a.SetUp = true
	if err := a.Tx.PutPassword(a, p.ID, hash); err != nil {
		return err
	}
	if err := a.Tx.EndVisits(a, p.ID, but, machineNow()); err != nil {
		return err
	}
	if err := RevokeLinks(a, store.LinkPassword, int64(p.ID)); err != nil {
		return err
	}
	if len(p.Desks) == 0 {
		return nil
	}
	return a.Log(store.Entry{DeskID: p.Desks[0], Act: "set up", What: "chose another password"})
}

// AskPassword mails somebody a private link to choose another password. It says nothing of
// whether there is such an address.
func (h Room) AskPassword(ctx context.Context, mail string, from From) error {
	mail = strings.ToLower(strings.TrimSpace(mail))
	now := machineNow()
	if err := h.guess(ctx, "forgot "+mail, From{Host: from.Host}, store.Person{}, now); err != nil {
		return err
	}
	return h.Do(ctx, 0, func(a *newsroom.Command) error {
		for _, p := range a.Setup.People {
			if !strings.EqualFold(p.Mail, mail) || p.Retired || p.Guest || p.BarredAt != 0 {
				continue
			}
			return a.Tx.AddMessage(a, store.Message{
				Key: fmt.Sprintf("password of %d at %s", p.ID, rand.Text()), Kind: store.KindMail, To: newsroom.Address(p), Subject: "Choose another password", At: a.Now, LinkKind: store.LinkPassword, LinkAbout: int64(p.ID),
				Body: fmt.Sprintf("Somebody, perhaps you, asked for another password for %s.\n\nChoose one here, within two hours: %s\n\nIf it was not you, do nothing; your password stays.\n", p.Mail, LinkPlace),
			})
		}
		return nil
	})
}

// PasswordLink gives whose password a private link lets somebody choose.
func (h Room) PasswordLink(ctx context.Context, token string) (store.Person, error) {
	l, err := h.Link(ctx, h.DB.View(), store.LinkPassword, token)
	if err != nil {
		return store.Person{}, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return store.Person{}, err
	}
	p := b.Person(ref.Person(l.About))
	if l.UsedAt != 0 || p.ID == 0 || p.Retired || p.BarredAt != 0 {
		return p, h.SayEnded(ctx, h.DB.View(), b, l)
	}
	return p, nil
}

// ChoosePassword chooses a password by a private link, which opens nothing any more then.
func (h Room) ChoosePassword(ctx context.Context, token, password string) error {
	p, err := h.PasswordLink(ctx, token)
	if err != nil {
		return err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	if err := checkPasswordOf(b, p, password); err != nil {
		return err
	}
	hash, err := HashPassword(password)
	if err != nil {
		return err
	}
	return h.Do(ctx, p.ID, func(a *newsroom.Command) error {
		if first, err := a.Tx.UseLink(a, newsroom.HashOf(token), a.Now); err != nil {
			return err
		} else if !first {
			return DeadLink
		}
		return putPassword(a, p, hash, 0)
	})
}

// codeOptions are those of RFC 6238 that authenticator programs take: SHA-1, six digits,
// thirty seconds.
var codeOptions = hotp.ValidateOpts{Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1}

// codeStep is how long a one-time code counts, in seconds.
const codeStep = 30

// NewCodes makes a secret for one-time codes, and the address (otpauth) under which an
// authenticator program takes it.
func (h Room) NewCodes(ctx context.Context, who ref.Person) (secret, address string, err error) {
	b, err := h.Setup(ctx)
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
func stepOf(secret, code string, now time.Time) ref.Step {
	code = strings.ReplaceAll(strings.TrimSpace(code), " ", "")
	for _, off := range []int64{0, -1, 1} {
		step := now.Unix()/codeStep + off
		want, err := hotp.GenerateCodeCustom(secret, uint64(step), codeOptions)
		if err == nil && len(code) == len(want) && newsroom.SameText(want, code) {
			return ref.Step(step)
		}
	}
	return 0
}

// SwitchCodes switches one-time codes on for somebody, with a code that shows that their
// program has the secret; or off, with the password.
func (h Room) SwitchCodes(ctx context.Context, who ref.Person, secret, code, password string, from From) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	p := b.Person(who)
	if secret == "" {
		if same, err := h.sayPassword(ctx, p, password, from); err != nil {
			return inField(err, "was")
		} else if !same {
			return newsroom.Invalid("was", "This is not your password, so one-time codes stay on.")
		}
	} else if err := h.guess(ctx, "codes of "+p.Mail, From{Host: from.Host}, store.Person{}, machineNow()); err != nil {
		return inField(err, "code")
	}
	if secret != "" && (len(secret) != 32 || stepOf(secret, code, time.Now()) == 0) {
		return newsroom.Invalid("code", "This is not the code that your program shows now. Look whether the clock of your device is right, and try the next one.")
	}
	return h.Do(ctx, who, func(a *newsroom.Command) error {
		a.SetUp = true
		if err := a.Tx.SetCodes(a, who, secret); err != nil || len(p.Desks) == 0 {
			return err
		}
		return a.Log(store.Entry{DeskID: p.Desks[0], Act: "set up", What: map[bool]string{true: "switched one-time codes on", false: "switched one-time codes off"}[secret != ""]})
	})
}

// SignInCode looks at a one-time code of somebody whose password was right. Each counts once.
func (h Room) SignInCode(ctx context.Context, person ref.Person, code string, from From) error {
	b, err := h.Setup(ctx)
	if err != nil {
		return err
	}
	p := b.Person(person)
	if err := h.guess(ctx, "code of "+p.Mail, From{Host: from.Host}, store.Person{}, machineNow()); err != nil {
		return err
	}
	wrong := newsroom.Invalid("code", "This is not the code that your program shows now. Wait for the next one, and try again.")
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
func (h Room) EndAccess(ctx context.Context, by ref.Person, desk ref.Desk, person ref.Person, ended bool) error {
	return h.SetUpAct(ctx, by, desk, func(a *newsroom.Command) error {
		p := a.Setup.Person(person)
		if !slices.Contains(p.Desks, desk) {
			return newsroom.ErrNotFound
		}
		if err := a.Setup.MayAnswerFor(by, p); err != nil {
			return err
		}
		if by == person {
			return newsroom.Invalid("access", "You cannot end your own access. Ask another lead.")
		}
		at, what := day.Moment(0), "gave "+p.Name+" their access back"
		if ended {
			at, what = a.Now, "ended the access of "+p.Name
			if err := endLinks(a, person); err != nil {
				return err
			}
		}
		if err := a.Tx.Bar(a, person, at); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: desk, Act: "set up", What: what})
	})
}

// endLinks ends all private links of somebody.
func endLinks(a *newsroom.Command, person ref.Person) error {
	asked, err := store.ReviewsFor(a, a.Tx, []ref.Person{person})
	if err != nil {
		return err
	}
	for _, r := range asked {
		if err := RevokeLinks(a, store.LinkReview, int64(r.ID)); err != nil {
			return err
		}
	}
	return RevokeLinks(a, store.LinkPassword, int64(person))
}

// RevokeLinks ends all private links of a kind about somebody or something.
func RevokeLinks(a *newsroom.Command, kind string, about int64) error {
	a.Ended = true
	return a.Tx.RevokeLinks(a, kind, about, a.Now)
}

// LeftWith gives the unfinished legs that somebody has on a desk, those that run first, so
// that they can be given to others.
func (h Room) LeftWith(ctx context.Context, by ref.Person, desk ref.Desk, person ref.Person) ([]HeldLeg, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return nil, err
	}
	if err := b.MayLead(by, desk); err != nil {
		return nil, err
	}
	var out []HeldLeg
	for _, p := range board.Pieces {
		for l := range p.Every() {
			if p.DeskID == desk && p.Live() && l.Holder == person && !l.Done() {
				out = append(out, HeldLeg{Piece: p, Leg: l})
			}
		}
	}
	slices.SortStableFunc(out, func(x, y HeldLeg) int {
		return newsroom.Count(x.Leg.State != relay.Running) - newsroom.Count(y.Leg.State != relay.Running)
	})
	return out, nil
}

// HeldLeg is a leg that somebody has, with the days its work lies on.
type HeldLeg struct {
	Piece    *relay.Piece
	Leg      *relay.Leg
	From, To day.Date
	Pace     plan.Pace
}
