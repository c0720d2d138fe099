package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/core/told"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/notify"
	"greenbaton/store"
)

// deviceCookie says that somebody has signed in on this device before.
const deviceCookie = "greenbaton-device"

// from says where somebody tries to sign in.
func (s *Server) from(c *echo.Context) account.From {
	f := account.From{Host: s.hostOf(c.Request()), Agent: c.Request().UserAgent()}
	if k, err := c.Request().Cookie(s.cookieName(deviceCookie)); err == nil && len(k.Value) <= 64 {
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
	Says    string
	Done    bool
	Least   int
}

// halfway is for how long a right password waits for its code.
const halfway = 10 * time.Minute

// half gives who has said their password, and not yet their code.
func (s *Server) half(c *echo.Context) int64 {
	ctx := c.Request().Context()
	if time.Since(time.Unix(s.sessions.GetInt64(ctx, "half at"), 0)) > halfway {
		return 0
	}
	return s.sessions.GetInt64(ctx, "half")
}

func (s *Server) codePage(c *echo.Context) error {
	if s.half(c) == 0 {
		return c.Redirect(http.StatusSeeOther, "/signin")
	}
	return s.show(c, http.StatusOK, "code", "One more step", accountView{})
}

func (s *Server) signInCode(c *echo.Context) error {
	ctx, who := c.Request().Context(), s.half(c)
	if who == 0 {
		return c.Redirect(http.StatusSeeOther, "/signin")
	}
	err := s.Newsroom.Account.SignInCode(ctx, who, c.FormValue("code"), s.from(c))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.show(c, http.StatusUnprocessableEntity, "code", "One more step", accountView{Problem: refusal.Text})
	} else if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	return s.enter(c, b.Person(who))
}

func (s *Server) forgotPage(c *echo.Context) error {
	return s.show(c, http.StatusOK, "forgot", "Another password", accountView{})
}

// forgot mails a link to choose another password. Its answer is the same whether there is
// such an address or not.
func (s *Server) forgot(c *echo.Context) error {
	v := accountView{Mail: c.FormValue("mail"), Sent: true}
	err := s.Newsroom.Account.AskPassword(c.Request().Context(), v.Mail, s.from(c))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		v.Sent, v.Problem = false, "Too often from here. Wait a quarter of an hour, then ask again."
		return s.show(c, http.StatusUnprocessableEntity, "forgot", "Another password", v)
	} else if err != nil {
		return err
	}
	return s.show(c, http.StatusOK, "forgot", "Another password", v)
}

func (s *Server) passwordPage(c *echo.Context) error {
	p, err := s.Newsroom.Account.PasswordLink(c.Request().Context(), c.Param("token"))
	if err != nil {
		return err
	}
	return s.show(c, http.StatusOK, "password", "Another password", accountView{Name: p.Name, Token: c.Param("token"), Least: account.LeastPassword})
}

func (s *Server) choosePassword(c *echo.Context) error {
	ctx, token := c.Request().Context(), c.Param("token")
	p, err := s.Newsroom.Account.PasswordLink(ctx, token)
	if err != nil {
		return err
	}
	err = s.Newsroom.Account.ChoosePassword(ctx, token, c.FormValue("password"))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return s.show(c, http.StatusUnprocessableEntity, "password", "Another password", accountView{Name: p.Name, Token: token, Problem: refusal.Text, Least: account.LeastPassword})
	} else if err != nil {
		return err
	}
	return s.showSignIn(c, http.StatusOK, signInView{Mail: p.Mail, Said: "Your password is changed, and you are signed out everywhere else. Sign in with it."})
}

func (s *Server) stopPage(c *echo.Context) error {
	says, err := s.Newsroom.Notify.StopMail(c.Request().Context(), c.Param("token"), true)
	if err != nil {
		return err
	}
	return s.show(c, http.StatusOK, "stop", "Mail", accountView{Says: says, Token: c.Param("token")})
}

// stopMail stops mails of a kind; also when the program that shows mail asks for it
// (RFC 8058), which sends no cookie and no origin.
func (s *Server) stopMail(c *echo.Context) error {
	says, err := s.Newsroom.Notify.StopMail(c.Request().Context(), c.Param("token"), false)
	if err != nil {
		return err
	}
	return s.show(c, http.StatusOK, "stop", "Mail", accountView{Says: says, Done: true})
}

type myView struct {
	Topics  []topicChoice
	Ways    []option
	Quiet   [2]string
	Digest  string
	Off     bool
	Chat    bool
	Visits  []visitView
	Codes   bool
	Secret  string // while one-time codes are being switched on
	Address string
	Problem string
	Field   string
	Form    string // that was refused
	Least   int
}

type topicChoice struct {
	Topic told.Topic
	Says  string
	How   told.How
}

type visitView struct {
	ID    int64
	Since string
	Says  string
	Here  bool
}

func (s *Server) myPage(c *echo.Context) error {
	return s.showMe(c, http.StatusOK, nil, "")
}

func (s *Server) showMe(c *echo.Context, status int, refusal *relay.Refusal, form string) error {
	ctx, p := c.Request().Context(), me(c)
	t, err := s.Newsroom.Notify.TellingOf(ctx, p.ID)
	if err != nil {
		return err
	}
	v := myView{Quiet: [2]string{clock(t.Person.QuietFrom), clock(t.Person.QuietTo)}, Digest: clock(t.Person.DigestAt), Off: t.Person.QuietOff, Chat: t.Chat, Codes: t.Person.Otp != "", Least: account.LeastPassword, Form: form}
	v.Ways = []option{{"", "the usual"}, {string(told.AtOnce), "by mail at once"}, {string(told.Daily), "in the daily mail"}, {string(told.Inbox), "only in the inbox"}}
	if t.Chat {
		v.Ways = append(v.Ways, option{string(told.Chat), "in the chat of the desk"})
	}
	for _, x := range told.Topics {
		v.Topics = append(v.Topics, topicChoice{x.Topic, x.Says, t.How[x.Topic]})
	}
	visits, err := s.Newsroom.Account.Visits(ctx, p.ID)
	if err != nil {
		return err
	}
	here := s.sessions.GetInt64(ctx, "visit")
	for _, x := range visits {
		v.Visits = append(v.Visits, visitView{x.ID, time.Unix(int64(x.BeganAt), 0).UTC().Format("Mon 2 Jan, 15:04") + " UTC", sayAgent(x.Agent) + " at " + x.Host, x.ID == here})
	}
	if !v.Codes && (c.QueryParam("codes") != "" || form == "codes") {
		if v.Secret = s.sessions.GetString(ctx, "codes"); v.Secret == "" || form == "" {
			if v.Secret, v.Address, err = s.Newsroom.Account.NewCodes(ctx, p.ID); err != nil {
				return err
			}
			s.sessions.Put(ctx, "codes", v.Secret)
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	}
	return s.show(c, status, "me", p.Name, v)
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

func clock(minutes int) string { return fmt.Sprintf("%02d:%02d", minutes/60, minutes%60) }

func (s *Server) saveTold(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx, who := c.Request().Context(), me(c).ID
	t := notify.Telling{Person: me(c), How: map[told.Topic]told.How{}}
	for _, x := range told.Topics {
		if how := form.Get("how-" + string(x.Topic)); how != "" {
			t.How[x.Topic] = told.How(how)
		}
	}
	t.Person.QuietOff = form.Get("off") != ""
	for name, into := range map[string]*int{"from": &t.Person.QuietFrom, "to": &t.Person.QuietTo, "digest": &t.Person.DigestAt} {
		at, e := time.Parse("15:04", strings.TrimSpace(form.Get(name)))
		if e != nil {
			err = input("quiet", "Write times like 20:00.")
			continue
		}
		*into = at.Hour()*60 + at.Minute()
	}
	if err == nil {
		err = s.Newsroom.Notify.SaveTelling(ctx, who, t)
	}
	return s.answered(c, err, "It is kept.", "/me", func(status int, r *relay.Refusal) error { return s.showMe(c, status, r, "told") })
}

func (s *Server) changePassword(c *echo.Context) error {
	ctx := c.Request().Context()
	err := s.Newsroom.Account.ChangePassword(ctx, me(c).ID, s.sessions.GetInt64(ctx, "visit"), c.FormValue("was"), c.FormValue("password"), s.from(c))
	return s.answered(c, err, "Your password is changed, and you are signed out everywhere else.", "/me", func(status int, r *relay.Refusal) error { return s.showMe(c, status, r, "password") })
}

func (s *Server) switchCodes(c *echo.Context) error {
	ctx, secret, said := c.Request().Context(), "", "One-time codes are off."
	if c.FormValue("do") == "on" {
		secret, said = s.sessions.GetString(ctx, "codes"), "From now on a code is asked for when you sign in."
		if secret == "" {
			return c.Redirect(http.StatusSeeOther, "/me?codes=on")
		}
	}
	err := s.Newsroom.Account.SwitchCodes(ctx, me(c).ID, secret, c.FormValue("code"), c.FormValue("was"), s.from(c))
	if err == nil {
		s.sessions.Remove(ctx, "codes")
	}
	return s.answered(c, err, said, "/me", func(status int, r *relay.Refusal) error { return s.showMe(c, status, r, "codes") })
}

func (s *Server) endVisit(c *echo.Context) error {
	ctx := c.Request().Context()
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	err = s.Newsroom.Account.EndVisit(ctx, me(c).ID, int64At(form, "visit"), s.sessions.GetInt64(ctx, "visit"))
	return s.answered(c, err, "Signed out there.", "/me", nil)
}

// follow follows a piece, mutes it, or makes it as usual.
func (s *Server) follow(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		said := map[string]string{store.Follows: "You follow it: what happens to it is in your inbox.", store.Mutes: "You hear nothing of it but what is with you.", "": "You hear of it as usual."}[form.Get("how")]
		return said, s.Newsroom.Notify.FollowPiece(c.Request().Context(), me(c).ID, id, form.Get("how"))
	})
}

// endAccess ends somebody's access at once, or gives it back.
func (s *Server) endAccess(c *echo.Context) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	ended := form.Get("do") == "end"
	if !ended && form.Get("do") != "back" {
		return newsroom.ErrNotFound
	}
	err = s.Newsroom.Account.EndAccess(c.Request().Context(), me(c).ID, here(c), id, ended)
	said := map[bool]string{true: "Their access is ended. What they still have is listed; give it to others.", false: "They can sign in again."}[ended]
	return s.answered(c, err, said, fmt.Sprintf("/people/%d", id), func(status int, r *relay.Refusal) error { return s.showPerson(c, status, r, nil) })
}

// standIn says who stands in for somebody during days off.
func (s *Server) standIn(c *echo.Context) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	err = s.Newsroom.Review.SetStandIn(c.Request().Context(), me(c).ID, int64At(form, "absence"), int64At(form, "standin"))
	return s.answered(c, err, "It is noted.", fmt.Sprintf("/people/%d", id), func(status int, r *relay.Refusal) error { return s.showPerson(c, status, r, nil) })
}
