package demo

import (
	"context"

	"greenbaton/store"
)

// What of pieces and legs is copied, for the most part.
const (
	pieceColumns = `desk_id, format_id, route_id, channel_id, owner, goes_out, stage, brief, words_from, words_to, summary, topic_id, campaign_id, priority, tags, version, created_at, out_at, missed_at, pace, in_hand, quiet, is_quiet, open_leg, next_due, holders, could_go_out, cause, worked_out`
	legColumns   = `position, key, name, role, allowance, least, effort, worked, after, beside, skip, words, state, run, rework, reasons, due, pin, not_before, start_day, end_day, started_at, touched_at, turn`
)

// Lot makes the demo as large as is to be measured.
type Lot struct {
	Stage  string // of the pieces that are copied; "" for all
	Pieces int64  // how many there are at least, of that stage
	People int64  // how many there are at least, each with their share of the copied legs; 0 for those there are
}

// Add adds copies of pieces and of people until there are enough of them. What was worked out from the data
// before is to be forgotten then.
func (x Lot) Add(ctx context.Context, t *store.Tx) error {
	const like = "(?1 = '' OR stage = ?1)"
	var last, found, staff int64
	for into, q := range map[*int64]string{&last: "SELECT MAX(id) FROM piece WHERE ?1 = ?1", &found: "SELECT COUNT(*) FROM piece WHERE " + like, &staff: "SELECT MAX(id) FROM person WHERE ?1 = ?1"} {
		if err := t.Get(ctx, into, q, x.Stage); err != nil {
			return err
		}
	}
	times := max(1, (x.People+staff-1)/staff)
	for k := int64(1); k < times; k++ {
		for _, q := range []string{
			`INSERT INTO person (id, name, initials, mail, password, access, does, hours) SELECT id + ?1, name || ' ' || ?1, initials, ?1 || mail, password, access, does, hours FROM person WHERE id <= ?2`,
			`INSERT INTO person_role SELECT person_id + ?1, role FROM person_role WHERE person_id <= ?2`,
			`INSERT INTO person_desk SELECT person_id + ?1, desk_id FROM person_desk WHERE person_id <= ?2`,
		} {
			if _, err := t.Exec(ctx, q, k*staff, staff); err != nil {
				return err
			}
		}
	}
	for k := int64(1); k*found < x.Pieces; k++ {
		for _, q := range []string{
			`INSERT INTO piece (id, number, title, copy_version, ` + pieceColumns + `) SELECT id + ?2, number + ?2, title || ' ' || ?2, 0, ` + pieceColumns + ` FROM piece WHERE id <= ?3 AND ?4 = ?4 AND ` + like,
			`INSERT INTO leg (piece_id, holder, ` + legColumns + `) SELECT piece_id + ?2, CASE holder WHEN 0 THEN 0 ELSE holder + ?4 END, ` + legColumns + ` FROM leg WHERE piece_id IN (SELECT id FROM piece WHERE id <= ?3 AND ` + like + `)`,
		} {
			if _, err := t.Exec(ctx, q, x.Stage, k*last, last, k%times*staff); err != nil {
				return err
			}
		}
	}
	return nil
}
