// Package copy is the text of a piece while people write in it: its line, its margin, its checks, its versions.
package copy

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/copy"
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
	AddPicture(ctx context.Context, by int64, piece int64, file *copyroom.Upload) (int64, error)
	AddWord(ctx context.Context, by int64, piece int64, word string) error
	AnswerQuery(ctx context.Context, by int64, id int64, text string, file *copyroom.Upload) error
	AskAbout(ctx context.Context, by int64, piece int64, o copyroom.Ask) (int64, error)
	BringBack(ctx context.Context, by int64, piece int64, w copyroom.Which, proposed bool) error
	Checks(ctx context.Context, who int64, piece int64) (copyroom.CheckSheet, store.Row, error)
	Compare(ctx context.Context, who int64, piece int64, from copyroom.Which, to copyroom.Which) (copyroom.Comparison, error)
	EditCopy(ctx context.Context, by int64, piece int64, e copyroom.CopyEdit) (copyroom.EditTaken, error)
	Given(ctx context.Context, who int64, piece int64) (copy.Text, store.Row, error)
	HandOn(ctx context.Context, who int64, piece int64) (copyroom.Hand, error)
	Join(ctx context.Context, who int64, piece int64, client string, after int) (*copyroom.Client, []copyroom.ClientEdit, copyroom.Hand, error)
	MarginOf(ctx context.Context, who int64, piece int64) (copyroom.Margin, store.Row, error)
	Picture(ctx context.Context, who int64, piece int64, file int64) (store.File, error)
	Queries(ctx context.Context, who int64, which string, words string, limit int) (copyroom.QueryList, error)
	Reviewers(ctx context.Context, row *store.Row) ([]store.Person, error)
	SettleQuery(ctx context.Context, by int64, id int64, settled bool) error
	TakeIn(ctx context.Context, by int64, piece int64, text copy.Text, instead bool) error
	TryLinks(ctx context.Context, by int64, piece int64) (dead int, err error)
	Versions(ctx context.Context, who int64, piece int64) ([]copyroom.VersionSheet, store.Row, error)
}

// Review is what the section asks of review.
type Review interface {
	Decide(ctx context.Context, by int64, piece int64, take bool, keys []string) (int, error)
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
	s.Files(g.Me, "/queries/:id/answer", kit.OneFile, s.answerQuery)
	g.Me.POST("/queries/:id/settle", s.settleQuery)
}
