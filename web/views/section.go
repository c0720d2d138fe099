// Package views is what the four views of the pieces share: filters, cards, kept views; and the addresses of views kept under a name.
package views

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Planning Planning
}

// Planning is what the section asks of planning.
type Planning interface {
	DropView(ctx context.Context, by int64, id int64) error
	SaveView(ctx context.Context, by int64, v store.View) (int64, error)
	ViewFor(ctx context.Context, who int64, id int64) (store.View, error)
	Views(ctx context.Context, who int64, desk int64) ([]store.View, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/v/:id", s.openView)
	g.Me.POST("/views", s.saveView)
}
