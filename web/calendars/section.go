// Package calendars is the addresses at which calendar programs ask for what somebody sees.
package calendars

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/calendars"
	"greenbaton/newsroom/review"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Calendars Calendars
	Planning  Planning
	Review    Review
}

// Calendars is what the section asks of the room of calendars.
type Calendars interface {
	End(ctx context.Context, by ref.Person, id ref.Calendar) error
	File(ctx context.Context, who ref.Person, ask calendars.Ask) (calendars.Sheet, error)
	Give(ctx context.Context, token string) (calendars.Sheet, error)
	Make(ctx context.Context, by ref.Person, ask calendars.Ask) (address string, err error)
	Mine(ctx context.Context, who ref.Person) ([]store.Calendar, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	ViewFor(ctx context.Context, who ref.Person, id ref.View) (store.View, error)
	Views(ctx context.Context, who ref.Person, desk ref.Desk) ([]store.View, error)
}

// Review is what the section asks of the room where partners are answered.
type Review interface {
	PartnerPage(ctx context.Context, k review.Key) (review.PartnerSheet, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Open.GET("/calendar/:token", s.give, s.Outside)
	g.Open.HEAD("/calendar/:token", s.give, s.Outside)
	g.Open.GET("/partner/:token/calendar.ics", s.givePartner, s.Outside)
	g.Me.GET("/calendars", s.mine)
	g.Me.GET("/calendars/file", s.file)
	g.Me.POST("/calendars", s.make)
	g.Me.POST("/calendars/:id/end", s.end)
}
