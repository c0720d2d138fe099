package account

import (
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/core/notification"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/notify"
	"greenbaton/web/kit"
)

// deviceCookie says that somebody has signed in on this device before.
const deviceCookie = "greenbaton-device"

// from says where somebody tries to sign in.
func (s *Section) from(c *echo.Context) account.From {
	f := account.From{Host: s.HostOf(c.Request()), Agent: c.Request().UserAgent()}
	if k, err := c.Request().Cookie(s.CookieName(deviceCookie)); err == nil && len(k.Value) <= 64 {
		f.Device = k.Value
	}
	return f
}

type accountView struct {
	Problem string
	Sent    bool
	Mail    string
	Name    string
	Token   string
	Stops   notify.Stopped
	Done    bool
	Least   int
}

// halfway is for how long a right password waits for its code.
const halfway = 10 * time.Minute

// half gives who has said their password, and not yet their code.
func (s *Section) half(c *echo.Context) ref.Person {
	ctx := c.Request().Context()
	if time.Since(time.Unix(s.Sessions.GetInt64(ctx, "half at"), 0)) > halfway {
		return 0
	}
	return ref.Person(s.Sessions.GetInt64(ctx, "half"))
}

func (s *Section) codePage(c *echo.Context) error {
	if s.half(c) == 0 {
		return c.Redirect(http.StatusSeeOther, "/signin")
	}
	return s.Show(c, http.StatusOK, "code", "One more step", accountView{})
}

func (s *Section) signInCode(c *echo.Context) error {
	ctx, who := c.Request().Context(), s.half(c)
	if who == 0 {
		return c.Redirect(http.StatusSeeOther, "/signin")
	}
	err := s.Account.SignInCode(ctx, who, c.FormValue("code"), s.from(c))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.Show(c, http.StatusUnprocessableEntity, "code", "One more step", accountView{Problem: refusal.Text})
	} else if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	return s.enter(c, b.Person(who))
}

func (s *Section) forgotPage(c *echo.Context) error {
	return s.Show(c, http.StatusOK, "forgot", "Another password", accountView{})
}

// forgot mails a link to choose another password. Its answer is the same whether there is
// such an address or not.
func (s *Section) forgot(c *echo.Context) error {
	v := accountView{Mail: c.FormValue("mail"), Sent: true}
	err := s.Account.AskPassword(c.Request().Context(), v.Mail, s.from(c))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		v.Sent, v.Problem = false, "Too often from here. Wait a quarter of an hour, then ask again."
		return s.Show(c, http.StatusUnprocessableEntity, "forgot", "Another password", v)
	} else if err != nil {
		return err
	}
	return s.Show(c, http.StatusOK, "forgot", "Another password", v)
}

func (s *Section) passwordPage(c *echo.Context) error {
	p, err := s.Account.PasswordLink(c.Request().Context(), c.Param("token"))
	if err != nil {
		return err
	}
	return s.Show(c, http.StatusOK, "password", "Another password", accountView{Name: p.Name, Token: c.Param("token"), Least: account.LeastPassword})
}

func (s *Section) choosePassword(c *echo.Context) error {
	ctx, token := c.Request().Context(), c.Param("token")
	p, err := s.Account.PasswordLink(ctx, token)
	if err != nil {
		return err
	}
	err = s.Account.ChoosePassword(ctx, token, c.FormValue("password"))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return s.Show(c, http.StatusUnprocessableEntity, "password", "Another password", accountView{Name: p.Name, Token: token, Problem: refusal.Text, Least: account.LeastPassword})
	} else if err != nil {
		return err
	}
	return s.showSignIn(c, http.StatusOK, signInView{Mail: p.Mail, Said: "Your password is changed, and you are signed out everywhere else. Sign in with it."})
}

func (s *Section) stopPage(c *echo.Context) error {
	says, err := s.Notify.StopMail(c.Request().Context(), c.Param("token"), true)
	if err != nil {
		return err
	}
	return s.Show(c, http.StatusOK, "stop", "Mail", accountView{Stops: says, Token: c.Param("token")})
}

// stopMail stops mails of a kind; also when the program that shows mail asks for it
// (RFC 8058), which sends no cookie and no origin.
func (s *Section) stopMail(c *echo.Context) error {
	says, err := s.Notify.StopMail(c.Request().Context(), c.Param("token"), false)
	if err != nil {
		return err
	}
	return s.Show(c, http.StatusOK, "stop", "Mail", accountView{Stops: says, Done: true})
}

type myView struct {
	Topics  []topicChoice
	Ways    []kit.Option
	Quiet   [2]string
	Digest  string
	Off     bool
	Chat    bool
	Visits  []visitView
	Codes   bool
	Away    ref.Person // who enters or asks for days off of their own
	Secret  string     // while one-time codes are being switched on
	Address string
	Problem string
	Field   string
	Form    string // that was refused
	Least   int
}

type topicChoice struct {
	Topic notification.Topic
	Says  string
	How   notification.How
}

type visitView struct {
	ID    ref.Visit
	Since string
	Says  string
	Here  bool
}

func (s *Section) myPage(c *echo.Context) error {
	return s.showMe(c, http.StatusOK, nil, "")
}

func (s *Section) showMe(c *echo.Context, status int, refusal *relay.Refusal, form string) error {
	ctx, p := c.Request().Context(), kit.Me(c)
	t, err := s.Notify.TellingOf(ctx, p.ID)
	if err != nil {
		return err
	}
	v := myView{Quiet: [2]string{english.Clock(t.Person.QuietFrom), english.Clock(t.Person.QuietTo)}, Digest: english.Clock(t.Person.DigestAt), Off: t.Person.QuietOff, Chat: t.Chat, Codes: t.Person.Otp != "", Least: account.LeastPassword, Form: form}
	if p.Access.May(relay.SayDaysOff) {
		v.Away = p.ID
	}
	v.Ways = []kit.Option{{Value: "", Name: "the usual"}, {Value: string(notification.AtOnce), Name: "by mail at once"}, {Value: string(notification.Daily), Name: "in the daily mail"}, {Value: string(notification.Inbox), Name: "only in the inbox"}}
	if t.Chat {
		v.Ways = append(v.Ways, kit.Option{Value: string(notification.Chat), Name: "in the chat of the desk"})
	}
	for _, x := range notification.Topics {
		v.Topics = append(v.Topics, topicChoice{x.Topic, x.Says, t.How[x.Topic]})
	}
	visits, err := s.Account.Visits(ctx, p.ID)
	if err != nil {
		return err
	}
	here := ref.Visit(s.Sessions.GetInt64(ctx, "visit"))
	for _, x := range visits {
		v.Visits = append(v.Visits, visitView{x.ID, time.Unix(int64(x.BeganAt), 0).UTC().Format("Mon 2 Jan, 15:04") + " UTC", sayAgent(x.Agent) + " at " + x.Host, x.ID == here})
	}
	if !v.Codes && (c.QueryParam("codes") != "" || form == "codes") {
		if v.Secret = s.Sessions.GetString(ctx, "codes"); v.Secret == "" || form == "" {
			if v.Secret, v.Address, err = s.Account.NewCodes(ctx, p.ID); err != nil {
				return err
			}
			s.Sessions.Put(ctx, "codes", v.Secret)
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.Show(c, status, "me", p.Name, v)
}

// sayAgent says in a word which program somebody uses, as far as it says so.
func sayAgent(agent string) string {
	for _, x := range []string{"Firefox", "Edg", "Chrome", "Safari"} {
		if strings.Contains(agent, x) {
			name := map[string]string{"Edg": "Edge"}[x]
			if name == "" {
				name = x
			}
			for _, on := range []string{"Android", "iPhone", "iPad", "Windows", "Mac OS", "Linux"} {
				if strings.Contains(agent, on) {
					return name + " on " + on
				}
			}
			return name
		}
	}
	return "A program"
}

func (s *Section) saveTold(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx, who := c.Request().Context(), kit.Me(c).ID
	t := notify.Telling{Person: kit.Me(c), How: map[notification.Topic]notification.How{}}
	for _, x := range notification.Topics {
		if how := form.Get("how-" + string(x.Topic)); how != "" {
			t.How[x.Topic] = notification.How(how)
		}
	}
	t.Person.QuietOff = form.Get("off") != ""
	for name, into := range map[string]*int{"from": &t.Person.QuietFrom, "to": &t.Person.QuietTo, "digest": &t.Person.DigestAt} {
		at, e := time.Parse("15:04", strings.TrimSpace(form.Get(name)))
		if e != nil {
			err = kit.Input("quiet", "Write times like 20:00.")
			continue
		}
		*into = at.Hour()*60 + at.Minute()
	}
	if err == nil {
		err = s.Notify.SaveTelling(ctx, who, t)
	}
	return s.Answered(c, err, "It is saved.", "/me", func(status int, r *relay.Refusal) error { return s.showMe(c, status, r, "told") })
}

func (s *Section) changePassword(c *echo.Context) error {
	ctx := c.Request().Context()
	err := s.Account.ChangePassword(ctx, kit.Me(c).ID, ref.Visit(s.Sessions.GetInt64(ctx, "visit")), c.FormValue("was"), c.FormValue("password"), s.from(c))
	return s.Answered(c, err, "Your password is changed, and you are signed out everywhere else.", "/me", func(status int, r *relay.Refusal) error { return s.showMe(c, status, r, "password") })
}

func (s *Section) switchCodes(c *echo.Context) error {
	ctx, secret, said := c.Request().Context(), "", "One-time codes are off."
	if c.FormValue("do") == "on" {
		secret, said = s.Sessions.GetString(ctx, "codes"), "From now on a code is asked for when you sign in."
		if secret == "" {
			return c.Redirect(http.StatusSeeOther, "/me?codes=on")
		}
	}
	err := s.Account.SwitchCodes(ctx, kit.Me(c).ID, secret, c.FormValue("code"), c.FormValue("was"), s.from(c))
	if err == nil {
		s.Sessions.Remove(ctx, "codes")
	}
	return s.Answered(c, err, said, "/me", func(status int, r *relay.Refusal) error { return s.showMe(c, status, r, "codes") })
}

func (s *Section) endVisit(c *echo.Context) error {
	ctx := c.Request().Context()
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	err = s.Account.EndVisit(ctx, kit.Me(c).ID, kit.Int[ref.Visit](form, "visit"), ref.Visit(s.Sessions.GetInt64(ctx, "visit")))
	return s.Answered(c, err, "Signed out there.", "/me", nil)
}
