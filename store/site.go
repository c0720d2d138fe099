package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// SitePage is a page of the stand-in channel site.
type SitePage struct {
	Channel   string
	Slug      string
	PieceID   ref.Piece
	Title     string
	Summary   string
	Author    string
	Body      string // HTML
	Published day.Moment
	Updated   day.Moment
	Gone      bool
	Moved     string // where it is now: the last part of its address here, or a whole one elsewhere
	Extra     string // JSON, what goes with it
}

// PutSitePage stores a page or replaces the one at the same address. The first
// time it was published stays.
func (t *Tx) PutSitePage(ctx context.Context, p SitePage) error {
	_, err := t.Exec(ctx, `INSERT INTO site_page (channel, slug, piece_id, title, summary, author, body, published, updated, gone, moved, extra)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (channel, slug) DO UPDATE SET piece_id = excluded.piece_id, title = excluded.title, summary = excluded.summary,
		author = excluded.author, body = excluded.body, updated = excluded.updated, gone = excluded.gone, moved = excluded.moved, extra = excluded.extra`,
		p.Channel, p.Slug, p.PieceID, p.Title, p.Summary, p.Author, p.Body, p.Published, p.Updated, p.Gone, p.Moved, p.Extra)
	return err
}

// WithdrawSitePage takes a page down; it answers that it is gone, or with moved where it is now.
func (t *Tx) WithdrawSitePage(ctx context.Context, channel, slug, moved string, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE site_page SET gone = 1, moved = ?, updated = ? WHERE channel = ? AND slug = ?", moved, at, channel, slug)
	return err
}

// SitePages gives the newest pages of a channel.
func SitePages(ctx context.Context, r Reader, channel string, limit int) ([]SitePage, error) {
	var out []SitePage
	err := r.Select(ctx, &out, "SELECT * FROM site_page WHERE channel = ? AND gone = 0 ORDER BY published DESC, slug LIMIT ?", channel, limit)
	return out, err
}

// SitePageAt reads one page; ErrNone if there never was one.
func SitePageAt(ctx context.Context, r Reader, channel, slug string) (SitePage, error) {
	var p SitePage
	err := r.Get(ctx, &p, "SELECT * FROM site_page WHERE channel = ? AND slug = ?", channel, slug)
	return p, err
}
