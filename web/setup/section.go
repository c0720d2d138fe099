// Package setup is the set-up of a desk: its channels, formats, routes, people, topics, words and chats.
package setup

import (
	"context"
	"embed"
	"io/fs"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/moving"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Account   Account
	Kernel    Kernel
	Moving    Moving
	WritePage moving.Pages // how pieces are written that are taken out
	Notify    Notify
	Planning  Planning
	Review    Review
	Settings  Settings
}

// Account is what the section asks of the room where people sign in.
type Account interface {
	EndAccess(ctx context.Context, by ref.Person, desk ref.Desk, person ref.Person, ended bool) error
	LeftWith(ctx context.Context, by ref.Person, desk ref.Desk, person ref.Person) ([]account.HeldLeg, error)
}

// Kernel is what the section asks of the kernel of the newsroom.
type Kernel interface {
	Board(ctx context.Context) (*newsroom.Setup, *plan.Board, error)
	LastCopied() (last time.Time, ever, kept bool)
}

// Moving is what the section asks of the room where desks move out.
type Moving interface {
	Sum(ctx context.Context, who ref.Person, desk ref.Desk) (moving.Sum, error)
	TakeOut(ctx context.Context, by ref.Person, desk ref.Desk, to store.Folder, write moving.Pages) (*store.Moved, error)
}

// Notify is what the section asks of notifying.
type Notify interface {
	PreviewWording(ctx context.Context, by ref.Person, desk ref.Desk, key string, text string, piece ref.Piece) (said string, title string, err error)
	SaveHook(ctx context.Context, by ref.Person, k store.Hook) error
	SaveWording(ctx context.Context, by ref.Person, desk ref.Desk, key string, text string) error
	SendAgain(ctx context.Context, by ref.Person, id ref.Message) error
}

// Planning is what the section asks of planning.
type Planning interface {
	Progress(ctx context.Context, desk ref.Desk) (map[ref.Campaign]planning.Progress, error)
}

// Review is what the section asks of review.
type Review interface {
	SetStandIn(ctx context.Context, by ref.Person, absence ref.Absence, standIn ref.Person) error
}

// Settings is what the section asks of the set-up.
type Settings interface {
	AddHolidays(ctx context.Context, by ref.Person, desk ref.Desk, date, to day.Date, name string) error
	Keeps(ctx context.Context) ([]newsroom.Keep, error)
	SaveKeeps(ctx context.Context, by ref.Person, desk ref.Desk, days map[string]int) error
	ComingHolidays(ctx context.Context, desk ref.Desk, n int) ([]day.Holiday, error)
	DropAbsence(ctx context.Context, by ref.Person, desk ref.Desk, absence ref.Absence) error
	DropHoliday(ctx context.Context, by ref.Person, desk ref.Desk, date day.Date) error
	NewPassword(ctx context.Context, by ref.Person, desk ref.Desk, person ref.Person) (string, error)
	RetireDesk(ctx context.Context, by ref.Person, desk ref.Desk, retired bool) error
	SaveCampaign(ctx context.Context, by ref.Person, c store.Campaign) error
	SaveChannel(ctx context.Context, by ref.Person, c store.Channel) (ref.Channel, error)
	SaveDesk(ctx context.Context, by ref.Person, d store.Desk) (ref.Desk, error)
	SavePerson(ctx context.Context, by ref.Person, desk ref.Desk, p store.Person) (id ref.Person, password string, err error)
	SaveSlot(ctx context.Context, by ref.Person, s store.Slot) error
	SaveTopic(ctx context.Context, by ref.Person, t store.Topic) error
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/words", s.wordsPage, s.Leads)
	g.Me.POST("/words/:key", s.saveWords, s.Leads)
	g.Me.GET("/chats", s.chats, s.Leads)
	g.Me.GET("/out", s.outPage, s.Leads)
	g.Me.POST("/out", s.takeOut, s.Leads)
	g.Me.GET("/kept", s.kept, s.Leads)
	g.Me.POST("/kept", s.saveKept, s.Leads)
	g.Me.POST("/chats/:id", s.saveChat, s.Leads)
	g.Me.POST("/post/:id/again", s.sendAgain, s.Leads)
	g.Me.GET("/access", s.access)
	g.Me.GET("/desk", s.desk)
	g.Me.POST("/desk/holidays", s.holiday, s.Leads)
	g.Me.GET("/topics", s.topicsPage, s.Leads)
	g.Me.POST("/topics", s.saveTopic, s.Leads)
	g.Me.POST("/campaigns", s.saveCampaign, s.Leads)
	g.Me.GET("/desks/:id", s.deskFormPage, s.Leads)
	g.Me.POST("/desks/:id", s.saveDesk, s.Leads)
	g.Me.GET("/channels/:id", s.channelPage, s.Leads)
	g.Me.POST("/channels/:id", s.saveChannel, s.Leads)
	g.Me.POST("/channels/:id/slots", s.saveSlot, s.Leads)
	g.Me.GET("/people/:id", s.personPage, s.Leads)
	g.Me.POST("/people/:id", s.savePerson, s.Leads)
	g.Me.POST("/people/:id/password", s.newPassword, s.Leads)
	g.Me.POST("/people/:id/access", s.endAccess, s.Leads)
	g.Me.POST("/people/:id/away/standin", s.standIn, s.Leads)
	g.Me.POST("/people/:id/away/drop", s.dropAbsence, s.Leads)
}
