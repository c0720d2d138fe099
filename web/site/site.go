package site

import (
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/release"
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
	newsroom.Extra
	When    string
	Since   string // since when it is as it is, where that is another day
	HTML    template.HTML
	Picture string // the first picture on it, below the base; none if there is none
	Heard   string // where its recording is, below the base
	Lasts   string
	Parts   []partView
}

// partView is a chapter of a recording.
type partView struct{ At, Title string }

// newPageView reads a page with what goes with it.
func newPageView(p store.SitePage, zone *time.Location) sitePageView {
	v := sitePageView{SitePage: p, When: date(p.Published, zone)}
	if json.Unmarshal([]byte(p.Extra), &v.Extra) != nil { // a page of before has nothing beside it
		v.Extra = newsroom.Extra{}
	}
	if v.Updated > v.Published && (v.Note != "" || date(v.Updated, zone) != v.When) {
		v.Since = date(v.Updated, zone)
	}
	if v.Sound != 0 {
		v.Heard = fmt.Sprintf("/site/%s/%s/recording/%d", p.Channel, p.Slug, v.Sound)
		if v.Seconds > 0 {
			v.Lasts = release.SayTime(v.Seconds)
		}
		for _, c := range v.Chapters {
			v.Parts = append(v.Parts, partView{release.SayTime(c.Seconds), c.Title})
		}
	}
	return v
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
		v.Pages = append(v.Pages, newPageView(p, zone))
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
	if p.Gone && p.Moved != "" {
		to := p.Moved
		if !strings.Contains(to, "://") {
			to = "/site/" + v.Channel.Slug + "/" + to
		}
		return c.Redirect(http.StatusMovedPermanently, to)
	}
	if p.Gone {
		v.Gone = true
		return s.Render(c, http.StatusGone, "site", "site", v)
	}
	if r := c.Request(); r.Method == http.MethodGet {
		s.Figures.Visit(r.Context(), p.PieceID, s.HostOf(r), r.UserAgent())
	}
	// The body was cleaned by the stand-in when it was published.
	page := newPageView(p, zone)
	page.HTML = template.HTML(p.Body)
	v.Page = &page
	if m := firstPicture.FindStringSubmatch(p.Body); m != nil {
		v.Page.Picture = m[1]
	}
	return s.Render(c, http.StatusOK, "site", "site", v)
}

func date(m day.Moment, zone *time.Location) string { return m.In(zone).Format("2 January 2006") }

// mostInFeed is how many pages a feed has.
const mostInFeed = 20

// feedPages gives what a feed of a channel has, and where the channel is.
func (s *Section) feedPages(c *echo.Context) (v siteView, base string, out []format.FeedPage, err error) {
	v, zone, err := s.siteChannel(c)
	if err != nil {
		return v, "", nil, err
	}
	pages, err := s.Review.SitePages(c.Request().Context(), v.Channel.Slug, mostInFeed)
	if err != nil {
		return v, "", nil, err
	}
	base = v.Base + "/site/" + v.Channel.Slug
	for _, p := range pages {
		x := newPageView(p, zone)
		y := format.FeedPage{
			Title: p.Title, Summary: p.Summary, Author: p.Author, Address: base + "/" + p.Slug, HTML: absolute(p.Body, v.Base),
			Published: p.Published.In(zone), Updated: p.Updated.In(zone), Chapters: x.Chapters,
		}
		if x.Heard != "" {
			y.Sound = &format.FeedSound{Address: v.Base + x.Heard, Type: x.Type, Length: x.Length, Seconds: x.Seconds}
		}
		out = append(out, y)
	}
	return v, base, out, nil
}

// absolute writes the addresses of the pictures of a page as they are read elsewhere.
func absolute(body, base string) string {
	return strings.ReplaceAll(body, `<img src="/`, `<img src="`+base+"/")
}

func (s *Section) siteFeed(c *echo.Context) error {
	v, base, pages, err := s.feedPages(c)
	if err != nil {
		return err
	}
	feed, err := format.Atom(v.House+", "+v.Channel.Name, base, time.Unix(0, 0).UTC(), pages)
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/atom+xml; charset=utf-8", []byte(feed))
}

// siteRSS gives the feed of a channel as RSS, with recordings.
func (s *Section) siteRSS(c *echo.Context) error {
	v, base, pages, err := s.feedPages(c)
	if err != nil {
		return err
	}
	title := v.House + ", " + v.Channel.Name
	feed, err := format.RSS(title, "What goes out on "+title+".", base+"/feed.rss", base, time.Unix(0, 0).UTC(), pages)
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/rss+xml; charset=utf-8", []byte(feed))
}

// siteSound gives the recording of a page that is up.
func (s *Section) siteSound(c *echo.Context) error {
	ctx := c.Request().Context()
	p, err := s.Review.SitePage(ctx, c.Param("channel"), c.Param("slug"))
	if err != nil {
		return err
	}
	if x := newPageView(p, time.UTC); p.Gone || x.Heard != c.Request().URL.Path {
		return newsroom.ErrNotFound
	}
	id, err := strconv.ParseInt(c.Param("file"), 10, 64)
	if err != nil {
		return newsroom.ErrNotFound
	}
	f, err := s.Copyroom.PageSound(ctx, p.PieceID, ref.File(id))
	if err != nil {
		return err
	}
	return kit.SendFile(c, f)
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
