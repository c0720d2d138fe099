package web

import (
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

// viewHead is what all views have above what they show.
type viewHead struct {
	Filters filters
	Desks   []setting // one or all of them; none for those who have one only
	Problem string
	Views   viewsView
}

// viewing is what a view is asked for: the desk it is looked at from, what is in the
// address, and what of it was understood.
type viewing struct {
	b       *newsroom.Setup
	desk    int64
	today   day.Date
	q       url.Values
	at      address
	columns []sift.Column
	look    planning.Look
	problem string
}

// viewing reads the address of a view. What is not understood is said and left out.
func (s *Server) viewing(c *echo.Context, path string, q url.Values) (viewing, error) {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return viewing{}, err
	}
	v := viewing{b: b, desk: here(c), q: q, at: address{path, q}}
	v.today = s.Newsroom.Now().Date(b.Zones[v.desk])
	v.columns = listColumns(b, v.desk, s, me(c))
	v.look.Desks = []int64{v.desk}
	if q.Get("desks") == "all" {
		v.look.Desks = nil
		for _, d := range b.DesksOf(me(c).ID) {
			v.look.Desks = append(v.look.Desks, d.ID)
		}
	}
	if v.look.Sieve, err = sift.Parse(v.columns, q, v.today); err != nil {
		v.problem = newsroom.UpperFirst(err.Error()) + "."
	}
	return v, nil
}

// cards gives how the cards of the view look, its colours settled by all pieces of it.
func (v *viewing) cards(each func(func(*newsroom.Entry))) *cardLook {
	k := newCardLook(v.b, v.columns, v.q.Get("hue"), values(v.q, "card"))
	k.learn(each)
	return k
}

// head fills in what all views have.
func (s *Server) head(c *echo.Context, h *viewHead, v *viewing, k *cardLook) (err error) {
	h.Problem = v.problem
	h.Filters = newFilters(v.b, v.desk, v.at, v.columns, v.look.Sieve, me(c))
	if k != nil {
		h.Filters.dress(k, v.columns)
	}
	if len(v.b.DesksOf(me(c).ID)) > 1 {
		h.Desks = v.at.settings("desks", v.q.Get("desks"), "", v.b.Desk(v.desk).Name, "all", "All desks")
	}
	h.Views, err = s.newViews(c, v.b, v.at)
	return err
}
