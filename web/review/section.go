// Package review is a piece as its reviewers see it, by private link or signed in, and what they say of it.
package review

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/review"
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
	NoteRead(ctx context.Context, who ref.Person, piece ref.Piece, seq int) error
}

// Review is what the section asks of review.
type Review interface {
	AnswerInReview(ctx context.Context, k review.Key, id ref.Query, text string) error
	AskInReview(ctx context.Context, k review.Key, o copyroom.Ask) (ref.Query, error)
	Invite(ctx context.Context, by ref.Person, o review.Invite) (ref.Reviewer, error)
	Nudge(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Reviewer) error
	Opened(ctx context.Context, k review.Key, seq int) error
	Review(ctx context.Context, k review.Key) (review.Reading, error)
	ReviewFile(ctx context.Context, k review.Key, file ref.File) (store.File, error)
	ReviewPicture(ctx context.Context, k review.Key, file ref.File) (store.File, error)
	SayVerdict(ctx context.Context, k review.Key, v review.Verdict) error
	SettleInReview(ctx context.Context, k review.Key, id ref.Query, settled bool) error
	Uninvite(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Reviewer) error
	Verdicts(ctx context.Context, who ref.Person, piece ref.Piece) (review.VerdictSheet, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	out := g.In.Group("/review/:token", s.Outside)
	out.GET("", s.review)
	out.POST("/opened", s.openedReview)
	out.POST("/verdict", s.sayVerdict)
	out.POST("/ask", s.askInReview)
	out.POST("/answer", s.answerInReview)
	out.POST("/settle", s.settleInReview)
	out.GET("/pictures/:file", s.reviewPicture)
	out.GET("/files/:file", s.reviewFile)
	g.Me.GET("/pieces/:id/review", s.review)
	g.Me.POST("/pieces/:id/review/opened", s.openedReview)
	g.Me.POST("/pieces/:id/read", s.noteRead)
	g.Me.POST("/pieces/:id/review/verdict", s.sayVerdict)
	g.Me.POST("/pieces/:id/review/ask", s.askInReview)
	g.Me.POST("/pieces/:id/review/answer", s.answerInReview)
	g.Me.POST("/pieces/:id/review/settle", s.settleInReview)
	g.Me.GET("/pieces/:id/review/pictures/:file", s.reviewPicture)
	g.Me.GET("/pieces/:id/review/files/:file", s.reviewFile)
	g.Me.POST("/pieces/:id/invite", s.invite)
}
