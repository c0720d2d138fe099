package review

import (
	"context"
	"errors"

	"greenbaton/newsroom"
	"greenbaton/store"
)

// SitePages gives the newest pages of a channel, as the channel site that ships with the
// program shows them to anybody.
func (r Room) SitePages(ctx context.Context, channel string, most int) ([]store.SitePage, error) {
	return store.SitePages(ctx, r.DB, channel, most)
}

// SitePage gives one page of a channel, also one that is gone; ErrNotFound if there never
// was one.
func (r Room) SitePage(ctx context.Context, channel, slug string) (store.SitePage, error) {
	p, err := store.SitePageAt(ctx, r.DB, channel, slug)
	if errors.Is(err, store.ErrNone) {
		return p, newsroom.ErrNotFound
	}
	return p, err
}
