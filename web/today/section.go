// Package today is the first page: what the desk has to know today, and what waits for whoever looks.
package today

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Copyroom Copyroom
	Figures  Figures
	Notify   Notify
	Planning Planning
	Reports  Reports
	Review   Review
}

// Copyroom is what the section asks of the copyroom.
type Copyroom interface {
	Queries(ctx context.Context, who ref.Person, which string, words string, limit int) (copyroom.QueryList, error)
}

// Figures is what the section asks of the room of figures.
type Figures interface {
	AskedOf(ctx context.Context, who ref.Person, desk ref.Desk) ([]*newsroom.Entry, error)
}

// Notify is what the section asks of the room that tells people and programs.
type Notify interface {
	GivenUp(ctx context.Context, who ref.Person, desk ref.Desk) ([]store.GivenUp, error)
}

// Reports is what the section asks of the room of reports.
type Reports interface {
	Goals(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) ([]reports.Goal, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	WantedOf(ctx context.Context, who ref.Person) ([]planning.Wanted, error)
	AfterRelease(ctx context.Context, who ref.Person, desk ref.Desk) ([]planning.LeftToDo, error)
	MySteps(ctx context.Context, who ref.Person, desk ref.Desk) ([]planning.OwnStep, error)
	TodayFor(ctx context.Context, who ref.Person, d ref.Desk) (planning.Day, error)
}

// Review is what the section asks of review.
type Review interface {
	VerdictsOwed(ctx context.Context, who ref.Person) ([]store.Row, []relay.Leg, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/", s.today)
}
