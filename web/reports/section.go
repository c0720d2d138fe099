// Package reports is how a desk ran and how its pieces did: the pages of reports, measures, figures,
// goals and what was learnt.
package reports

import (
	"context"
	"embed"
	"io"
	"io/fs"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/weblog"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/reports"
	"greenbaton/store"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	ViewsPage *views.Section
	Figures   Figures
	Reports   Reports
	logs      logs
}

// Figures is what the section asks of the room of figures.
type Figures interface {
	CountLog(ctx context.Context, by ref.Person, l figures.Log, r io.Reader) (weblog.Tally, error)
	Lessons(ctx context.Context, who ref.Person, desk ref.Desk, words string) ([]figures.Lesson, error)
	SaveMeasure(ctx context.Context, by ref.Person, m store.Measure) (ref.Measure, error)
}

// Reports is what the section asks of the room of reports.
type Reports interface {
	DropGoal(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Goal) error
	Goals(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) ([]reports.Goal, error)
	Of(ctx context.Context, who ref.Person, desk ref.Desk, a reports.Asked) (reports.Report, error)
	Carries(ctx context.Context, who ref.Person, desk ref.Desk, c reports.Changed) (reports.Capacity, error)
	MonthTo(ctx context.Context, who ref.Person, desk ref.Desk) ([]ref.Person, error)
	SendMonthTo(ctx context.Context, by ref.Person, desk ref.Desk, to []ref.Person) error
	SaveGoal(ctx context.Context, by ref.Person, g store.Goal) error
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/reports", s.reports, s.Maker)
	kit.SheetRoutes(g.Me, "/reports", s.sheet, s.Maker)
	g.Me.GET("/reports/behind", s.behind, s.Maker)
	g.Me.GET("/reports/month", s.month, s.Maker)
	g.Me.POST("/reports/month", s.sendMonth, s.Leads)
	g.Me.GET("/reports/capacity", s.capacity, s.Maker)
	g.Me.GET("/reports/learnt", s.learnt, s.Maker)
	g.Me.GET("/reports/goals", s.goals, s.Leads)
	g.Me.POST("/reports/goals", s.saveGoal, s.Leads)
	g.Me.GET("/reports/measures", s.measures, s.Leads)
	g.Me.POST("/reports/measures", s.saveMeasure, s.Leads)
	g.Me.GET("/reports/figures", s.figures, s.Maker)
	s.Files(g.Me, "/reports/log", mostLog, s.log, s.Maker)
	g.Me.GET("/reports/log/now", s.logNow, s.Maker)
}
