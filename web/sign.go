package web

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// signedIn lets through who is signed in, and sends others to the sign-in page.
func (s *Server) signedIn(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx := c.Request().Context()
		b, err := s.Newsroom.Setup(ctx)
		if err != nil {
			return err
		}
		if len(b.People) == 0 {
			return c.Redirect(http.StatusSeeOther, "/welcome")
		}
		v := s.visitor(ctx)
		goes, err := s.Newsroom.GoesOn(ctx, v, inUse(c.Request()))
		if err != nil {
			return err
		}
		if !goes {
			if c.Request().Method != http.MethodGet || byItself(c) {
				return newsroom.ErrEnded
			}
			s.sessions.Put(ctx, "to", c.Request().URL.RequestURI())
			return c.Redirect(http.StatusSeeOther, "/signin")
		}
		s.admit(c, b, v)
		return next(c)
	}
}

// visitor gives the visit that a session is of; without a person in it if nobody signed in.
func (s *Server) visitor(ctx context.Context) newsroom.Visitor {
	return newsroom.Visitor{Person: s.sessions.GetInt64(ctx, "person"), Visit: s.sessions.GetInt64(ctx, "visit"), Sessions: s.sessions.GetInt(ctx, "sessions")}
}

// admit lets what is asked be done as the one whose visit it is.
func (s *Server) admit(c *echo.Context, b *newsroom.Setup, v newsroom.Visitor) {
	p := b.Person(v.Person)
	c.SetRequest(c.Request().WithContext(newsroom.WithVisitor(c.Request().Context(), v)))
	c.Set("me", p)
	s.choose(c, b, p)
}

// byItself reports whether a script on a page asks, and nobody who could sign in first.
func byItself(c *echo.Context) bool {
	return wantsJSON(c) || c.Request().Header.Get("X-Part") != "" || !inUse(c.Request())
}

// inUse reports whether somebody asks, rather than a page by itself that is left open.
func inUse(r *http.Request) bool {
	mode := r.Header.Get("Sec-Fetch-Mode")
	return r.Method != http.MethodGet || mode == "" || mode == "navigate"
}

// me is who is signed in.
func me(c *echo.Context) store.Person {
	p, _ := c.Get("me").(store.Person)
	return p
}

type signInView struct {
	Mail    string
	Problem string
	Said    string
	People  []store.Person
	Demo    bool
}

func (s *Server) signInPage(c *echo.Context) error {
	return s.showSignIn(c, http.StatusOK, signInView{})
}

func (s *Server) showSignIn(c *echo.Context, status int, v signInView) error {
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
	return s.show(c, status, "signin", "Sign in", v)
}

func (s *Server) signIn(c *echo.Context) error {
	mail := c.FormValue("mail")
	p, err := s.Newsroom.Account.SignIn(c.Request().Context(), mail, c.FormValue("password"), s.from(c))
	var refusal *relay.Refusal
	if errors.As(err, &refusal) {
		return s.showSignIn(c, http.StatusUnprocessableEntity, signInView{Mail: mail, Problem: refusal.Text})
	} else if err != nil {
		return err
	}
	if p.Otp != "" { // the password was right; a code is asked for besides
		ctx := c.Request().Context()
		if err := s.sessions.RenewToken(ctx); err != nil {
			return err
		}
		s.sessions.Put(ctx, "half", p.ID)
		s.sessions.Put(ctx, "half at", time.Now().Unix())
		return c.Redirect(http.StatusSeeOther, "/signin/code")
	}
	return s.enter(c, p)
}

// signInAs signs a person of the demo in with one click.
func (s *Server) signInAs(c *echo.Context) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.FormValue("person"), 10, 64)
	if p := b.Person(id); err == nil && p.ID != 0 && !p.Guest {
		return s.enter(c, p)
	}
	return s.showSignIn(c, http.StatusUnprocessableEntity, signInView{Problem: "Choose one of the people below."})
}

// enter begins a session.
func (s *Server) enter(c *echo.Context, p store.Person) error {
	ctx := c.Request().Context()
	to := s.sessions.PopString(ctx, "to")
	if err := s.sessions.RenewToken(ctx); err != nil {
		return err
	}
	from := s.from(c)
	visit, device, err := s.Newsroom.Account.Enter(ctx, p.ID, from)
	if err != nil {
		return err
	}
	path := "/signin"
	if s.Secure { // what such a cookie's name promises
		path = "/"
	}
	c.SetCookie(&http.Cookie{Name: s.cookieName(deviceCookie), Value: device, Path: path, MaxAge: 400 * 86400, HttpOnly: true, Secure: s.Secure, SameSite: http.SameSiteStrictMode})
	s.sessions.Remove(ctx, "half")
	s.sessions.Put(ctx, "visit", visit)
	s.sessions.Put(ctx, "person", p.ID)
	s.sessions.Put(ctx, "sessions", p.Sessions)
	return c.Redirect(http.StatusSeeOther, cmp.Or(within(to), "/"))
}

func (s *Server) signOut(c *echo.Context) error {
	ctx := c.Request().Context()
	if visit := s.sessions.GetInt64(ctx, "visit"); visit != 0 {
		if err := s.Newsroom.Account.EndVisit(ctx, me(c).ID, visit, 0); err != nil {
			return err
		}
	}
	if err := s.sessions.Destroy(ctx); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/signin")
}

func (s *Server) signOutEverywhere(c *echo.Context) error {
	ctx, who := c.Request().Context(), me(c).ID
	if err := s.Newsroom.Account.EndVisit(ctx, who, 0, 0); err != nil {
		return err
	}
	if err := s.Newsroom.Account.SignOutEverywhere(ctx, who); err != nil {
		return err
	}
	return s.signOut(c)
}

// moveClock moves the demo's clock: to the next working day, to next week, or
// back to the start.
func (s *Server) moveClock(c *echo.Context) error {
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
		s.say(c, "Everything is as it was at the start.")
	}
	return c.Redirect(http.StatusSeeOther, "/")
}
