package release

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/release"
	"greenbaton/newsroom"
	room "greenbaton/newsroom/release"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// follow leads from a short link to the page it stands for.
func (s *Section) follow(c *echo.Context) error {
	to, err := s.Release.Follow(c.Request().Context(), c.Param("token"))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store") // each time it is counted
	return c.Redirect(http.StatusFound, to)
}

// placesView is where a desk says that pieces are out.
type placesView struct {
	Desk     store.Desk
	Pattern  string
	Usual    string
	Rows     []release.Place
	Sample   string
	Again    int
	UsualAge int
	Problem  string
	Field    string
}

func (s *Section) places(c *echo.Context) error { return s.showPlaces(c, http.StatusOK, nil, nil) }

// deskOf finds the desk of an address, which is the one that is looked at.
func (s *Section) deskOf(c *echo.Context, b *newsroom.Setup) (store.Desk, error) {
	id, err := kit.ID[ref.Desk](c)
	d := b.Desk(id)
	if err != nil || d.ID == 0 || d.ID != kit.Here(c) {
		return d, newsroom.ErrNotFound
	}
	return d, nil
}

func (s *Section) showPlaces(c *echo.Context, status int, refusal *relay.Refusal, typed *release.Announce) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	d, err := s.deskOf(c, b)
	if err != nil {
		return err
	}
	a := room.AnnounceOf(b, d.ID)
	if typed != nil {
		a = *typed
	}
	v := placesView{Desk: d, Pattern: a.Pattern, Usual: release.UsualPattern, Rows: append(slices.Clone(a.Places), release.Place{}, release.Place{}), Again: a.Again, UsualAge: release.UsualAge}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
	} else if len(a.Places) > 0 {
		v.Sample = a.Link(s.Base+"/site/web/a-piece", a.Places[0], "a campaign", "a-piece")
	}
	return s.Show(c, status, "places", "Where "+d.Name+" says that pieces are out", v)
}

// savePlaces stores where a desk says that pieces are out.
func (s *Section) savePlaces(c *echo.Context) error {
	var a release.Announce
	return kit.SetUp(s.Server, c, s.deskOf, func(_ *newsroom.Setup, d store.Desk, form url.Values) (string, error) {
		a = release.Announce{Pattern: form.Get("pattern")}
		for i, name := range form["name"] {
			p := release.Place{Name: name}
			if i < len(form["medium"]) {
				p.Medium = form["medium"][i]
			}
			if p.Name != "" {
				a.Places = append(a.Places, p)
			}
		}
		var err error
		if a.Again, err = kit.Whole(form, "again", "again", "the days after which a piece is looked at again", 0); err != nil {
			return "", err
		}
		if err := s.Release.SaveAnnounce(c.Request().Context(), kit.Me(c).ID, d.ID, a); err != nil {
			return "", err
		}
		s.Say(c, "Saved.")
		return fmt.Sprintf("/desks/%d/places", d.ID), nil
	}, func(status int, r *relay.Refusal, _ url.Values) error { return s.showPlaces(c, status, r, &a) })
}
