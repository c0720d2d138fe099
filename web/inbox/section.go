// Package inbox is what somebody was told, and the mails that were sent.
package inbox

import (
	"context"
	"embed"
	"io/fs"

	"greenbaton/core/ref"
	"greenbaton/newsroom/notify"
	"greenbaton/store"
	"greenbaton/web/kit"
)

//go:embed *.html
var pages embed.FS

// Section serves it, with what it asks of each room of the newsroom.
type Section struct {
	*kit.Server
	Notify Notify
}

// Notify is what the section asks of notifying.
type Notify interface {
	DeadLetters(ctx context.Context, who ref.Person) (int, error)
	InboxOf(ctx context.Context, who ref.Person, which string, below ref.Item, limit int) ([]store.ItemWithTitle, error)
	OpenItem(ctx context.Context, who ref.Person, item ref.Item) (store.Item, error)
	Passable(ctx context.Context, who ref.Person, pieces []ref.Piece) (map[ref.Piece]notify.Passable, error)
	PostRoom(ctx context.Context, who ref.Person, to string, below ref.Message, limit int) ([]store.Message, error)
	PostRoomMail(ctx context.Context, who ref.Person, id ref.Message) (store.Message, error)
	ReadAll(ctx context.Context, who ref.Person) error
	SetAside(ctx context.Context, who ref.Person, item ref.Item, aside bool) error
	SetUnread(ctx context.Context, who ref.Person, item ref.Item) error
	Unread(ctx context.Context, who ref.Person) (int, error)
}

// Pages are the templates of the section.
func (s *Section) Pages() fs.FS { return pages }

// Routes puts the addresses of the section where they belong.
func (s *Section) Routes(g kit.Groups) {
	g.Me.POST("/inbox/:id/aside", s.setAside)
	g.Me.GET("/inbox", s.inbox)
	g.Me.POST("/inbox/read", s.readAll)
	g.Me.POST("/inbox/:id", s.openItem)
	g.Me.GET("/post", s.postRoom)
	g.Me.GET("/post/:id", s.postRoomMail)
}
