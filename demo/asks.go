package demo

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/release"
)

// channelAsks are what channels ask of release sheets, by their short names.
var channelAsks = map[string]release.Asks{
	"web":    {Title: 60, Description: 155, Tags: 8, Related: 3, Fields: []release.Field{{Name: "Credits", Limit: 200}, {Name: "Legal line", Limit: 120}}},
	"letter": {Title: 50, Description: 110},
	"audio":  {Title: 70, Description: 300, Fields: []release.Field{{Name: "Number in the series", Limit: 10}, {Name: "Recording", Kind: release.Recording}, {Name: "Chapters", Kind: release.Chapters}, {Name: "First comment", Kind: release.Comment, Limit: 280}}},
}

// asked plans that channels say what they ask of pieces, since this autumn.
func (p *player) asked() {
	p.add(day.Wall(day.MomentOf(Start).Date(p.zone)-afterFor, 9*60+25, p.zone), func(ctx context.Context) error {
		return p.h.Release.SaveAnnounce(ctx, byInitials("MH"), p.b.Desks[0].ID, release.Announce{Places: []release.Place{{Name: "Letter", Medium: "e-mail"}, {Name: "Mills’ noticeboards", Medium: "print"}}})
	})
	for slug, asks := range channelAsks {
		p.add(day.Wall(day.MomentOf(Start).Date(p.zone)-afterFor, 9*60+20, p.zone), func(ctx context.Context) error {
			return p.h.Release.SaveAsks(ctx, byInitials("MH"), p.chans[slug], asks)
		})
	}
}
