// Package bring is bringing lists from elsewhere in.
package bring

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/bring"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/intake"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Intake Intake
	Web    newsroom.Fetcher // which gets feeds from addresses; nil where nothing can be reached
}

// Intake is what the section asks of intake.
type Intake interface {
	Batches(ctx context.Context, who ref.Person, d ref.Desk) ([]store.Batch, error)
	BringIn(ctx context.Context, by ref.Person, batch ref.Batch, every bool) error
	Bringing(ctx context.Context, who ref.Person, batch ref.Batch) (intake.Bringing, error)
	BringingNow(ctx context.Context, who ref.Person, batch ref.Batch) (intake.HowFar, error)
	LookAt(ctx context.Context, by ref.Person, d ref.Desk, kind bring.Kind, name string, t bring.Table) (ref.Batch, error)
	MatchColumns(ctx context.Context, by ref.Person, batch ref.Batch, p intake.BringPlan) error
	TakeBack(ctx context.Context, by ref.Person, batch ref.Batch) (string, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/bring", s.bringPage, s.Maker)
	s.Files(g.Me, "/bring", kit.OneArchive, s.bring, s.Maker)
	g.Me.GET("/bring/:id", s.bringingPage)
	g.Me.GET("/bring/:id/now", s.bringingNow)
	g.Me.GET("/bring/:id/to-mend.csv", s.restOfList)
	g.Me.POST("/bring/:id/columns", s.matchColumns)
	g.Me.POST("/bring/:id/in", s.bringIn)
	g.Me.POST("/bring/:id/back", s.takeBack)
}
