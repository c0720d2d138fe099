// Package formats is the set-up of a format: its name and fields, its route, brief, checks and guide, and moving pieces over.
package formats

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/brief"
	"greenbaton/core/check"
	"greenbaton/core/ref"
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
	SaveFormatChecks(ctx context.Context, by ref.Person, format ref.Format, rules check.Rules) error
}

// Intake is what the section asks of intake.
type Intake interface {
	Numbered(ctx context.Context, who ref.Person, d ref.Desk, numbers ...int) (map[int]ref.Piece, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	Example(ctx context.Context, who ref.Person, piece ref.Piece) (*relay.Piece, error)
	MoveOver(ctx context.Context, by ref.Person, format ref.Format, versions map[ref.Piece]int) error
	Transfers(ctx context.Context, who ref.Person, format ref.Format) ([]planning.Transfer, error)
}

// Settings is what the section asks of the set-up.
type Settings interface {
	Behind(ctx context.Context, b *newsroom.Setup, format ref.Format) (int, error)
	Guides(ctx context.Context, who ref.Person, format ref.Format) ([]store.Guide, error)
	SaveUsual(ctx context.Context, by ref.Person, format ref.Format, owner ref.Person, priority relay.Priority, answers map[ref.Field][]string) error
	ShareField(ctx context.Context, by ref.Person, field ref.Field, format ref.Format, shown bool) error
	SaveField(ctx context.Context, by ref.Person, x store.Field) error
	SaveFormat(ctx context.Context, by ref.Person, f store.Format) (ref.Format, error)
	SaveFormatBrief(ctx context.Context, by ref.Person, format ref.Format, form brief.Form, titled bool, outline brief.Outline) error
	SaveGuide(ctx context.Context, by ref.Person, format ref.Format, base int, text []byte, example ref.Piece) (int, error)
	SaveRoute(ctx context.Context, by ref.Person, format ref.Format, base int, r route.Route) (int, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/formats/:id", s.formatPage, s.Leads)
	g.Me.POST("/formats/:id", s.saveFormat, s.Leads)
	g.Me.POST("/formats/:id/route", s.saveRoute, s.Leads)
	g.Me.POST("/formats/:id/fields", s.saveField, s.Leads)
	g.Me.POST("/formats/:id/fields/share", s.shareField, s.Leads)
	g.Me.POST("/formats/:id/after", s.saveAfter, s.Leads)
	g.Me.POST("/formats/:id/usual", s.saveUsual, s.Leads)
	g.Me.POST("/formats/:id/brief", s.saveFormatBrief, s.Leads)
	g.Me.POST("/formats/:id/checks", s.saveChecks, s.Leads)
	g.Me.GET("/formats/:id/guide", s.guidePage)
	g.Me.POST("/formats/:id/guide", s.saveGuide, s.Leads)
	g.Me.GET("/formats/:id/pieces", s.transfers, s.Leads)
	g.Me.POST("/formats/:id/pieces", s.moveOver, s.Leads)
}
