package store

import (
	"context"
	"fmt"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// KindEvent is the kind of messages that are events for a receiver.
const KindEvent = "event"

// Receiver is a program elsewhere to which events of a desk are posted.
type Receiver struct {
	ID      ref.Receiver
	DeskID  ref.Desk
	Name    string
	URL     string
	Secret  string // with which what is posted is signed
	Kinds   string // of events, with commas
	IsOn    bool
	Retired bool
}

// SaveReceiver stores a receiver, a new one where it has no id, and gives its id.
func (t *Tx) SaveReceiver(ctx context.Context, x Receiver) (ref.Receiver, error) {
	return save(ctx, t, "receiver", x, x.ID, "desk_id", "name", "url", "secret", "kinds", "is_on", "retired")
}

// PostedTo gives the newest events that were or are to be posted to a receiver.
func PostedTo(ctx context.Context, r Reader, id ref.Receiver, limit int) ([]Message, error) {
	var out []Message
	err := r.Select(ctx, &out, `SELECT * FROM outbox WHERE kind = 'event' AND "to" = ? ORDER BY id DESC LIMIT ?`, fmt.Sprint(id), limit)
	return out, err
}

// GivenUp is how many messages were given up of what went one way.
type GivenUp struct {
	Receiver ref.Receiver // 0 for mail and chats
	Name     string
	N        int
}

// GivenUpSince counts what was given up of what came up since a moment: events by the desk's receivers, and
// mails and chats about pieces of a reader's desks.
func GivenUpSince(ctx context.Context, r Reader, reader ref.Person, desk ref.Desk, since day.Moment) ([]GivenUp, error) {
	var out []GivenUp
	err := r.Select(ctx, &out, `SELECT 0 AS receiver, '' AS name, COUNT(*) AS n FROM outbox WHERE sent_at = 0 AND tries >= ?1 AND at >= ?2 AND `+ofReader+` HAVING n > 0
		UNION ALL SELECT receiver.id, receiver.name, COUNT(*) FROM outbox JOIN receiver ON outbox.kind = 'event' AND outbox."to" = CAST(receiver.id AS TEXT)
		WHERE sent_at = 0 AND tries >= ?1 AND at >= ?2 AND receiver.desk_id = ?4 AND receiver.retired = 0 GROUP BY receiver.id`, MostTries, since, reader, desk)
	return out, err
}

// EventMessage reads an event that is posted to a receiver; ErrNone if there is none.
func EventMessage(ctx context.Context, r Reader, id ref.Receiver, message ref.Message) (Message, error) {
	var m Message
	err := r.Get(ctx, &m, `SELECT * FROM outbox WHERE kind = 'event' AND "to" = ? AND id = ?`, fmt.Sprint(id), message)
	return m, err
}

// PostAgain lets an event be posted once more, also one that was taken.
func (t *Tx) PostAgain(ctx context.Context, id ref.Message, now day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE outbox SET sent_at = 0, tries = 0, problem = '', next_at = ? WHERE id = ? AND kind = 'event'", now, id)
	return err
}
