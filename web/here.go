package web

import (
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// here is the desk that whoever is signed in looks at: the one they chose, or
// their first; 0 for somebody without a desk.
func here(c *echo.Context) int64 {
	id, _ := c.Get("desk").(int64)
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
	chosen := s.sessions.GetInt64(c.Request().Context(), "desk")
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
	id := int64At(form, "desk")
	if !slices.ContainsFunc(b.DesksOf(me(c).ID), func(d store.Desk) bool { return d.ID == id }) {
		return newsroom.ErrNotFound
	}
	s.sessions.Put(c.Request().Context(), "desk", id)
	return c.Redirect(http.StatusSeeOther, "/")
}

// leads lets through the leads of the desk that is looked at.
func (s *Server) leads(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if here(c) == 0 || !me(c).Access.May(relay.SetUpDesk) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "The desk is set up by its leads. Ask one of them."}
		}
		return next(c)
	}
}
