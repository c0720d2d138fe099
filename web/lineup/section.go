// Package lineup is what goes out on which day, by channel, with what is open beside it.
package lineup

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
	Lineup(ctx context.Context, who ref.Person, desk ref.Desk, look planning.Look, span planning.Span, shows planning.Shows) (planning.Lineup, error)
	Progress(ctx context.Context, desk ref.Desk) (map[ref.Campaign]planning.Progress, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/lineup", s.lineup)
}
