// Package piece is the page of one piece and the moves made on it: passing, sending back, giving, attaching, sending out.
package piece

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/release"
	"greenbaton/newsroom/review"
	"greenbaton/store"
	briefpage "greenbaton/web/brief"
	copypage "greenbaton/web/copy"
	"greenbaton/web/kit"
	reviewpage "greenbaton/web/review"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	BriefPage  *briefpage.Section
	CopyPage   *copypage.Section
	ReviewPage *reviewpage.Section
	Copyroom   Copyroom
	Fees       Fees
	Figures    Figures
	Kernel     Kernel
	Notify     Notify
	Planning   Planning
	Regulars   Regulars
	Review     Review
	Sheets     Sheets
}

// Fees is what the section asks of the room of fees.
type Fees interface {
	OfPiece(ctx context.Context, who ref.Person, p *relay.Piece) ([]store.Fee, error)
}

// Copyroom is what the section asks of the copyroom.
type Copyroom interface {
	Attach(ctx context.Context, by ref.Person, piece ref.Piece, attachment ref.Attachment, file *copyroom.Upload, lead bool, alt string) error
	Attached(ctx context.Context, piece ref.Piece) ([]store.Attachment, []store.AttachmentVersion, []store.File, error)
	Detach(ctx context.Context, by ref.Person, piece ref.Piece, attachment ref.Attachment) error
	ReadTo(ctx context.Context, who ref.Person, piece ref.Piece, seq int) (int, error)
}

// Kernel is what the section asks of the kernel of the newsroom.
type Kernel interface {
	Board(ctx context.Context) (*newsroom.Setup, *plan.Board, error)
	Snapshot(ctx context.Context, f func(context.Context) error) error
}

// Notify is what the section asks of notifying.
type Notify interface {
	FollowPiece(ctx context.Context, who ref.Person, piece ref.Piece, how string) error
	Following(ctx context.Context, who ref.Person, piece ref.Piece) (string, error)
	ReadAbout(ctx context.Context, who ref.Person, piece ref.Piece, upTo ref.Item) (int, error)
	UnreadAbout(ctx context.Context, who ref.Person, piece ref.Piece) (ref.Item, error)
}

// Planning is what the section asks of planning.
type Planning interface {
	Fill(ctx context.Context, by ref.Person, piece ref.Piece, version int, typed map[ref.Field][]string) error
	GiveBack(ctx context.Context, by ref.Person, piece ref.Piece, leg string, why string, version int) error
	NotUsed(ctx context.Context, by ref.Person, piece ref.Piece, version int, why string) error
	MendPlace(ctx context.Context, by ref.Person, piece ref.Piece, version int) error
	Misplaced(ctx context.Context, who ref.Person) ([]planning.Misplaced, error)
	AskForLack(ctx context.Context, by ref.Person, piece ref.Piece, leg, what string) error
	Derived(ctx context.Context, who ref.Person, p *relay.Piece) (from *relay.Piece, begun []store.Row, err error)
	AddAfter(ctx context.Context, by ref.Person, piece ref.Piece, version int, f planning.Following) error
	LeaveAfter(ctx context.Context, by ref.Person, piece ref.Piece, leg, why string, version int) error
	Begin(ctx context.Context, by ref.Person, piece ref.Piece, version int) error
	NeedLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string, version int) error
	OfferLeg(ctx context.Context, by ref.Person, o planning.Offer) error
	Open(ctx context.Context, who ref.Person, d ref.Desk) (planning.Openings, error)
	PassLeg(ctx context.Context, by ref.Person, o planning.Pass) error
	PreviewSendOn(ctx context.Context, who ref.Person, piece ref.Piece, format ref.Format) (planning.SentOn, error)
	Report(ctx context.Context, by ref.Person, piece ref.Piece, leg string, left int, version int) error
	SendBack(ctx context.Context, by ref.Person, o planning.Back) error
	SendOn(ctx context.Context, by ref.Person, piece ref.Piece, format ref.Format, version int) error
	SendOnFormats(ctx context.Context, who ref.Person, piece ref.Piece) ([]store.Format, store.Row, error)
	Sheet(ctx context.Context, who ref.Person, piece ref.Piece) (planning.Sheet, error)
	OwnSteps(ctx context.Context, who ref.Person, piece ref.Piece) ([]planning.OwnStep, error)
	SaveOwnStep(ctx context.Context, by ref.Person, s store.OwnStep) (ref.OwnStep, error)
	TickOwnStep(ctx context.Context, by ref.Person, id ref.OwnStep, done bool) error
	DropOwnStep(ctx context.Context, by ref.Person, id ref.OwnStep) error
	SkipLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string, version int, why string) error
	TakeLeg(ctx context.Context, by ref.Person, piece ref.Piece, leg string) error
	TickStep(ctx context.Context, by ref.Person, piece ref.Piece, step ref.Step, done bool) error
}

// Regulars is what the section asks of the room of regulars.
type Regulars interface {
	Of(ctx context.Context, who ref.Person, piece ref.Piece) (store.Regular, int, error)
}

// Review is what the section asks of review.
type Review interface {
	Release(ctx context.Context, who ref.Person, piece ref.Piece) (review.Release, error)
	SendOut(ctx context.Context, by ref.Person, piece ref.Piece, version int, seal string) error
	Withdraw(ctx context.Context, by ref.Person, piece ref.Piece, version int, why string) error
}

// Sheets is what the section asks of the room of release.
type Sheets interface {
	DeliverHere(ctx context.Context) error
	Places(ctx context.Context, who ref.Person, piece ref.Piece) ([]release.Place, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	s.Server.ShowPiece = s.showPiece // whoever else has a form on this page goes back to it
	g.Me.POST("/pieces/:id/follow", s.follow)
	g.Me.POST("/pieces/:id/steps", s.addStep)
	g.Me.POST("/steps/:id", s.step)
	g.Me.POST("/pieces/:id/figures", s.noteFigure)
	g.Me.POST("/pieces/:id/aims", s.setAim)
	g.Me.POST("/pieces/:id/did", s.sayDid)
	g.Me.GET("/pieces/:id", s.piece)
	g.Me.POST("/pieces/:id/opened", s.opened)
	g.Me.POST("/pieces/:id/pass", s.pass)
	g.Me.POST("/pieces/:id/back", s.back)
	g.Me.POST("/pieces/:id/askfor", s.askFor)
	g.Me.POST("/pieces/:id/begin", s.begin)
	g.Me.POST("/pieces/:id/skip", s.skip)
	g.Me.POST("/pieces/:id/need", s.need)
	g.Me.POST("/pieces/:id/left", s.left)
	g.Me.POST("/pieces/:id/fields", s.fields)
	g.Me.POST("/pieces/:id/take", s.take)
	g.Me.POST("/pieces/:id/offer", s.offer)
	g.Me.POST("/pieces/:id/giveback", s.giveBack)
	g.Me.GET("/open", s.open)
	g.Me.POST("/pieces/:id/tick", s.tick)
	s.Files(g.Me, "/pieces/:id/attachments", kit.OneSound, s.attach)
	g.Me.POST("/pieces/:id/attachments/drop", s.detach)
	g.Me.POST("/pieces/:id/after", s.after)
	g.Me.POST("/pieces/:id/after/leave", s.leaveAfter)
	g.Me.GET("/pieces/:id/out", s.releasePage)
	g.Me.POST("/pieces/:id/out", s.sendOut)
	g.Me.POST("/pieces/:id/withdraw", s.withdraw)
	g.Me.POST("/pieces/:id/notused", s.notUsed)
	g.Me.GET("/pieces/:id/do", s.do)
	g.Me.GET("/pieces/:id/sendon", s.askSendOn)
	g.Me.POST("/pieces/:id/sendon", s.sendOn)
	g.Me.GET("/misplaced", s.misplaced, s.Leads)
	g.Me.POST("/misplaced", s.mendPlace, s.Leads)
}
