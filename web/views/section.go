// Package views is what the four views of the pieces share: filters, cards, kept views; and the addresses of views kept under a name.
package views

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Fees     Fees
	Planning Planning
}

// Fees is what the section asks of the room of fees.
type Fees interface {
	Sums(ctx context.Context, who ref.Person, desk ref.Desk) (map[ref.Piece]int64, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	SketchFor(ctx context.Context, who ref.Person, id ref.Sketch) (planning.Sketch, error)
	DropView(ctx context.Context, by ref.Person, id ref.View) error
	SaveView(ctx context.Context, by ref.Person, v store.View) (ref.View, error)
	ViewFor(ctx context.Context, who ref.Person, id ref.View) (store.View, error)
	Views(ctx context.Context, who ref.Person, desk ref.Desk) ([]store.View, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/filter", s.filter)
	g.Me.GET("/v/:id", s.openView)
	g.Me.POST("/views", s.saveView)
}
