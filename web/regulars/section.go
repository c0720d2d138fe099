// Package regulars is the pages of pieces that make themselves: all of them on one year, and
// setting one up with what would follow.
package regulars

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/newsroom/regular"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of the room of regulars.
type Section struct {
	*kit.Server
	Regulars Regulars
}

// Regulars is what the section asks of the room of regulars.
type Regulars interface {
	Adopt(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Regular, key day.Date, piece ref.Piece) error
	Lines(ctx context.Context, who ref.Person, desk ref.Desk, from, to day.Date) ([]regular.Line, error)
	Preview(ctx context.Context, by ref.Person, r store.Regular, weeks int) (regular.Outlook, error)
	Regular(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Regular) (store.Regular, error)
	Save(ctx context.Context, by ref.Person, r store.Regular, c regular.Change) (regular.Kept, error)
	Set(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Regular, paused, ended bool) ([]ref.Piece, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/regulars", s.regulars, s.Maker)
	g.Me.GET("/regulars/new", s.newRegular, s.Leads)
	g.Me.POST("/regulars/plan", s.plan, s.Leads)
	g.Me.GET("/regulars/:id", s.regular, s.Leads)
	g.Me.POST("/regulars/:id", s.save, s.Leads)
	g.Me.POST("/regulars/:id/set", s.set, s.Leads)
	g.Me.POST("/regulars/:id/adopt", s.adopt, s.Leads)
}
