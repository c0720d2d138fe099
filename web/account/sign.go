package account

import (
	"cmp"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type signInView struct {
	Mail    string
	Problem string
	Said    string
	People  []store.Person
	Demo    bool
}

func (s *Section) signInPage(c *echo.Context) error {
	return s.showSignIn(c, http.StatusOK, signInView{})
}

func (s *Section) showSignIn(c *echo.Context, status int, v signInView) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	if len(b.People) == 0 {
		return c.Redirect(http.StatusSeeOther, "/welcome")
	}
	if v.Demo = s.Demo != nil; v.Demo {
		v.People = slices.SortedFunc(slices.Values(b.People), func(x, y store.Person) int { return int(x.ID - y.ID) })
		v.People = slices.DeleteFunc(v.People, func(p store.Person) bool { return p.Guest || p.Retired })
	}
	return s.Show(c, status, "signin", "Sign in", v)
}

func (s *Section) signIn(c *echo.Context) error {
	mail := c.FormValue("mail")
	p, err := s.Account.SignIn(c.Request().Context(), mail, c.FormValue("password"), s.from(c))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.showSignIn(c, http.StatusUnprocessableEntity, signInView{Mail: mail, Problem: refusal.Text})
	} else if err != nil {
		return err
	}
	if p.Otp != "" { // the password was right; a code is asked for besides
		ctx := c.Request().Context()
		if err := s.Sessions.RenewToken(ctx); err != nil {
			return err
		}
		s.Sessions.Put(ctx, "half", int64(p.ID))
		s.Sessions.Put(ctx, "half at", time.Now().Unix())
		return c.Redirect(http.StatusSeeOther, "/signin/code")
	}
	return s.enter(c, p)
}

// signInAs signs a person of the demo in with one click.
func (s *Section) signInAs(c *echo.Context) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.FormValue("person"), 10, 64)
	if p := b.Person(ref.Person(id)); err == nil && p.ID != 0 && !p.Guest {
		return s.enter(c, p)
	}
	return s.showSignIn(c, http.StatusUnprocessableEntity, signInView{Problem: "Choose one of the people below."})
}

// enter begins a session.
func (s *Section) enter(c *echo.Context, p store.Person) error {
	ctx := c.Request().Context()
	to := s.Sessions.PopString(ctx, "to")
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return err
	}
	from := s.from(c)
	visit, device, err := s.Account.Enter(ctx, p.ID, from)
	if err != nil {
		return err
	}
	path := "/signin"
	if s.Secure { // what such a cookie's name promises
		path = "/"
	}
	c.SetCookie(&http.Cookie{Name: s.CookieName(deviceCookie), Value: device, Path: path, MaxAge: 400 * 86400, HttpOnly: true, Secure: s.Secure, SameSite: http.SameSiteStrictMode})
	s.Sessions.Remove(ctx, "half")
	s.Sessions.Put(ctx, "visit", int64(visit))
	s.Sessions.Put(ctx, "person", int64(p.ID))
	s.Sessions.Put(ctx, "sessions", p.Sessions)
	return c.Redirect(http.StatusSeeOther, cmp.Or(kit.Within(to), "/"))
}

func (s *Section) signOut(c *echo.Context) error {
	ctx := c.Request().Context()
	if visit := s.Sessions.GetInt64(ctx, "visit"); visit != 0 {
		if err := s.Account.EndVisit(ctx, kit.Me(c).ID, ref.Visit(visit), 0); err != nil {
			return err
		}
	}
	if err := s.Sessions.Destroy(ctx); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/signin")
}

func (s *Section) signOutEverywhere(c *echo.Context) error {
	ctx, who := c.Request().Context(), kit.Me(c).ID
	if err := s.Account.EndVisit(ctx, who, 0, 0); err != nil {
		return err
	}
	if err := s.Account.SignOutEverywhere(ctx, who); err != nil {
		return err
	}
	return s.signOut(c)
}

// moveClock moves the demo's clock: to the next working day, to next week, or
// back to the start.
func (s *Section) moveClock(c *echo.Context) error {
	ctx, err := c.Request().Context(), error(nil)
	switch c.Param("to") {
	case "day":
		err = s.Demo.NextDay(ctx)
	case "week":
		err = s.Demo.NextWeek(ctx)
	case "start":
		err = s.Demo.BackToStart(ctx)
	default:
		err = echo.ErrNotFound
	}
	if err != nil {
		return err
	}
	if c.Param("to") == "start" {
		s.Say(c, "Everything is as it was at the start.")
	}
	return c.Redirect(http.StatusSeeOther, "/")
}
