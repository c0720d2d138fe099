package store

import (
	"context"

	"greenbaton/core/day"
)

// DropMost is how many rows are dropped at once, so that nobody waits for it.
const DropMost = 500

// DropVisits drops visits that were not used since a moment, and gives how many.
func (t *Tx) DropVisits(ctx context.Context, before day.Moment) (int64, error) {
	return t.drop(ctx, "DELETE FROM visit WHERE id IN (SELECT id FROM visit WHERE MAX(began_at, used_at, ended_at) < ? LIMIT ?)", before)
}

// DropDevices drops devices on which nobody signed in since a moment.
func (t *Tx) DropDevices(ctx context.Context, before day.Moment) (int64, error) {
	return t.drop(ctx, "DELETE FROM device WHERE hash IN (SELECT hash FROM device WHERE at < ? LIMIT ?)", before)
}

// DropSent drops messages that were delivered before a moment, also from the post room.
func (t *Tx) DropSent(ctx context.Context, before day.Moment) (int64, error) {
	const sent = "(SELECT id FROM outbox WHERE sent_at > 0 AND sent_at < ? ORDER BY sent_at LIMIT ?)"
	if _, err := t.drop(ctx, "DELETE FROM room_mail WHERE key IN (SELECT key FROM outbox WHERE id IN "+sent+")", before); err != nil {
		return 0, err
	}
	return t.drop(ctx, "DELETE FROM outbox WHERE id IN "+sent, before)
}

// DropRead drops lines of inboxes that were read before a moment and not set aside.
func (t *Tx) DropRead(ctx context.Context, before day.Moment) (int64, error) {
	return t.drop(ctx, "DELETE FROM inbox WHERE id IN (SELECT id FROM inbox WHERE read_at > 0 AND read_at < ? AND aside_at = 0 LIMIT ?)", before)
}

// DropRuleRuns drops what is noted of house rules that were followed before a moment.
func (t *Tx) DropRuleRuns(ctx context.Context, before day.Moment) (int64, error) {
	return t.drop(ctx, "DELETE FROM rule_run WHERE id IN (SELECT id FROM rule_run WHERE at < ? LIMIT ?)", before)
}

// DropTried drops how links answered that were tried before a moment.
func (t *Tx) DropTried(ctx context.Context, before day.Moment) (int64, error) {
	return t.drop(ctx, "DELETE FROM link_tried WHERE address IN (SELECT address FROM link_tried WHERE at < ? LIMIT ?)", before)
}

// drop carries out a statement that deletes up to so many rows of before a moment.
func (t *Tx) drop(ctx context.Context, query string, before day.Moment) (int64, error) {
	res, err := t.Exec(ctx, query, before, DropMost)
	if err != nil {
		return 0, err
	}
	return res.RowsAffected()
}
