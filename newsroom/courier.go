package newsroom

import (
	"context"
	"time"

	"greenbaton/core/copy"
	"greenbaton/core/day"
)

// Mail is one mail to one person.
type Mail struct {
	Key     string // the same mail, sent twice, has the same key
	To      string // "Name <address>"
	Subject string
	Text    string
	HTML    string
	Thread  string // mails of one thread are shown together; empty for one of its own
	Stop    string // the address at which mails like it are stopped by one click; empty for none
}

// Mailer delivers mail.
type Mailer interface {
	Send(ctx context.Context, m Mail) error
}

// Post is one message to a chat.
type Post struct {
	Key    string // the same message, sent twice, has the same key
	URL    string
	Secret string // with which it is signed
	Body   string // JSON
	At     time.Time
}

// Poster posts to chats.
type Poster interface {
	Post(ctx context.Context, p Post) error
}

// Page is a piece as it goes out.
type Page struct {
	Channel string // the channel's short name
	Slug    string
	Piece   int64
	Title   string
	Summary string
	Author  string
	Copy    copy.Text
	Lead    int64 // the file of its lead picture, 0 for none
	LeadAlt string
	At      day.Moment
}

// Publisher is a channel's publishing site. Publishing the same page again
// replaces it; withdrawing takes down what a piece has on a channel, under
// whatever title, and does nothing where there is nothing.
type Publisher interface {
	Publish(ctx context.Context, p Page) error
	Withdraw(ctx context.Context, channel string, piece int64, at day.Moment) error
}
