// Package copy is the text of a piece while people write in it: its line, its margin, its checks, its versions.
package copy

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Copyroom Copyroom
	Review   Review
}

// Copyroom is what the section asks of the copyroom.
type Copyroom interface {
	AddPicture(ctx context.Context, by ref.Person, piece ref.Piece, file *copyroom.Upload) (ref.File, error)
	AddWord(ctx context.Context, by ref.Person, piece ref.Piece, word string) error
	AnswerQuery(ctx context.Context, by ref.Person, id ref.Query, text string, file *copyroom.Upload) error
	AskAbout(ctx context.Context, by ref.Person, piece ref.Piece, o copyroom.Ask) (ref.Query, error)
	BringBack(ctx context.Context, by ref.Person, piece ref.Piece, w copyroom.Which, proposed bool) error
	Checks(ctx context.Context, who ref.Person, piece ref.Piece) (copyroom.CheckSheet, store.Row, error)
	Compare(ctx context.Context, who ref.Person, piece ref.Piece, from copyroom.Which, to copyroom.Which) (copyroom.Comparison, error)
	EditCopy(ctx context.Context, by ref.Person, piece ref.Piece, e copyroom.CopyEdit) (copyroom.EditTaken, error)
	Given(ctx context.Context, who ref.Person, piece ref.Piece) (copy.Text, store.Row, error)
	HandOn(ctx context.Context, who ref.Person, piece ref.Piece) (copyroom.Hand, error)
	Join(ctx context.Context, who ref.Person, piece ref.Piece, client string, after int) (*copyroom.Client, []copyroom.ClientEdit, copyroom.Hand, error)
	MarginOf(ctx context.Context, who ref.Person, piece ref.Piece) (copyroom.Margin, store.Row, error)
	Picture(ctx context.Context, who ref.Person, piece ref.Piece, file ref.File) (store.File, error)
	Queries(ctx context.Context, who ref.Person, which string, words string, limit int) (copyroom.QueryList, error)
	Reviewers(ctx context.Context, row *store.Row) ([]store.Person, error)
	SettleQuery(ctx context.Context, by ref.Person, id ref.Query, settled bool) error
	TakeIn(ctx context.Context, by ref.Person, piece ref.Piece, text copy.Text, instead bool) error
	TryLinks(ctx context.Context, by ref.Person, piece ref.Piece) (dead int, err error)
	Versions(ctx context.Context, who ref.Person, piece ref.Piece) ([]copyroom.VersionSheet, store.Row, error)
}

// Review is what the section asks of review.
type Review interface {
	Decide(ctx context.Context, by ref.Person, piece ref.Piece, take bool, keys []string) (int, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.POST("/pieces/:id/copy", s.editCopy)
	g.Me.GET("/pieces/:id/copy/line", s.copyLine)
	g.Me.GET("/pieces/:id/copy/since", s.copySince)
	g.Me.GET("/pieces/:id/copy/taken", s.takenCopy)
	g.Me.GET("/pieces/:id/margin", s.margin)
	g.Me.GET("/pieces/:id/copy/as/:as", s.giveCopy)
	s.Files(g.Me, "/pieces/:id/copy/in", kit.OneFile, s.takeCopy)
	s.Files(g.Me, "/pieces/:id/pictures", kit.OneFile, s.addPicture)
	g.Me.GET("/pieces/:id/pictures/:file", s.picture)
	g.Me.GET("/pieces/:id/checks", s.checks)
	g.Me.POST("/pieces/:id/words", s.addWord)
	g.Me.POST("/pieces/:id/links", s.tryLinks)
	g.Me.GET("/pieces/:id/versions", s.versions)
	g.Me.POST("/pieces/:id/versions", s.bringBack)
	s.Files(g.Me, "/pieces/:id/queries", kit.OneFile, s.askQuery)
	g.Me.POST("/pieces/:id/proposals", s.decideProposals)
	g.Me.GET("/queries", s.queries)
	kit.SheetRoutes(g.Me, "/queries", s.queriesSheet)
	s.Files(g.Me, "/queries/:id/answer", kit.OneFile, s.answerQuery)
	g.Me.POST("/queries/:id/settle", s.settleQuery)
}
