package post

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/release"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// FarSites is a stand-in for sites elsewhere: they take everything, once for each key, but what
// is sent to an address with “down” in it. What they took is seen where mail is.
type FarSites struct{ DB *store.DB }

// Put takes a page.
func (f FarSites) Put(ctx context.Context, p *newsroom.Parcel) (string, error) {
	if strings.Contains(p.Outlet.Address, "down") {
		return "", fmt.Errorf("%s answers 503: down for an hour", whoMicropub)
	}
	at := p.Address
	if at == "" {
		if at = p.Outlet.Page(p.Page.Slug, p.Page.Number, p.Page.First); at == "" {
			at = strings.TrimRight(p.Outlet.Address, "/") + "/" + p.Page.Slug
		}
	}
	return at, f.keep(ctx, p, "is at "+at)
}

// Take takes a page down.
func (f FarSites) Take(ctx context.Context, p *newsroom.Parcel) error {
	return f.keep(ctx, p, "is taken down")
}

// Try says what would be sent.
func (FarSites) Try(_ context.Context, p *newsroom.Parcel) ([]string, error) {
	if strings.Contains(p.Outlet.Address, "down") {
		return nil, fmt.Errorf("%s answers 503: down for an hour", whoMicropub)
	}
	return []string{"It answers, and lets the program in.", "“" + p.Page.Title + "” would be at " + p.Outlet.Page(p.Page.Slug, p.Page.Number, p.Page.First) + "."}, nil
}

func (f FarSites) keep(ctx context.Context, p *newsroom.Parcel, says string) error {
	return f.DB.Write(ctx, func(t *store.Tx) error {
		return t.KeepRoomMail(ctx, store.RoomMail{Key: p.Key, To: p.Outlet.Address, Subject: p.Page.Title, Text: "“" + p.Page.Title + "” " + says + "."})
	})
}

// StandIns are the carriers with stand-ins for all that is elsewhere.
func StandIns(db *store.DB, folders string) map[release.Kind]newsroom.Carrier {
	c := Carriers(db, folders, false)
	c[release.Micropub], c[release.Request] = FarSites{db}, FarSites{db}
	return c
}
