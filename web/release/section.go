// Package release is what goes with a piece when it goes out, and what is left to do when it is.
package release

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/planning"
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
	AfterRelease(ctx context.Context, who ref.Person, desk ref.Desk) ([]planning.LeftToDo, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/after", s.after)
}
