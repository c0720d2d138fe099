package kit

import (
	"context"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Here is the desk that whoever is signed in looks at: the one they chose, or
// their first; 0 for somebody without a desk.
func Here(c *echo.Context) ref.Desk {
	id, _ := c.Get("desk").(ref.Desk)
	return id
}

// choose finds the desk somebody looks at among theirs.
func (s *Server) choose(c *echo.Context, b *newsroom.Setup, p store.Person) {
	desks := b.DesksOf(p.ID)
	if len(desks) == 0 {
		if len(p.Desks) > 0 {
			c.Set("desk", p.Desks[0])
		}
		return
	}
	chosen := ref.Desk(s.Sessions.GetInt64(c.Request().Context(), "desk"))
	if w, ok := c.Request().Context().Value(asking{}).(asker); ok {
		chosen = w.desk
	}
	if !slices.ContainsFunc(desks, func(d store.Desk) bool { return d.ID == chosen }) {
		chosen = desks[0].ID
	}
	c.Set("desk", chosen)
}

// chooseDesk makes somebody look at another of their desks.
func (s *Server) chooseDesk(c *echo.Context) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	id := Int[ref.Desk](form, "desk")
	if !slices.ContainsFunc(b.DesksOf(Me(c).ID), func(d store.Desk) bool { return d.ID == id }) {
		return newsroom.ErrNotFound
	}
	s.Sessions.Put(c.Request().Context(), "desk", int64(id))
	return c.Redirect(http.StatusSeeOther, "/")
}

// Leads lets through the leads of the desk that is looked at.
func (s *Server) Leads(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if Here(c) == 0 || !Me(c).Access.May(relay.SetUpDesk) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "The desk is set up by its leads. Ask one of them."}
		}
		return next(c)
	}
}

// Mays lets through who may do an act on the desk that is looked at.
func (s *Server) Mays(act relay.HouseAct, otherwise string) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			b, err := s.Newsroom.Setup(c.Request().Context())
			if err != nil {
				return err
			}
			if !relay.MayHouse(act, b.Who(Me(c).ID, Here(c))) {
				return &relay.Refusal{Reason: relay.ErrNotYours, Text: otherwise}
			}
			return next(c)
		}
	}
}

// Maker lets through who may make pieces.
func (s *Server) Maker(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		b, err := s.Newsroom.Setup(c.Request().Context())
		if err != nil {
			return err
		}
		p := Me(c)
		if len(p.Desks) == 0 || !planning.MayCreate(b.Who(p.ID, Here(c))) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Only leads and staff of the desk make pieces. Ask your lead to make it."}
		}
		return next(c)
	}
}

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
		if w, ok := ctx.Value(asking{}).(asker); ok && b.Person(w.who).SignsIn() && c.Request().Method == http.MethodGet {
			s.Admit(c, b, newsroom.Visitor{Person: w.who})
			return next(c)
		}
		v := s.Visitor(ctx)
		goes, err := s.Newsroom.GoesOn(ctx, v, InUse(c.Request()))
		if err != nil {
			return err
		}
		if !goes {
			if c.Request().Method != http.MethodGet || byItself(c) {
				return newsroom.ErrEnded
			}
			s.Sessions.Put(ctx, "to", c.Request().URL.RequestURI())
			return c.Redirect(http.StatusSeeOther, "/signin")
		}
		s.Admit(c, b, v)
		return next(c)
	}
}

// asking is under what the context of a request says who asks, where the program asks itself.
type asking struct{}

type asker struct {
	who  ref.Person
	desk ref.Desk
}

// Asking gives a context in which the program reads by itself what somebody sees on a desk, without a visit
// of theirs. No request that comes over a network has one.
func Asking(ctx context.Context, who ref.Person, desk ref.Desk) context.Context {
	return context.WithValue(ctx, asking{}, asker{who, desk})
}

// Visitor gives the visit that a session is of; without a person in it if nobody signed in.
func (s *Server) Visitor(ctx context.Context) newsroom.Visitor {
	return newsroom.Visitor{Person: ref.Person(s.Sessions.GetInt64(ctx, "person")), Visit: ref.Visit(s.Sessions.GetInt64(ctx, "visit")), Sessions: s.Sessions.GetInt(ctx, "sessions")}
}

// Admit lets what is asked be done as the one whose visit it is.
func (s *Server) Admit(c *echo.Context, b *newsroom.Setup, v newsroom.Visitor) {
	p := b.Person(v.Person)
	c.SetRequest(c.Request().WithContext(newsroom.WithVisitor(c.Request().Context(), v)))
	c.Set("me", p)
	s.choose(c, b, p)
}

// byItself reports whether a script on a page asks, and nobody who could sign in first.
func byItself(c *echo.Context) bool {
	return WantsJSON(c) || c.Request().Header.Get("X-Part") != "" || !InUse(c.Request())
}

// InUse reports whether somebody asks, rather than a page by itself that is left open.
func InUse(r *http.Request) bool {
	mode := r.Header.Get("Sec-Fetch-Mode")
	return r.Method != http.MethodGet || mode == "" || mode == "navigate"
}

// Me is who is signed in.
func Me(c *echo.Context) store.Person {
	p, _ := c.Get("me").(store.Person)
	return p
}
