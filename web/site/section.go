// Package site is the channel site that ships with the program, as its readers see it.
package site

import (
	"context"
	"embed"
	"io/fs"
	"net/http"

	"greenbaton/core/ref"
	"greenbaton/store"
	"greenbaton/web/kit"

	"github.com/labstack/echo/v5"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Copyroom Copyroom
	Figures  Figures
	Review   Review
}

// Figures is what the section asks of the room of figures.
type Figures interface {
	Visit(ctx context.Context, piece ref.Piece, address, agent string)
}

// Copyroom is what the section asks of the copyroom.
type Copyroom interface {
	PageSound(ctx context.Context, piece ref.Piece, file ref.File) (store.File, error)
	PagePicture(ctx context.Context, piece ref.Piece, file ref.File) (store.File, error)
}

// Review is what the section asks of review.
type Review interface {
	SitePage(ctx context.Context, channel string, slug string) (store.SitePage, error)
	SitePages(ctx context.Context, channel string, most int) ([]store.SitePage, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	for path, page := range map[string]echo.HandlerFunc{
		"/site/:channel": s.siteIndex, "/site/:channel/feed.atom": s.siteFeed, "/site/:channel/feed.rss": s.siteRSS, "/site/:channel/:slug": s.sitePage,
		"/site/:channel/:slug/recording/:file": s.siteSound, "/site/:channel/:slug/pictures/:file": s.sitePicture,
	} {
		g.Open.Match([]string{http.MethodGet, http.MethodHead}, path, page) // RFC 9110, 9.1: both are answered
	}
}
