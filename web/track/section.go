// Package track is where every piece is on its way, leg beside leg.
package track

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	ViewsPage *views.Section
	Planning  Planning
}

// Planning is what the section asks of planning.
type Planning interface {
	HandsOn(ctx context.Context, who ref.Person, piece ref.Piece, leg string) (planning.Hands, error)
	OrderLegs(ctx context.Context, by ref.Person, places []planning.Place) error
	Track(ctx context.Context, who ref.Person, desk ref.Desk, look planning.Look, by planning.LanesBy, out int) (planning.Track, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/track", s.track)
	g.Me.POST("/order", s.order)
	g.Me.GET("/pieces/:id/hands", s.hands)
	g.Me.GET("/pieces/:id/back", s.askBack)
}
