// Package brief is the brief of a piece and what is prepared beside it: titles to choose from, research, files.
package brief

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/brief"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Intake   Intake
	Planning Planning
}

// Intake is what the section asks of intake.
type Intake interface {
	BeginWith(ctx context.Context, by int64, piece int64, o brief.Outline) error
	DraftBrief(ctx context.Context, by int64, piece int64) (newsroom.BriefDraft, error)
	File(ctx context.Context, who int64, id int64) (store.File, error)
	Likes(ctx context.Context, who int64, d int64, title string, except int64, most int) ([]intake.Like, error)
	Numbered(ctx context.Context, who int64, d int64, numbers ...int) (map[int]int64, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	AddCandidate(ctx context.Context, by int64, piece int64, kind string, text string, file *copyroom.Upload) error
	BriefSheet(ctx context.Context, who int64, piece int64) (planning.BriefSheet, error)
	Choose(ctx context.Context, by int64, piece int64, candidate int64) error
	DropCandidate(ctx context.Context, by int64, piece int64, candidate int64) error
	DropNote(ctx context.Context, by int64, piece int64, note int64) error
	EditBrief(ctx context.Context, by int64, piece int64, version int, n planning.Brief) error
	Kin(ctx context.Context, who int64, piece int64) ([]*newsroom.Entry, error)
	Note(ctx context.Context, by int64, piece int64, about int64, text string, link string, file *copyroom.Upload) error
	Vote(ctx context.Context, by int64, piece int64, candidate int64, is bool) error
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/pieces/:id/brief", s.briefPage)
	g.Me.POST("/pieces/:id/brief", s.brief)
	g.Me.GET("/pieces/:id/brief/sheet", s.briefSheet)
	s.Files(g.Me, "/pieces/:id/candidates", kit.OneFile, s.addCandidate)
	g.Me.POST("/pieces/:id/candidate", s.candidate)
	s.Files(g.Me, "/pieces/:id/research", kit.OneFile, s.note)
	g.Me.POST("/pieces/:id/research/drop", s.dropNote)
	g.Me.GET("/files/:id", s.file)
}
