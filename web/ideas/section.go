// Package ideas is what was caught, what it may become, and the sitting at which it gets a day.
package ideas

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/web/assets"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Fees   Fees
	Intake Intake
}

// Fees is what the section asks of the room of fees.
type Fees interface {
	Over(ctx context.Context, who ref.Person, desk ref.Desk, pieces []relay.Piece) ([]string, error)
}

// Intake is what the section asks of intake.
type Intake interface {
	Catch(ctx context.Context, by ref.Person, i idea.Idea, ago int64) (id ref.Idea, fresh bool, err error)
	EditIdea(ctx context.Context, by ref.Person, i idea.Idea) error
	Idea(ctx context.Context, who ref.Person, id ref.Idea) (intake.IdeaRow, map[idea.Act]bool, error)
	Ideas(ctx context.Context, who ref.Person, f intake.IdeaFilter) (intake.IdeaList, error)
	JudgeIdea(ctx context.Context, by ref.Person, id ref.Idea, what string, n int) error
	Likes(ctx context.Context, who ref.Person, d ref.Desk, title string, except ref.Idea, most int) ([]intake.Like, error)
	OpenSlots(ctx context.Context, d ref.Desk, weeks int) ([]planning.OpenSlot, error)
	PlaceIdeas(ctx context.Context, by ref.Person, puts []intake.Put) ([]ref.Piece, error)
	Requests(ctx context.Context, who ref.Person, d ref.Desk, state string) (intake.RequestList, error)
	SettleIdeas(ctx context.Context, by ref.Person, ids []ref.Idea, to idea.State, why string, until day.Date) error
	Sitting(ctx context.Context, who ref.Person, d ref.Desk, puts []intake.Put, held intake.Put, weeks int) (intake.Sitting, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Open.GET("/catch/app.webmanifest", s.manifest)
	g.Open.GET("/catch/worker.js", s.worker(assets.Files()))
	g.Me.GET("/catch", s.catchPage)
	g.Me.POST("/catch", s.catch)
	g.Me.GET("/ideas", s.ideas)
	kit.SheetRoutes(g.Me, "/ideas", s.sheet)
	g.Me.GET("/ideas/like", s.like)
	g.Me.POST("/ideas/settle", s.settleIdeas)
	g.Me.GET("/ideas/:id", s.idea)
	g.Me.POST("/ideas/:id", s.saveIdea)
	g.Me.POST("/ideas/:id/judge", s.judgeIdea)
	g.Me.GET("/sitting", s.sitting, s.Maker)
	g.Me.POST("/sitting", s.placeIdeas, s.Maker)
}
