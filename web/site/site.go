package site

import (
	"html/template"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type siteView struct {
	Base    string // of this program, as people open it
	House   string
	Channel store.Channel
	Pages   []sitePageView
	Page    *sitePageView
	Gone    bool
}

type sitePageView struct {
	store.SitePage
	When    string
	HTML    template.HTML
	Picture string // the first picture on it, below the base; none if there is none
}

// firstPicture is the picture that a page shows first.
var firstPicture = regexp.MustCompile(`<img src="(/site/[^"]+)"`)

func (s *Section) siteChannel(c *echo.Context) (siteView, *time.Location, error) {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return siteView{}, nil, err
	}
	for _, ch := range b.Channels {
		if ch.Slug == c.Param("channel") {
			return siteView{Base: strings.TrimRight(s.Base, "/"), House: b.Desk(ch.DeskID).Name, Channel: ch}, b.Zones[ch.DeskID], nil
		}
	}
	return siteView{}, nil, newsroom.ErrNotFound
}

func (s *Section) siteIndex(c *echo.Context) error {
	v, zone, err := s.siteChannel(c)
	if err != nil {
		return err
	}
	pages, err := s.Review.SitePages(c.Request().Context(), v.Channel.Slug, 40)
	if err != nil {
		return err
	}
	for _, p := range pages {
		v.Pages = append(v.Pages, sitePageView{SitePage: p, When: date(p.Published, zone)})
	}
	return s.Render(c, http.StatusOK, "site", "site", v)
}

func (s *Section) sitePage(c *echo.Context) error {
	v, zone, err := s.siteChannel(c)
	if err != nil {
		return err
	}
	p, err := s.Review.SitePage(c.Request().Context(), v.Channel.Slug, c.Param("slug"))
	if err != nil {
		return err
	}
	if p.Gone {
		v.Gone = true
		return s.Render(c, http.StatusGone, "site", "site", v)
	}
	// The body was cleaned by the stand-in when it was published.
	v.Page = &sitePageView{SitePage: p, When: date(p.Published, zone), HTML: template.HTML(p.Body)}
	if m := firstPicture.FindStringSubmatch(p.Body); m != nil {
		v.Page.Picture = m[1]
	}
	return s.Render(c, http.StatusOK, "site", "site", v)
}

func date(m day.Moment, zone *time.Location) string { return m.In(zone).Format("2 January 2006") }

func (s *Section) siteFeed(c *echo.Context) error {
	v, zone, err := s.siteChannel(c)
	if err != nil {
		return err
	}
	pages, err := s.Review.SitePages(c.Request().Context(), v.Channel.Slug, 20)
	if err != nil {
		return err
	}
	base := strings.TrimRight(s.Base, "/") + "/site/" + v.Channel.Slug
	var out []format.FeedPage
	for _, p := range pages {
		out = append(out, format.FeedPage{
			Title: p.Title, Summary: p.Summary, Author: p.Author, Address: base + "/" + p.Slug, HTML: p.Body,
			Published: p.Published.In(zone), Updated: p.Updated.In(zone),
		})
	}
	feed, err := format.Atom(v.House+", "+v.Channel.Name, base, time.Unix(0, 0).UTC(), out)
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/atom+xml; charset=utf-8", []byte(feed))
}

// sitePicture gives a picture of a page that is up.
func (s *Section) sitePicture(c *echo.Context) error {
	ctx := c.Request().Context()
	p, err := s.Review.SitePage(ctx, c.Param("channel"), c.Param("slug"))
	if err != nil {
		return err
	}
	if p.Gone || !strings.Contains(p.Body, `src="`+c.Request().URL.Path+`"`) {
		return newsroom.ErrNotFound
	}
	id, err := strconv.ParseInt(c.Param("file"), 10, 64)
	if err != nil {
		return newsroom.ErrNotFound
	}
	f, err := s.Copyroom.PagePicture(ctx, p.PieceID, ref.File(id))
	if err != nil {
		return err
	}
	return kit.SendFile(c, f)
}
