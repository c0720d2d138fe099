// Package change is what may be changed in the plan: previews and what follows, ways out, who could do a leg, proposals, undoing.
package change

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Fees     Fees
	Kernel   Kernel
	Planning Planning
	Web      newsroom.Fetcher // which gets calendars from addresses
}

// Fees is what the section asks of the room of fees.
type Fees interface {
	Left(ctx context.Context, who ref.Person, p *relay.Piece, leg string) ([]string, error)
	Over(ctx context.Context, who ref.Person, desk ref.Desk, pieces []relay.Piece) ([]string, error)
}

// Kernel is what the section asks of the kernel of the newsroom.
type Kernel interface {
	Board(ctx context.Context) (*newsroom.Setup, *plan.Board, error)
	Hold(ctx context.Context, who ref.Person, piece ref.Piece, held bool) error
	Undo(ctx context.Context, by ref.Person, id ref.Undo) (what string, pieces []ref.Piece, err error)
}

// Planning is what the section asks of planning.
type Planning interface {
	ChangePlan(ctx context.Context, by ref.Person, o planning.Change) (planning.PlanChanged, error)
	Choices(ctx context.Context, who ref.Person, piece ref.Piece, leg string, sketch ref.Sketch) (store.Row, []planning.Choice, error)
	AskDaysOff(ctx context.Context, by ref.Person, from, to day.Date) error
	Handover(ctx context.Context, by, person ref.Person, from, to day.Date) (planning.Handover, error)
	Preview(ctx context.Context, by ref.Person, changes []plan.Change) (plan.Consequence, error)
	Propose(ctx context.Context, who ref.Person, desk ref.Desk) (planning.Proposal, error)
	Sketching
	TakeUp(ctx context.Context, by ref.Person, c plan.Change) error
	Stands(ctx context.Context, who ref.Person, piece ref.Piece, span planning.Span, sketch ref.Sketch) (map[day.Date]plan.Stand, error)
	WaysOut(ctx context.Context, who ref.Person, piece ref.Piece) (store.Row, []plan.Way, error)
}

// Sketching is what the section asks of planning about sketches.
type Sketching interface {
	DoSketch(ctx context.Context, by ref.Person, id ref.Sketch, seal string) (planning.PlanChanged, error)
	DropSketch(ctx context.Context, by ref.Person, id ref.Sketch) error
	NameSketch(ctx context.Context, by ref.Person, id ref.Sketch, name string) error
	NoteSketch(ctx context.Context, by ref.Person, id ref.Sketch) error
	PreviewIn(ctx context.Context, by ref.Person, s planning.Sketch, changes []plan.Change) (plan.Consequence, error)
	SetSketch(ctx context.Context, by ref.Person, id ref.Sketch, changes []plan.Change) error
	SketchFor(ctx context.Context, who ref.Person, id ref.Sketch) (planning.Sketch, error)
	Sketches(ctx context.Context, who ref.Person, desk ref.Desk) ([]planning.Sketch, error)
	TakeOut(ctx context.Context, by ref.Person, id ref.Sketch, c plan.Change) error
	TryOut(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Sketch, changes []plan.Change) (planning.Tried, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/pieces/:id/what", s.what)
	g.Me.GET("/pieces/:id/ways", s.ways)
	g.Me.GET("/pieces/:id/legs/:leg", s.choices)
	g.Me.POST("/preview", s.preview)
	g.Me.POST("/change", s.change)
	g.Me.POST("/undo", s.undo)
	g.Me.GET("/pieces/:id/stands", s.stands)
	g.Me.GET("/slots/:id", s.slot)
	g.Me.POST("/pieces/:id/hold", s.hold)
	g.Me.GET("/people/:id/handover", s.handover)
	g.Me.POST("/people/:id/handover", s.handOver)
	g.Me.GET("/people/:id/daysoff", s.daysOff)
	s.Files(g.Me, "/people/:id/daysoff", kit.OneFile, s.readDaysOff)
	g.Me.GET("/sketches", s.sketches)
	g.Me.POST("/sketches", s.begin)
	g.Me.GET("/sketches/:id", s.sketch)
	g.Me.POST("/sketches/:id", s.doSketch)
	g.Me.GET("/propose", s.propose, s.Leads)
	g.Me.POST("/propose", s.accept, s.Leads)
}
