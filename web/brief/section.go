// Package brief is the brief of a piece and what is prepared beside it: titles to choose from, research, files.
package brief

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/brief"
	"greenbaton/core/ref"
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
	BeginWith(ctx context.Context, by ref.Person, piece ref.Piece, o brief.Outline) error
	DraftBrief(ctx context.Context, by ref.Person, piece ref.Piece) (newsroom.BriefDraft, error)
	File(ctx context.Context, who ref.Person, id ref.File) (store.File, error)
	Likes(ctx context.Context, who ref.Person, d ref.Desk, title string, except ref.Idea, most int) ([]intake.Like, error)
	Numbered(ctx context.Context, who ref.Person, d ref.Desk, numbers ...int) (map[int]ref.Piece, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	AddCandidate(ctx context.Context, by ref.Person, piece ref.Piece, kind string, text string, file *copyroom.Upload) error
	BriefSheet(ctx context.Context, who ref.Person, piece ref.Piece) (planning.BriefSheet, error)
	Choose(ctx context.Context, by ref.Person, piece ref.Piece, candidate ref.Candidate) error
	DropCandidate(ctx context.Context, by ref.Person, piece ref.Piece, candidate ref.Candidate) error
	DropNote(ctx context.Context, by ref.Person, piece ref.Piece, note ref.Finding) error
	EditBrief(ctx context.Context, by ref.Person, piece ref.Piece, version int, n planning.Brief) error
	Kin(ctx context.Context, who ref.Person, piece ref.Piece) ([]*newsroom.Entry, error)
	Note(ctx context.Context, by ref.Person, piece ref.Piece, about ref.Finding, text string, link string, file *copyroom.Upload) error
	Vote(ctx context.Context, by ref.Person, piece ref.Piece, candidate ref.Candidate, is bool) error
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
