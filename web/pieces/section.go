// Package pieces is the list of pieces, its cells that are edited in place, the form of a new piece, and finding.
package pieces

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
	"greenbaton/web/views"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	ViewsPage *views.Section
	Copyroom  Copyroom
	Fees      Fees
	Intake    Intake
	Planning  Planning
}

// Copyroom is what the section asks of the copyroom.
type Copyroom interface {
	Queries(ctx context.Context, who ref.Person, which string, words string, limit int) (copyroom.QueryList, error)
}

// Fees is what the section asks of the room of fees.
type Fees interface {
	Over(ctx context.Context, who ref.Person, desk ref.Desk, pieces []relay.Piece) ([]string, error)
}

// Intake is what the section asks of intake.
type Intake interface {
	Create(ctx context.Context, by ref.Person, d planning.Draft) (ref.Piece, error)
	Find(ctx context.Context, who ref.Person, text string, most int) (intake.Found, error)
	Idea(ctx context.Context, who ref.Person, id ref.Idea) (intake.IdeaRow, map[idea.Act]bool, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	Again(ctx context.Context, by ref.Person, piece ref.Piece, edition bool) (planning.Draft, error)
	EditPieces(ctx context.Context, by ref.Person, edits []planning.Edit) error
	EntriesOf(ctx context.Context, who ref.Person, ids []ref.Piece) ([]*newsroom.Entry, error)
	Example(ctx context.Context, who ref.Person, piece ref.Piece) (*relay.Piece, error)
	List(ctx context.Context, who ref.Person, f planning.Filter) (planning.Listing, error)
	Prospect(ctx context.Context, by ref.Person, d planning.Draft) (planning.Prospect, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/pieces", s.list)
	kit.SheetRoutes(g.Me, "/pieces", s.sheet)
	g.Me.GET("/pieces/new", s.newPiece, s.Maker)
	g.Me.POST("/pieces/new", s.makePiece, s.Maker)
	g.Me.POST("/pieces/new/plan", s.newPiecePlan, s.Maker)
	g.Me.GET("/find", s.find)
	g.Me.GET("/cells/:col", s.cell)
	g.Me.POST("/cells/:col", s.saveCell)
}
