package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/notification"
	"greenbaton/core/ref"
)

// Told is how somebody is told of a topic.
type Told struct {
	PersonID ref.Person
	Topic    notification.Topic
	How      notification.How
}

// SetTold says how somebody is told of a topic.
func (t *Tx) SetTold(ctx context.Context, x Told) error {
	_, err := t.Exec(ctx, "INSERT INTO person_told (person_id, topic, how) VALUES (?, ?, ?) ON CONFLICT (person_id, topic) DO UPDATE SET how = excluded.how", x.PersonID, x.Topic, x.How)
	return err
}

// SaveQuiet stores when somebody is not to be disturbed, and when they get their digest.
func (t *Tx) SaveQuiet(ctx context.Context, p Person) error {
	return set(ctx, t, "person", p, p.ID, "quiet_from", "quiet_to", "quiet_off", "digest_at")
}

// Ways of looking at one piece.
const (
	Follows = "follow"
	Mutes   = "mute"
)

// SetFollow says whether somebody follows a piece or is told nothing of it; empty is the usual.
func (t *Tx) SetFollow(ctx context.Context, person ref.Person, piece ref.Piece, how string) error {
	_, err := t.Exec(ctx, "DELETE FROM follow WHERE person_id = ? AND piece_id = ?", person, piece)
	if err == nil && how != "" {
		_, err = t.Exec(ctx, "INSERT INTO follow (person_id, piece_id, how) VALUES (?, ?, ?)", person, piece, how)
	}
	return err
}

// FollowsOf gives who follows a piece, or is told nothing of it.
func FollowsOf(ctx context.Context, r Reader, piece ref.Piece) (map[ref.Person]string, error) {
	var all []struct {
		PersonID ref.Person
		How      string
	}
	err := r.Select(ctx, &all, "SELECT person_id, how FROM follow WHERE piece_id = ?", piece)
	out := map[ref.Person]string{}
	for _, x := range all {
		out[x.PersonID] = x.How
	}
	return out, err
}

// Gathered gives what waits for somebody's daily mail, oldest first, with the titles of its pieces.
func Gathered(ctx context.Context, r Reader, person ref.Person) ([]ItemWithTitle, error) {
	var out []ItemWithTitle
	err := r.Select(ctx, &out, `SELECT inbox.*, COALESCE(piece.title, '') AS title FROM inbox LEFT JOIN piece ON piece.id = piece_id
		WHERE person_id = ? AND digest = 1 ORDER BY inbox.id LIMIT 200`, person)
	return out, err
}

// GatheredFor gives who has something waiting for their daily mail.
func GatheredFor(ctx context.Context, r Reader) ([]ref.Person, error) {
	var out []ref.Person
	err := r.Select(ctx, &out, "SELECT DISTINCT person_id FROM inbox WHERE digest = 1")
	return out, err
}

// Digested notes that what waited for somebody's daily mail is in it.
func (t *Tx) Digested(ctx context.Context, person ref.Person, upTo ref.Item, at day.Moment) error {
	if _, err := t.Exec(ctx, "UPDATE inbox SET digest = 2 WHERE person_id = ? AND digest = 1 AND id <= ?", person, upTo); err != nil {
		return err
	}
	_, err := t.Exec(ctx, "UPDATE person SET digested = ? WHERE id = ?", at, person)
	return err
}

// SetAside puts an item of somebody's own inbox aside, or takes it back.
func (t *Tx) SetAside(ctx context.Context, person ref.Person, id ref.Item, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE inbox SET aside_at = ?, read_at = CASE WHEN read_at = 0 THEN ? ELSE read_at END WHERE id = ? AND person_id = ?", at, at, id, person)
	return err
}

// SetUnread makes an item of somebody's own inbox unread again.
func (t *Tx) SetUnread(ctx context.Context, person ref.Person, id ref.Item) error {
	_, err := t.Exec(ctx, "UPDATE inbox SET read_at = 0 WHERE id = ? AND person_id = ?", id, person)
	return err
}

// Hook is the chat of a desk, to which messages are posted.
type Hook struct {
	ID      int64
	DeskID  ref.Desk
	Name    string
	URL     string
	Secret  string
	Kinds   string // with commas
	IsOn    bool
	Retired bool
}

// SaveHook stores a hook, a new one where it has no id.
func (t *Tx) SaveHook(ctx context.Context, h Hook) error {
	_, err := save(ctx, t, "hook", h, h.ID, "desk_id", "name", "url", "secret", "kinds", "is_on", "retired")
	return err
}

// Wording is the words of a message on a desk.
type Wording struct {
	DeskID ref.Desk
	Key    string
	Words  string
}

// SetWording stores the words of a message; empty ones are the usual.
func (t *Tx) SetWording(ctx context.Context, w Wording) error {
	_, err := t.Exec(ctx, "DELETE FROM wording WHERE desk_id = ? AND key = ?", w.DeskID, w.Key)
	if err == nil && w.Words != "" {
		_, err = t.Exec(ctx, "INSERT INTO wording (desk_id, key, words) VALUES (?, ?, ?)", w.DeskID, w.Key, w.Words)
	}
	return err
}

// SendAgain lets a message be tried once more from the beginning.
func (t *Tx) SendAgain(ctx context.Context, id ref.Message, now day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE outbox SET tries = 0, problem = '', next_at = ? WHERE id = ? AND sent_at = 0", now, id)
	return err
}

// ToldOf reports whether somebody was told something of a kind about a piece.
func ToldOf(ctx context.Context, r Reader, piece ref.Piece, kind string) (bool, error) {
	var n int
	err := r.Get(ctx, &n, "SELECT COUNT(*) FROM inbox WHERE piece_id = ? AND kind = ?", piece, kind)
	return n > 0, err
}
