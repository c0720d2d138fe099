// Package inbox is what somebody was told, and the mails that were sent.
package inbox

import (
	"context"
	"embed"
	"io/fs"

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
	DeadLetters(ctx context.Context, who int64) (int, error)
	InboxOf(ctx context.Context, who int64, which string, below int64, limit int) ([]store.ItemWithTitle, error)
	OpenItem(ctx context.Context, who int64, item int64) (store.Item, error)
	Passable(ctx context.Context, who int64, pieces []int64) (map[int64]notify.Passable, error)
	PostRoom(ctx context.Context, who int64, to string, below int64, limit int) ([]store.Message, error)
	PostRoomMail(ctx context.Context, who int64, id int64) (store.Message, error)
	ReadAll(ctx context.Context, who int64) error
	SetAside(ctx context.Context, who int64, item int64, aside bool) error
	SetUnread(ctx context.Context, who int64, item int64) error
	Unread(ctx context.Context, who int64) (int, error)
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
