// Package site is the channel site that ships with the program, as its readers see it.
package site

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Copyroom Copyroom
	Review   Review
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
	g.Open.GET("/site/:channel", s.siteIndex)
	g.Open.GET("/site/:channel/feed.atom", s.siteFeed)
	g.Open.GET("/site/:channel/feed.rss", s.siteRSS)
	g.Open.GET("/site/:channel/:slug", s.sitePage)
	g.Open.GET("/site/:channel/:slug/recording/:file", s.siteSound)
	g.Open.GET("/site/:channel/:slug/pictures/:file", s.sitePicture)
}
