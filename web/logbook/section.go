// Package logbook is what was done, by whom and when, of a piece and of a desk.
package logbook

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/logbook"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Logbook  Logbook
	Planning Planning
}

// Logbook is what the section asks of the logbook.
type Logbook interface {
	LastChain() *logbook.Chain
	Acts(ctx context.Context, who ref.Person, desk ref.Desk) ([]string, error)
	OfDesk(ctx context.Context, who ref.Person, s store.LogSieve) ([]store.Entry, map[ref.Piece]string, error)
	OfPiece(ctx context.Context, who ref.Person, s store.LogSieve) ([]store.Entry, error)
	Origins(ctx context.Context, who ref.Person, piece ref.Piece) ([]logbook.Origin, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	Sheet(ctx context.Context, who ref.Person, piece ref.Piece) (planning.Sheet, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/pieces/:id/logbook", s.pieceLog)
	g.Me.GET("/logbook", s.deskLog)
	g.Me.GET("/logbook/as/:as", s.exportLog)
	g.Me.GET("/pieces/:id/logbook/as/:as", s.exportLog)
}
