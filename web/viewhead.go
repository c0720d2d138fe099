package web

import (
	"github.com/labstack/echo/v5"

	"greenbaton/core/sift"
	"greenbaton/desk"
)

// viewHead is what all views have above what they show.
type viewHead struct {
	Filters filters
	Desks   []setting // one or all of them; none for those who have one only
	Problem string
	Views   viewsView
}

// head fills in what all views have.
func (s *Server) head(c *echo.Context, v *viewHead, b *desk.Books, at address, columns []sift.Column, sieve sift.Sieve, k *cardLook) (err error) {
	v.Filters = newFilters(b, here(c), at, columns, sieve, me(c))
	if k != nil {
		v.Filters.dress(k, columns)
	}
	if len(b.DesksOf(me(c).ID)) > 1 {
		v.Desks = at.settings("desks", at.q.Get("desks"), "", b.Desk(here(c)).Name, "all", "All desks")
	}
	v.Views, err = s.newViews(c, b, at)
	return err
}
