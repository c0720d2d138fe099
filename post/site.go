package post

import (
	"context"
	"errors"

	"github.com/microcosm-cc/bluemonday"

	"greenbaton/desk"
	"greenbaton/format"
	"greenbaton/store"
)

// Site is the stand-in for a channel's publishing site. It keeps its pages in
// the data file; the program serves them under a path of their own.
type Site struct {
	DB *store.DB
}

var clean = bluemonday.UGCPolicy()

// Publish puts a page up or replaces it.
func (s Site) Publish(ctx context.Context, p desk.Page) error {
	return s.DB.Write(ctx, func(t *store.Tx) error { return t.PutSitePage(ctx, page(p)) })
}

// Withdraw takes a page down; one that was never up is no error.
func (s Site) Withdraw(ctx context.Context, p desk.Page) error {
	return s.DB.Write(ctx, func(t *store.Tx) error {
		was, err := store.SitePageAt(ctx, t, p.Channel, p.Slug)
		if errors.Is(err, store.ErrNone) {
			return nil
		} else if err != nil {
			return err
		}
		was.Gone, was.Updated = true, p.At
		return t.PutSitePage(ctx, was)
	})
}

func page(p desk.Page) store.SitePage {
	return store.SitePage{
		Channel: p.Channel, Slug: p.Slug, PieceID: p.Piece, Title: p.Title, Summary: p.Summary, Author: p.Author,
		Body: clean.Sanitize(format.HTML(p.Copy)), Published: p.At, Updated: p.At,
	}
}
