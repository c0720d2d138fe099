package newsroom

import (
	"context"
	"errors"
	"fmt"
	"time"

	"greenbaton/core/brief"
	"greenbaton/core/copy"
	"greenbaton/core/day"
	"greenbaton/core/digest"
	"greenbaton/core/ref"
	"greenbaton/core/release"
	"greenbaton/store"
)

// ErrStopped is what a step ends with in tests of what a crash leaves.
var ErrStopped = errors.New("stopped")

// Step is called between the statements of a delivery; tests stop it there.
func (h *Newsroom) Step(name string) error {
	if h.Crash != nil && h.Crash(name) {
		return fmt.Errorf("after %q: %w", name, ErrStopped)
	}
	return nil
}

// Pause is after how many seconds what was tried so often is tried again: half a minute, and
// twice as long each time, up to six hours.
func Pause(tries int) day.Moment { return min(day.Moment(30)<<min(tries, 10), 6*3600) }

// Mail is one mail to one person.
type Mail struct {
	Key     string // the same mail, sent twice, has the same key
	To      string // "Name <address>"
	Subject string
	Text    string
	HTML    string
	Sender  string // the name it comes from; none is that of the house
	Thread  string // mails of one thread are shown together; empty for one of its own
	Stop    string // the address at which mails like it are stopped by one click; empty for none
}

// Mailer delivers mail.
type Mailer interface {
	Send(ctx context.Context, m Mail) error
}

// Post is one message to a chat, or an event for a program.
type Post struct {
	Event  bool   // it is signed as Standard Webhooks have it; the secret begins with whsec_
	Key    string // the same message, sent twice, has the same key
	URL    string
	Secret string // with which it is signed
	Body   string // JSON
	At     time.Time
}

// Poster posts to chats and programs.
type Poster interface {
	Post(ctx context.Context, p Post) error
}

// Page is a piece as it goes out.
type Page struct {
	Slug     string
	Number   int
	Piece    ref.Piece
	Title    string
	Summary  string
	Author   string
	Copy     copy.Text
	Lead     ref.File // the file of its lead picture, 0 for none
	LeadAlt  string
	Tags     []string
	Related  []Linked // that are out
	Next     []Linked // where readers go next
	Fields   []Said   // what the channel asks besides
	Chapters []release.Chapter
	Sound    Sound
	Note     string // what was corrected
	First    time.Time
	At       time.Time // since when it is as it is
}

// Sound is the recording of a piece.
type Sound struct {
	File    ref.File // 0 for none
	Name    string
	Type    string
	Length  int // bytes
	Seconds int // how long it lasts, 0 where that is not known
}

// Linked is a page that another leads to.
type Linked struct {
	Title   string `json:"title"`
	Address string `json:"address"`
}

// Said is what is said under a name.
type Said struct {
	Name string `json:"name"`
	Text string `json:"text"`
}

// Extra is what a page of the shipped site has beside its body, as it is kept.
type Extra struct {
	Tags     []string          `json:"tags,omitempty"`
	Related  []Linked          `json:"related,omitempty"`
	Next     []Linked          `json:"next,omitempty"`
	Fields   []Said            `json:"fields,omitempty"`
	Chapters []release.Chapter `json:"chapters,omitempty"`
	Sound    ref.File          `json:"sound,omitempty"`
	Type     string            `json:"type,omitempty"` // of the recording
	Length   int               `json:"length,omitempty"`
	Seconds  int               `json:"seconds,omitempty"`
	Note     string            `json:"note,omitempty"`
}

// Line is what a letter says of another piece.
type Line struct {
	Title, Text, Address string
	Delivery             store.Delivery // that is done with it
}

// Parcel is a page on its way to a channel.
type Parcel struct {
	Key     string // the same parcel, sent twice, has the same key
	Outlet  release.Outlet
	Channel string // its short name
	To      ref.Channel
	House   string // the desk
	Base    string // of the program, for addresses that are below it
	Now     day.Moment
	Page    Page // without a title where only lines are sent
	Lines   []Line
	Address string            // where the page is already; none is nowhere
	Maybe   bool              // it may have arrived at an earlier try
	Sent    bool              // it was mailed; only what is seen elsewhere changes
	Media   map[string]string // where its pictures are already, by number; a carrier adds to it
	Open    func(ctx context.Context, file ref.File) (store.File, error)
}

// Carrier brings pages to channels of one kind. What is brought again under the same key, or to
// the address where it is, replaces what is there.
type Carrier interface {
	// Put brings a page up and gives its address, none where that is not known.
	Put(ctx context.Context, p *Parcel) (address string, err error)
	// Take takes down what is at the address of a parcel; nothing there is no error.
	Take(ctx context.Context, p *Parcel) error
	// Try does what can be done without anything being seen of it, and says in lines what would be.
	Try(ctx context.Context, p *Parcel) ([]string, error)
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
	Limits     map[string]int `json:"limits"`            // the texts that are asked for, by key, with the most characters of each
	Tags       []string       `json:"tags"`              // that it has already
	Parts      []digest.Part  `json:"parts,omitempty"`   // of what is read aloud, where chapters are asked for
	Seconds    int            `json:"seconds,omitempty"` // that its recording lasts; 0 where there is none yet
}

// TextDraft is texts to be corrected.
type TextDraft struct {
	Texts    map[string]string `json:"texts"`  // by key
	Titles   []string          `json:"titles"` // others that it could have
	Tags     []string          `json:"tags"`
	Chapters []release.Chapter `json:"chapters"`
}

// LinkTrier tells whether what an address leads to answers; the error says why it does
// not, in a few words.
type LinkTrier interface {
	Try(ctx context.Context, address string) error
}

// Fetcher gets what is at an address, up to so many bytes; the error says why not, in a few words.
type Fetcher interface {
	Fetch(ctx context.Context, address string, most int64) ([]byte, error)
}
