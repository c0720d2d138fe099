package newsroom

import (
	"context"
	"time"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/ref"
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
	Piece   ref.Piece
	Title   string
	Summary string
	Author  string
	Copy    copy.Text
	Lead    ref.File // the file of its lead picture, 0 for none
	LeadAlt string
	At      day.Moment
}

// Publisher is a channel's publishing site. Publishing the same page again
// replaces it; withdrawing takes down what a piece has on a channel, under
// whatever title, and does nothing where there is nothing.
type Publisher interface {
	Publish(ctx context.Context, p Page) error
	Withdraw(ctx context.Context, channel string, piece ref.Piece, at day.Moment) error
}

// BriefWriter drafts a brief for a person to correct.
type BriefWriter interface {
	// WriteBrief gives a draft; what it cannot say it leaves out.
	WriteBrief(ctx context.Context, ask BriefAsk) (BriefDraft, error)
}

// BriefAsk is what a brief writer is told.
type BriefAsk struct {
	Title    string      `json:"title"`
	Format   string      `json:"format"`
	Notes    []string    `json:"notes"`   // what is said of the piece so far, and its research
	Phrases  []string    `json:"phrases"` // search phrases
	Like     []LikePiece `json:"like"`
	Parts    []string    `json:"parts"`    // the keys of the parts that the format asks for, as in package brief
	Sections []string    `json:"sections"` // the headings of the outline of the format
}

// LikePiece is a piece like the one that a brief is written for.
type LikePiece struct {
	Number int    `json:"number"`
	Title  string `json:"title"`
	Out    bool   `json:"out"` // it is published
}

// BriefDraft is a brief to be corrected.
type BriefDraft struct {
	About   string            `json:"about"`
	Answers map[string]string `json:"answers"` // by part
	Outline brief.Outline     `json:"outline"`
	Says    string            `json:"-"` // from what it was drafted
}

// TextWriter drafts the texts that go with a piece, for a person to correct.
type TextWriter interface {
	// WriteTexts gives a draft; what it cannot say it leaves out.
	WriteTexts(ctx context.Context, ask TextAsk) (TextDraft, error)
}

// TextAsk is what a text writer is told.
type TextAsk struct {
	Title      string         `json:"title"`
	TitleLimit int            `json:"title_limit"` // characters at most; 0 is any number
	Headings   []string       `json:"headings"`
	Paragraphs []string       `json:"paragraphs"`
	Limits     map[string]int `json:"limits"` // the texts that are asked for, by key, with the most characters of each
	Tags       []string       `json:"tags"`   // that it has already
}

// TextDraft is texts to be corrected.
type TextDraft struct {
	Texts  map[string]string `json:"texts"`  // by key
	Titles []string          `json:"titles"` // others that it could have
	Tags   []string          `json:"tags"`
}

// LinkTrier tells whether what an address leads to answers; the error says why it does
// not, in a few words.
type LinkTrier interface {
	Try(ctx context.Context, address string) error
}
