package store

import (
	"context"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Item is one line of somebody's inbox.
type Item struct {
	ID       ref.Item
	PersonID ref.Person
	PieceID  ref.Piece
	Kind     string
	Text     string
	Why      string
	Link     string // where it leads, when not to the piece
	At       day.Moment
	ReadAt   day.Moment
	AsideAt  day.Moment
	Digest   int  // 1 waits for the daily mail, 2 was in it
	Private  bool `db:"-"` // it says what others may not read, like an amount: in no chat
}

// AddItem puts a line into an inbox, and gives its id.
func (t *Tx) AddItem(ctx context.Context, i Item) (ref.Item, error) {
	return put[ref.Item](ctx, t, "inbox", i, "person_id", "piece_id", "kind", "text", "why", "link", "at", "digest")
}

// ItemWithTitle is a line of an inbox with the piece it is about.
type ItemWithTitle struct {
	Item
	Title string
}

// Which lines of an inbox are looked at.
const (
	ItemsHere   = ""       // that are not set aside
	ItemsUnread = "unread" // of these, that are not read
	ItemsAside  = "aside"
)

// Inbox gives the newest lines of somebody's inbox below an id (0: the newest of all).
func Inbox(ctx context.Context, r Reader, person ref.Person, which string, below ref.Item, limit int) ([]ItemWithTitle, error) {
	var out []ItemWithTitle
	err := r.Select(ctx, &out, `SELECT inbox.*, COALESCE(piece.title, '') AS title FROM inbox LEFT JOIN piece ON piece.id = piece_id
		WHERE person_id = ? AND (aside_at <> 0) = ? AND (? OR read_at = 0) AND (? = 0 OR inbox.id < ?) ORDER BY inbox.id DESC LIMIT ?`,
		person, which == ItemsAside, which != ItemsUnread, below, below, limit)
	return out, err
}

// Unread counts the unread lines of somebody's inbox.
func Unread(ctx context.Context, r Reader, person ref.Person) (int, error) {
	var n int
	err := r.Get(ctx, &n, "SELECT COUNT(*) FROM inbox WHERE person_id = ? AND read_at = 0", person)
	return n, err
}

// ReadItem marks a line of somebody's own inbox read and gives it.
func (t *Tx) ReadItem(ctx context.Context, person ref.Person, id ref.Item, at day.Moment) (Item, error) {
	var i Item
	if err := t.Get(ctx, &i, "SELECT * FROM inbox WHERE id = ? AND person_id = ?", id, person); err != nil {
		return i, err
	}
	_, err := t.Exec(ctx, "UPDATE inbox SET read_at = ? WHERE id = ? AND read_at = 0", at, id)
	return i, err
}

// ReadAll marks somebody's whole inbox read.
func (t *Tx) ReadAll(ctx context.Context, person ref.Person, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE inbox SET read_at = ? WHERE person_id = ? AND read_at = 0", at, person)
	return err
}

// ReadPiece marks what the inbox holds about one piece read, up to one of its lines.
func (t *Tx) ReadPiece(ctx context.Context, person ref.Person, piece ref.Piece, upTo ref.Item, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE inbox SET read_at = ? WHERE person_id = ? AND piece_id = ? AND id <= ? AND read_at = 0", at, person, piece, upTo)
	return err
}

// UnreadOfPiece gives the newest unread line of somebody's inbox about a piece; 0 if there is none.
func UnreadOfPiece(ctx context.Context, r Reader, person ref.Person, piece ref.Piece) (id ref.Item, err error) {
	err = r.Get(ctx, &id, "SELECT COALESCE(MAX(id), 0) FROM inbox WHERE person_id = ? AND read_at = 0 AND piece_id = ?", person, piece)
	return id, err
}

// Message is something for the courier to deliver.
type Message struct {
	ID        ref.Message
	Key       string // the same message is never queued twice
	Kind      string // "mail" or "hook"
	PieceID   ref.Piece
	To        string
	Subject   string
	Body      string
	At        day.Moment
	Tries     int
	NextAt    day.Moment
	SentAt    day.Moment
	Problem   string
	LinkKind  string // the private link that is made when it is delivered, and for whom
	LinkAbout int64
	PersonID  ref.Person // whom it is for
	Topic     string     // that they can stop with one click
	LetterID  ref.Letter // what it says, where many get the same
	ReaderID  ref.Subscriber
}

// MostTries is after how many tries a message is given up, until somebody sends it again.
const MostTries = 12

// The kinds of messages.
const (
	KindMail = "mail"
	KindHook = "hook"
)

// AddMessage queues a message; one with a key that is queued already changes nothing.
func (t *Tx) AddMessage(ctx context.Context, m Message) error {
	_, err := t.Exec(ctx, `INSERT INTO outbox (key, kind, piece_id, "to", subject, body, at, next_at, link_kind, link_about, person_id, topic, letter_id, reader_id)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (key) DO NOTHING`, m.Key, m.Kind, m.PieceID, m.To, m.Subject, m.Body, m.At, max(m.At, m.NextAt), m.LinkKind, m.LinkAbout, m.PersonID, m.Topic, m.LetterID, m.ReaderID)
	return err
}

// WaitingMessages gives messages of some kinds that are due to be sent, oldest first. What
// was given up is not among them.
func WaitingMessages(ctx context.Context, r Reader, kinds []string, now day.Moment, limit int) ([]Message, error) {
	var out []Message
	args := []any{}
	for _, k := range kinds {
		args = append(args, k)
	}
	args = append(args, now, MostTries, limit)
	err := r.Select(ctx, &out, "SELECT * FROM outbox WHERE sent_at = 0 AND kind IN ("+marks(len(kinds))+") AND next_at <= ? AND tries < ? ORDER BY next_at, id LIMIT ?", args...)
	return out, err
}

// MessageSent marks a message delivered.
func (t *Tx) MessageSent(ctx context.Context, id ref.Message, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE outbox SET sent_at = ?, problem = '' WHERE id = ?", at, id)
	return err
}

// MessageFailed notes why a message could not be delivered and when to try again.
func (t *Tx) MessageFailed(ctx context.Context, id ref.Message, problem string, next day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE outbox SET tries = tries + 1, problem = ?, next_at = ? WHERE id = ?", problem, next, id)
	return err
}

// ofReader limits mails to those about pieces of a reader's desks.
const ofReader = `kind IN ('mail', 'hook') AND piece_id IN (SELECT id FROM piece WHERE desk_id IN (SELECT desk_id FROM person_desk WHERE person_id = ?))`

// Mails gives the newest mails about pieces of a reader's desks, below an id (0:
// the newest of all), to everybody or one address.
func Mails(ctx context.Context, r Reader, reader ref.Person, to string, below ref.Message, limit int) ([]Message, error) {
	var out []Message
	err := r.Select(ctx, &out, "SELECT * FROM outbox WHERE "+ofReader+` AND (? = '' OR "to" LIKE ?) AND (? = 0 OR id < ?)
		ORDER BY id DESC LIMIT ?`, reader, to, "%"+strings.TrimSpace(to)+"%", below, below, limit)
	return out, err
}

// Mail reads one mail about a piece of a reader's desks; ErrNone if there is none.
func Mail(ctx context.Context, r Reader, reader ref.Person, id ref.Message) (Message, error) {
	var m Message
	err := r.Get(ctx, &m, "SELECT * FROM outbox WHERE "+ofReader+" AND id = ?", reader, id)
	return m, err
}

// RoomMail is a mail as the stand-in for a mail server was handed it.
type RoomMail struct {
	Key, To, Subject, Text string
	HTML                   string
}

// KeepRoomMail keeps a mail in the stand-in's room, once for each key.
func (t *Tx) KeepRoomMail(ctx context.Context, m RoomMail) error {
	_, err := t.Exec(ctx, `INSERT INTO room_mail (key, "to", subject, text, html, at) VALUES (?, ?, ?, ?, ?, 0) ON CONFLICT (key) DO NOTHING`, m.Key, m.To, m.Subject, m.Text, m.HTML)
	return err
}

// RoomMailOf reads a mail from the stand-in's room; ErrNone if it is not there.
func RoomMailOf(ctx context.Context, r Reader, key string) (RoomMail, error) {
	var m RoomMail
	err := r.Get(ctx, &m, `SELECT key, "to", subject, text, html FROM room_mail WHERE key = ?`, key)
	return m, err
}

// Dead reports whether a message was given up.
func (m Message) Dead() bool { return m.SentAt == 0 && m.Tries >= MostTries }

// DeadLetters counts what was given up of what a reader may see.
func DeadLetters(ctx context.Context, r Reader, reader ref.Person) (int, error) {
	var n int
	err := r.Get(ctx, &n, "SELECT COUNT(*) FROM outbox WHERE sent_at = 0 AND tries >= ? AND "+ofReader, MostTries, reader)
	return n, err
}
