// Package load is who has how much to do, day by day, and who could take more.
package load

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/load"
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
	Fits(ctx context.Context, who ref.Person, piece ref.Piece, leg string, sketch ref.Sketch) ([]load.Candidate, error)
	Loads(ctx context.Context, who ref.Person, desk ref.Desk, look planning.Look, weeks int, unfolded []ref.Person) (planning.Loads, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/load", s.load)
	g.Me.GET("/pieces/:id/fits", s.fits)
}
