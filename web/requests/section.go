// Package requests is what others ask for, by form or as a pitch, and deciding on it.
package requests

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/request"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/intake"
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
	AnswerPitch(ctx context.Context, by ref.Person, id ref.Pitch, yes bool, why string) (ref.Piece, error)
	Ask(ctx context.Context, who ref.Person, f request.Form, x request.Asked, files []copyroom.Upload) (string, error)
	AskBack(ctx context.Context, by ref.Person, id ref.Request, version int, text string) error
	Capacity(ctx context.Context, who ref.Person, t intake.Take, wanted day.Date) (intake.Capacity, error)
	Follow(ctx context.Context, token string) (intake.Followed, error)
	Form(ctx context.Context, who ref.Person, slug string) (request.Form, error)
	Forms(ctx context.Context, who ref.Person, d ref.Desk) ([]request.Form, error)
	Idea(ctx context.Context, who ref.Person, id ref.Idea) (intake.IdeaRow, map[idea.Act]bool, error)
	Pitch(ctx context.Context, by ref.Person, p store.Pitch) (ref.Pitch, error)
	Pitches(ctx context.Context, who ref.Person, d ref.Desk) ([]store.Pitch, error)
	Reply(ctx context.Context, token string, text string) error
	AllRequests(ctx context.Context, who ref.Person, d ref.Desk, state string) (intake.RequestList, error)
	Requests(ctx context.Context, who ref.Person, d ref.Desk, state string) (intake.RequestList, error)
	SaveForm(ctx context.Context, by ref.Person, f request.Form) (ref.Form, error)
	TakeRequest(ctx context.Context, by ref.Person, id ref.Request, version int, t intake.Take) (ref.Piece, error)
	Triage(ctx context.Context, who ref.Person, id ref.Request) (intake.Triage, error)
	TurnDown(ctx context.Context, by ref.Person, id ref.Request, version int, why string) error
}

// Planning is what the section asks of planning.
type Planning interface {
	Example(ctx context.Context, who ref.Person, piece ref.Piece) (*relay.Piece, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.In.GET("/ask/:slug", s.ask)
	s.Files(g.In, "/ask/:slug", request.MaxFiles*copyroom.MaxFile+1<<20, s.takeAsk)
	g.In.GET("/asked/:token", s.asked)
	g.In.POST("/asked/:token", s.reply)
	g.Me.GET("/pitches", s.pitches)
	g.Me.POST("/pitches", s.savePitch)
	g.Me.POST("/pitches/:id", s.answerPitch)
	g.Me.GET("/requests", s.requests)
	kit.SheetRoutes(g.Me, "/requests", s.sheet)
	g.Me.GET("/requests/:id", s.triage)
	g.Me.POST("/requests/:id", s.decide)
	g.Me.GET("/forms", s.forms)
	g.Me.GET("/forms/:id", s.formPage, s.Leads)
	g.Me.POST("/forms/:id", s.saveForm, s.Leads)
}
