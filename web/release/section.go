// Package release is what goes with a piece when it goes out, and what is left to do when it is.
package release

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/core/release"
	"greenbaton/newsroom/planning"
	room "greenbaton/newsroom/release"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Planning Planning
	Release  Release
}

// Planning is what the section asks of planning.
type Planning interface {
	AfterRelease(ctx context.Context, who ref.Person, desk ref.Desk) ([]planning.LeftToDo, error)
}

// Release is what the section asks of the room of release.
type Release interface {
	Follow(ctx context.Context, token string) (string, error)
	Links(ctx context.Context, s *room.Sheet) ([]room.Link, error)
	SaveAnnounce(ctx context.Context, by ref.Person, desk ref.Desk, announce release.Announce) error
	Shorten(ctx context.Context, by ref.Person, piece ref.Piece, version int) error
	Pack(ctx context.Context, who ref.Person, piece ref.Piece) (room.Packed, error)
	SaveAsks(ctx context.Context, by ref.Person, channel ref.Channel, asks release.Asks) error
	Draft(ctx context.Context, by ref.Person, piece ref.Piece, version int) (room.Drafted, error)
	SaveSheet(ctx context.Context, by ref.Person, piece ref.Piece, version int, t room.Typed) error
	Schedule(ctx context.Context, by ref.Person, piece ref.Piece, version int, seal string) error
	SheetFor(ctx context.Context, who ref.Person, piece ref.Piece) (room.Sheet, error)
	AddPlace(ctx context.Context, by ref.Person, piece ref.Piece, x room.Also) error
	AddReaders(ctx context.Context, by ref.Person, channel ref.Channel, typed string) (added int, err error)
	DeliverAgain(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Delivery) error
	Again(ctx context.Context, who ref.Person, desk ref.Desk) (out []room.Worth, age int, err error)
	BringOut(ctx context.Context, by ref.Person, piece ref.Piece, version int, note string) error
	Correct(ctx context.Context, by ref.Person, piece ref.Piece, version int) error
	DeliverHere(ctx context.Context) error
	DropCorrection(ctx context.Context, by ref.Person, piece ref.Piece, version int) error
	DropPlace(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Delivery) error
	Failing(ctx context.Context, who ref.Person, desk ref.Desk) ([]store.FailedDelivery, error)
	Places(ctx context.Context, who ref.Person, piece ref.Piece) ([]room.Place, error)
	Readers(ctx context.Context, who ref.Person, channel ref.Channel) ([]store.Subscriber, error)
	SaveOutlet(ctx context.Context, by ref.Person, channel ref.Channel, o release.Outlet) error
	StopReader(ctx context.Context, by ref.Person, channel ref.Channel, id ref.Subscriber) error
	TryOutlet(ctx context.Context, by ref.Person, channel ref.Channel, o release.Outlet) ([]string, error)
	Unschedule(ctx context.Context, by ref.Person, piece ref.Piece, version int, why string) error
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.GET("/after", s.after)
	g.Me.GET("/pieces/:id/sheet", s.sheet)
	g.Me.POST("/pieces/:id/sheet", s.saveSheet)
	g.Open.GET("/to/:token", s.follow)
	g.Me.GET("/desks/:id/places", s.places, s.Leads)
	g.Me.POST("/desks/:id/places", s.savePlaces, s.Leads)
	g.Me.GET("/pieces/:id/package", s.pack)
	g.Me.GET("/channels/:id/asks", s.asks, s.Leads)
	g.Me.POST("/channels/:id/asks", s.saveAsks, s.Leads)
	g.Me.GET("/channels/:id/outlet", s.outlet, s.Leads)
	g.Me.POST("/channels/:id/outlet", s.saveOutlet, s.Leads)
}
