package post

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"strings"

	"github.com/microcosm-cc/bluemonday"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Site is the channel site that ships with the program. It keeps its pages in the data file; the
// program serves them under a path of their own.
type Site struct {
	DB *store.DB
}

var clean = bluemonday.UGCPolicy()

// Put puts a page up, or in the place of the one at its address; from an address that it had
// before, readers are led to it.
func (s Site) Put(ctx context.Context, p *newsroom.Parcel) (string, error) {
	address := siteAddress(p)
	x, err := sitePage(p)
	if err != nil {
		return "", err
	}
	return address, s.DB.Write(ctx, func(t *store.Tx) error {
		is, err := store.SitePageAt(ctx, t, p.Channel, x.Slug)
		if err != nil && !errors.Is(err, store.ErrNone) {
			return err
		}
		if err == nil && !is.Gone && is.PieceID != x.PieceID && p.Address != address {
			return fmt.Errorf("another page is at %s; give one of them another address", address)
		}
		if slug, ok := slugAt(p); ok && slug != x.Slug {
			if err := t.WithdrawSitePage(ctx, p.Channel, slug, x.Slug, x.Updated); err != nil {
				return err
			}
		}
		return t.PutSitePage(ctx, x)
	})
}

// Take takes the page down; none there is no error.
func (s Site) Take(ctx context.Context, p *newsroom.Parcel) error {
	slug, ok := slugAt(p)
	if !ok {
		slug = p.Page.Slug
	}
	return s.DB.Write(ctx, func(t *store.Tx) error {
		return t.WithdrawSitePage(ctx, p.Channel, slug, "", day.MomentOf(p.Page.At))
	})
}

// Try says where the page would be.
func (Site) Try(_ context.Context, p *newsroom.Parcel) ([]string, error) {
	return []string{"“" + p.Page.Title + "” would be at " + p.Base + siteAddress(p) + "."}, nil
}

func siteAddress(p *newsroom.Parcel) string { return "/site/" + p.Channel + "/" + p.Page.Slug }

// slugAt gives the last part of the address at which a page is already.
func slugAt(p *newsroom.Parcel) (string, bool) {
	return strings.CutPrefix(p.Address, "/site/"+p.Channel+"/")
}

func sitePage(p *newsroom.Parcel) (store.SitePage, error) {
	x, picture := &p.Page, func(file ref.File) string { return fmt.Sprintf("%s/pictures/%d", siteAddress(p), file) }
	lead := ""
	if x.Lead != 0 {
		lead = fmt.Sprintf("<figure><img src=\"%s\" alt=\"%s\"></figure>\n", picture(x.Lead), html.EscapeString(x.LeadAlt))
	}
	extra, err := json.Marshal(newsroom.Extra{
		Tags: x.Tags, Related: x.Related, Next: x.Next, Fields: x.Fields, Chapters: x.Chapters, Sound: x.Sound.File, Type: x.Sound.Type, Length: x.Sound.Length, Seconds: x.Sound.Seconds, Note: x.Note,
	})
	if err != nil {
		return store.SitePage{}, fmt.Errorf("what goes with the page: %w", err)
	}
	return store.SitePage{
		Channel: p.Channel, Slug: x.Slug, PieceID: x.Piece, Title: x.Title, Summary: x.Summary, Author: x.Author,
		Body: clean.Sanitize(lead + format.HTMLWith(x.Copy, picture)), Published: day.MomentOf(x.First), Updated: day.MomentOf(x.At), Extra: string(extra),
	}, nil
}
