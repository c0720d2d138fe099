// Package campaigns is the page of campaigns on a time line, and of one of them: its pieces, how far
// it is toward its targets, and its own steps.
package campaigns

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Figures  Figures
	Planning Planning
	Reports  Reports
	Settings Settings
}

// Figures is what the section asks of the room of figures.
type Figures interface {
	DropAim(ctx context.Context, by ref.Person, id ref.Aim) error
	SaveAim(ctx context.Context, by ref.Person, x store.Aim) error
	SaveOutcome(ctx context.Context, by ref.Person, x store.Outcome) error
}

// Planning is what the section asks of planning.
type Planning interface {
	SaveOwnStep(ctx context.Context, by ref.Person, s store.OwnStep) (ref.OwnStep, error)
}

// Reports is what the section asks of the room of reports.
type Reports interface {
	Campaign(ctx context.Context, who ref.Person, id ref.Campaign, from, to day.Date) (reports.Sheet, error)
	Campaigns(ctx context.Context, who ref.Person, desk ref.Desk) ([]reports.Campaign, error)
}

// Settings is what the section asks of the set-up.
type Settings interface {
	SaveCampaign(ctx context.Context, by ref.Person, c store.Campaign) error
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/campaigns", s.campaigns, s.Maker)
	g.Me.GET("/campaigns/:id", s.campaigns, s.Maker)
	g.Me.POST("/campaigns/:id/dates", s.dates, s.Leads)
	g.Me.POST("/campaigns/:id/steps", s.addStep, s.Maker)
	g.Me.POST("/campaigns/:id/aims", s.setAim, s.Maker)
	g.Me.POST("/campaigns/:id/did", s.sayDid, s.Maker)
}
