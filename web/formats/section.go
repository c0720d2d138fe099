// Package formats is the set-up of a format: its name and fields, its route, brief, checks and guide, and moving pieces over.
package formats

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/brief"
	"greenbaton/core/check"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Copyroom Copyroom
	Intake   Intake
	Planning Planning
	Settings Settings
}

// Copyroom is what the section asks of the copyroom.
type Copyroom interface {
	SaveFormatChecks(ctx context.Context, by int64, format int64, rules check.Rules) error
}

// Intake is what the section asks of intake.
type Intake interface {
	Numbered(ctx context.Context, who int64, d int64, numbers ...int) (map[int]int64, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	Example(ctx context.Context, who int64, piece int64) (*relay.Piece, error)
	MoveOver(ctx context.Context, by int64, format int64, versions map[int64]int) error
	Transfers(ctx context.Context, who int64, format int64) ([]planning.Transfer, error)
}

// Settings is what the section asks of the set-up.
type Settings interface {
	Behind(ctx context.Context, b *newsroom.Setup, format int64) (int, error)
	Guides(ctx context.Context, who int64, format int64) ([]store.Guide, error)
	SaveField(ctx context.Context, by int64, x store.Field) error
	SaveFormat(ctx context.Context, by int64, f store.Format) (int64, error)
	SaveFormatBrief(ctx context.Context, by int64, format int64, form brief.Form, titled bool, outline brief.Outline) error
	SaveGuide(ctx context.Context, by int64, format int64, base int, text []byte, example int64) (int, error)
	SaveRoute(ctx context.Context, by int64, format int64, base int, r route.Route) (int, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/formats/:id", s.formatPage, s.Leads)
	g.Me.POST("/formats/:id", s.saveFormat, s.Leads)
	g.Me.POST("/formats/:id/route", s.saveRoute, s.Leads)
	g.Me.POST("/formats/:id/fields", s.saveField, s.Leads)
	g.Me.POST("/formats/:id/brief", s.saveFormatBrief, s.Leads)
	g.Me.POST("/formats/:id/checks", s.saveChecks, s.Leads)
	g.Me.GET("/formats/:id/guide", s.guidePage)
	g.Me.POST("/formats/:id/guide", s.saveGuide, s.Leads)
	g.Me.GET("/formats/:id/pieces", s.transfers, s.Leads)
	g.Me.POST("/formats/:id/pieces", s.moveOver, s.Leads)
}
