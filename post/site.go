package post

import (
	"context"
	"fmt"
	"html"

	"github.com/microcosm-cc/bluemonday"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Site is the stand-in for a channel's publishing site. It keeps its pages in
// the data file; the program serves them under a path of their own.
type Site struct {
	DB *store.DB
}

var clean = bluemonday.UGCPolicy()

// Publish puts a page up or replaces it.
func (s Site) Publish(ctx context.Context, p newsroom.Page) error {
	return s.DB.Write(ctx, func(t *store.Tx) error { return t.PutSitePage(ctx, page(p)) })
}

// Withdraw takes a piece's pages on a channel down; none there is no error.
func (s Site) Withdraw(ctx context.Context, channel string, piece ref.Piece, at day.Moment) error {
	return s.DB.Write(ctx, func(t *store.Tx) error { return t.WithdrawSitePages(ctx, channel, piece, at) })
}

// lead is the lead picture of a page.
func lead(p newsroom.Page) string {
	if p.Lead == 0 {
		return ""
	}
	return fmt.Sprintf("<figure><img src=\"/site/%s/%s/pictures/%d\" alt=\"%s\"></figure>\n", p.Channel, p.Slug, p.Lead, html.EscapeString(p.LeadAlt))
}

func page(p newsroom.Page) store.SitePage {
	return store.SitePage{
		Channel: p.Channel, Slug: p.Slug, PieceID: p.Piece, Title: p.Title, Summary: p.Summary, Author: p.Author,
		Body: clean.Sanitize(lead(p) + format.HTMLWith(p.Copy, func(file ref.File) string { return fmt.Sprintf("/site/%s/%s/pictures/%d", p.Channel, p.Slug, file) })), Published: p.At, Updated: p.At,
	}
}
