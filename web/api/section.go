// Package api is the interface for programs under /api/v1: what people do on pages, as JSON, by
// personal tokens. Each operation is declared in one place, from which it is served, described
// (OpenAPI 3.1) and bounded: which area of a token it asks for stands there. What is done is done by
// the same acts as on pages, under the same table of rights.
package api

import (
	"context"
	"embed"
	"io/fs"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humago"
	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/request"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/fees"
	"greenbaton/newsroom/figures"
	"greenbaton/newsroom/intake"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/programs"
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
	Fees     Fees
	Figures  Figures
	Intake   Intake
	Logbook  Logbook
	Planning Planning
	Programs Programs
	Review   Review

	limits limits
	shown  description
}

// Copyroom is what programs ask of the copyroom.
type Copyroom interface {
	Attach(ctx context.Context, by ref.Person, piece ref.Piece, attachment ref.Attachment, file *copyroom.Upload, lead bool, alt string) error
	AnswerQuery(ctx context.Context, by ref.Person, id ref.Query, text string, file *copyroom.Upload) error
	AttachedTo(ctx context.Context, who ref.Person, piece ref.Piece) ([]store.Attachment, error)
	AskAbout(ctx context.Context, by ref.Person, piece ref.Piece, o copyroom.Ask) (ref.Query, error)
	MarginOf(ctx context.Context, who ref.Person, piece ref.Piece) (copyroom.Margin, store.Row, error)
	ReplaceCopy(ctx context.Context, by ref.Person, piece ref.Piece, o copyroom.Replace) (copyroom.Saved, error)
	SettleQuery(ctx context.Context, by ref.Person, id ref.Query, settled bool) error
}

// Fees is what programs ask of the room of fees.
type Fees interface {
	OfMonth(ctx context.Context, who ref.Person, desk ref.Desk, on day.Date) ([]fees.Owed, error)
}

// Figures is what programs ask of the room of figures.
type Figures interface {
	Of(ctx context.Context, who ref.Person, piece ref.Piece) (figures.Sheet, error)
	SetFigure(ctx context.Context, by ref.Person, piece ref.Piece, m ref.Measure, on day.Date, value float64, drop bool) error
}

// Intake is what programs ask of intake.
type Intake interface {
	Catch(ctx context.Context, by ref.Person, i idea.Idea, ago int64) (id ref.Idea, fresh bool, err error)
	Create(ctx context.Context, by ref.Person, d planning.Draft) (ref.Piece, error)
	File(ctx context.Context, who ref.Person, id ref.File) (store.File, error)
	Idea(ctx context.Context, who ref.Person, id ref.Idea) (intake.IdeaRow, map[idea.Act]bool, error)
	Ideas(ctx context.Context, who ref.Person, f intake.IdeaFilter) (intake.IdeaList, error)
	Requests(ctx context.Context, who ref.Person, d ref.Desk, state string) (intake.RequestList, error)
	Ask(ctx context.Context, who ref.Person, f request.Form, x request.Asked, files []copyroom.Upload) (string, error)
	AskBack(ctx context.Context, by ref.Person, id ref.Request, version int, text string) error
	Form(ctx context.Context, who ref.Person, slug string) (request.Form, error)
	Forms(ctx context.Context, who ref.Person, d ref.Desk) ([]request.Form, error)
	TakeRequest(ctx context.Context, by ref.Person, id ref.Request, version int, t intake.Take) (ref.Piece, error)
	Triage(ctx context.Context, who ref.Person, id ref.Request) (intake.Triage, error)
	TurnDown(ctx context.Context, by ref.Person, id ref.Request, version int, why string) error
}

// Logbook is what programs ask of the logbook.
type Logbook interface {
	OfDesk(ctx context.Context, who ref.Person, s store.LogSieve) ([]store.Entry, map[ref.Piece]string, error)
	OfPiece(ctx context.Context, who ref.Person, s store.LogSieve) ([]store.Entry, error)
}

// Planning is what programs ask of planning.
type Planning interface {
	ChangePlan(ctx context.Context, by ref.Person, o planning.Change) (planning.PlanChanged, error)
	EditPieces(ctx context.Context, by ref.Person, edits []planning.Edit) error
	GiveLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string, to ref.Person, version int) error
	Lineup(ctx context.Context, who ref.Person, desk ref.Desk, look planning.Look, span planning.Span, shows planning.Shows) (planning.Lineup, error)
	Loads(ctx context.Context, who ref.Person, desk ref.Desk, look planning.Look, weeks int, unfolded []ref.Person) (planning.Loads, error)
	PageAfter(ctx context.Context, who ref.Person, l planning.Look, text string, after ref.Piece, most int) ([]*newsroom.Entry, bool, error)
	PassLeg(ctx context.Context, by ref.Person, o planning.Pass) error
	SendBack(ctx context.Context, by ref.Person, o planning.Back) error
	Plain(ctx context.Context, who ref.Person, piece ref.Piece) (planning.Plain, error)
	Sheet(ctx context.Context, who ref.Person, piece ref.Piece) (planning.Sheet, error)
	TakeLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string) error
	ViewFor(ctx context.Context, who ref.Person, id ref.View) (store.View, error)
	Views(ctx context.Context, who ref.Person, desk ref.Desk) ([]store.View, error)
}

// Programs is what it asks of the room of programs.
type Programs interface {
	Answered(ctx context.Context, x store.AskedOnce) error
	End(ctx context.Context, by ref.Person, id ref.Token) error
	Make(ctx context.Context, by ref.Person, name string, s scope.Scope, days int) (string, error)
	Opens(ctx context.Context, k programs.Key) bool
	Once(ctx context.Context, x store.AskedOnce) (before *store.AskedOnce, done func(), err error)
	Open(ctx context.Context, token, from string) (programs.Key, error)
	PostAgain(ctx context.Context, by ref.Person, desk ref.Desk, id ref.Receiver, message ref.Message) error
	Posted(ctx context.Context, who ref.Person, desk ref.Desk, id ref.Receiver) ([]store.Message, error)
	SaveReceiver(ctx context.Context, by ref.Person, x store.Receiver) error
	Tokens(ctx context.Context, who ref.Person) ([]store.Token, error)
}

// Review is what programs ask of the room where verdicts are said.
type Review interface {
	SayVerdict(ctx context.Context, k review.Key, v review.Verdict) error
	Verdicts(ctx context.Context, who ref.Person, piece ref.Piece) (review.VerdictSheet, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Base is below which all addresses for programs are.
var Base = strings.TrimSuffix(kit.ProgramsBelow, "/")

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	mux := http.NewServeMux()
	config := huma.DefaultConfig("Green Baton", "1")
	config.OpenAPIPath, config.DocsPath, config.SchemasPath, config.CreateHooks = "/openapi", "", "", nil
	config.Info.Description = strings.Join(conventions, " ")
	config.Servers = []*huma.Server{{URL: s.Base + Base}}
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{"token": {Type: "http", Scheme: "bearer", Description: "A personal token."}}
	a := humago.NewWithPrefix(mux, "", config)
	a.UseMiddleware(s.scoped(a))
	s.pieces(a)
	s.legs(a)
	s.views(a)
	s.copies(a)
	s.ideas(a)
	s.requests(a)
	s.people(a)
	s.figures(a)
	s.logbook(a)
	s.stream(a)
	s.shown.of(a.OpenAPI())
	door := echo.WrapHandler(http.StripPrefix(Base, s.door(mux)))
	for _, m := range []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions} {
		g.Open.Add(m, Base+"/*", door)
	}
	s.Files(g.Open.Group(""), Base+"/pieces/:id/files", mostFile, door)
	g.Me.GET("/api", s.reader)
	g.Me.GET("/programs", s.tokens)
	g.Me.POST("/programs", s.makeToken)
	g.Me.POST("/programs/:id/end", s.endToken)
	g.Me.GET("/receivers", s.receivers, s.Leads)
	g.Me.POST("/receivers/:id", s.saveReceiver, s.Leads)
	g.Me.GET("/receivers/:id", s.posted, s.Leads)
	g.Me.POST("/receivers/:id/again", s.postAgain, s.Leads)
}

// conventions are what holds of all that programs ask.
var conventions = []string{
	"Make a token under Programs in the menu below your initials, and send it as Authorization: Bearer.",
	"Times are written as RFC 3339 has them, days like 2026-11-26.",
	"What goes wrong is said as RFC 9457 has it: a problem, with what to do.",
	"A list gives as many as are asked for at most, and a cursor for the next ones.",
	"A piece and a copy have their version as ETag. Give it as If-Match with what changes them, and nothing that came between is overwritten.",
	"With an Idempotency-Key, what is asked twice is done once.",
	"A token asks two thousand times at once, and twenty times a second after that; RateLimit-Remaining says what is left.",
}

// mostBody is how much is sent with what is asked at most, in bytes, and mostFile how large a file is.
const mostBody, mostFile = 4 << 20, copyroom.MaxSound + 1<<10

// ask is an operation before it is registered.
type ask struct {
	method, path string
	id           string // of the operation
	says         string // in one sentence
	area         scope.Area
	right        scope.Right
	made         bool   // it is answered 201
	file         bool   // it takes a file
	streams      string // of which kind is what comes for as long as one listens; "" for what is answered as a whole
	tag          string
}

// add registers an operation: what is asked is answered in the name of whoever the token is of.
func add[I, O any](s *Section, a huma.API, x ask, f func(context.Context, programs.Key, *I) (*O, error)) {
	op := huma.Operation{
		OperationID: x.id, Method: x.method, Path: x.path, Summary: x.says, Tags: []string{x.tag},
		Description: "Asks for " + string(x.area) + ":" + string(x.right) + ".",
		Security:    []map[string][]string{{"token": {}}},
		Metadata:    map[string]any{"area": x.area, "right": x.right},
		Errors:      []int{http.StatusBadRequest, http.StatusUnauthorized, http.StatusForbidden, http.StatusUnprocessableEntity, http.StatusTooManyRequests, http.StatusServiceUnavailable},
	}
	if x.area == "" {
		op.Description = "Asks for no area."
	}
	if x.method != http.MethodGet {
		op.MaxBodyBytes = mostBody
		if x.file {
			op.MaxBodyBytes = mostFile
		}
		op.Errors = append(op.Errors, http.StatusConflict, http.StatusPreconditionFailed, http.StatusRequestEntityTooLarge)
		op.Parameters = append(op.Parameters, &huma.Param{Name: "Idempotency-Key", In: "header", Description: "Under one key things are done once, however often they are asked; it is remembered for a day.", Schema: &huma.Schema{Type: huma.TypeString, MaxLength: new(mostKey)}})
	}
	op.Errors = append(op.Errors, http.StatusNotFound)
	if x.streams != "" {
		op.Responses = map[string]*huma.Response{"200": {Description: "As long as one listens.", Content: map[string]*huma.MediaType{x.streams: {Schema: &huma.Schema{Type: huma.TypeString}}}}}
	}
	if x.made {
		op.DefaultStatus = http.StatusCreated
	}
	huma.Register(a, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := f(ctx, keyOf(ctx), in)
		if err != nil {
			return nil, s.problem(ctx, err)
		}
		return out, nil
	})
}
