package views

import (
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/sift"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

// ViewHead is what all views have above what they show.
type ViewHead struct {
	Filters filters
	Desks   []kit.Setting // one or all of them; none for those who have one only
	Problem string
	Views   viewsView
	Back    string     // the address of the view, with what is chosen
	Sketch  *SketchBar // of the sketch that is looked at; nil for none
}

// Viewing is what a view is asked for: the desk it is looked at from, what is in the
// address, and what of it was understood.
type Viewing struct {
	B       *newsroom.Setup
	Desk    ref.Desk
	Today   day.Date
	Q       url.Values
	At      kit.Address
	Columns []sift.Column
	Look    planning.Look
	problem string
	sketch  *planning.Sketch
}

// Viewing reads the address of a view. What is not understood is said and left out.
func (s *Section) Viewing(c *echo.Context, path string, q url.Values) (Viewing, error) {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return Viewing{}, err
	}
	v := Viewing{B: b, Desk: kit.Here(c), Q: q, At: kit.Address{Path: path, Q: q}}
	v.Today = s.Newsroom.Now().Date(b.Zones[v.Desk])
	v.Columns = s.listColumns(c, b, v.Desk)
	v.Look.Desks = []ref.Desk{v.Desk}
	if q.Get("desks") == "all" {
		v.Look.Desks = nil
		for _, d := range b.DesksOf(kit.Me(c).ID) {
			v.Look.Desks = append(v.Look.Desks, d.ID)
		}
	}
	if v.Look.Sieve, err = sift.Parse(v.Columns, q, v.Today); err != nil {
		v.problem = english.UpperFirst(err.Error()) + "."
	}
	return v, s.sketched(c, &v)
}

// Given gives where the pieces of a view are given out as a file or a calendar: those that go out in a
// span of days, where it shows one and nothing else is asked of their day.
func (v *Viewing) Given(from, to day.Date) kit.Export {
	q := url.Values{}
	for k, x := range v.Q {
		if k == "desks" || sift.Find(v.Columns, k) != nil {
			q[k] = x
		}
	}
	if from != 0 && q.Get("out") == "" {
		q.Set("out", from.String()+".."+to.String())
	} else if from == 0 && q.Get("pace") == "" {
		q.Set("pace", "running")
	}
	out := kit.ExportOf(kit.Address{Path: "/pieces", Q: q})
	out.Calendar = "/calendars?what=query&query=" + url.QueryEscape(q.Encode())
	return out
}

// Cards gives how the cards of the view look, its colours settled by all pieces of it.
func (v *Viewing) Cards(each func(func(*newsroom.Entry))) *CardLook {
	k := newCardLook(v.B, v.Columns, v.Q.Get("hue"), Values(v.Q, "card"))
	k.learn(each)
	return k
}

// Head fills in what all views have.
func (s *Section) Head(c *echo.Context, h *ViewHead, v *Viewing, k *CardLook) (err error) {
	h.Problem, h.Back = v.problem, v.At.With()
	h.Filters = newFilters(v.B, v.At, v.Look.Sieve)
	if k != nil {
		h.Filters.dress(k)
	}
	if len(v.B.DesksOf(kit.Me(c).ID)) > 1 {
		h.Desks = v.At.Settings("desks", v.Q.Get("desks"), "", v.B.Desk(v.Desk).Name, "all", "All desks")
	}
	if v.sketch != nil {
		h.Sketch = newSketchBar(v)
	}
	if h.Views, err = s.newViews(c, v.B, v.At); err == nil && v.At.Path != "/pieces" {
		h.Views.Out = v.Given(0, 0)
	}
	return err
}
