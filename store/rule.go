package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Rule is a house rule as it is stored.
type Rule struct {
	ID       ref.Rule
	DeskID   ref.Desk
	Position int
	IsOn     bool
	Since    day.Moment // when it was switched on
	Data     string     // JSON, as in package rule
	Retired  bool
}

// SaveRule stores a rule, a new one where it has no id, and gives its id.
func (t *Tx) SaveRule(ctx context.Context, r Rule) (ref.Rule, error) {
	return save(ctx, t, "rule", r, r.ID, "desk_id", "position", "is_on", "since", "data", "retired")
}

// RuleRun is one time that a rule did something.
type RuleRun struct {
	ID      int64
	RuleID  ref.Rule
	At      day.Moment
	PieceID ref.Piece
	About   string
	Event   string
	Did     string
	Failed  bool
}

// AddRuleRun stores what a rule did.
func (t *Tx) AddRuleRun(ctx context.Context, r RuleRun) error {
	_, err := put[int64](ctx, t, "rule_run", r, "rule_id", "at", "piece_id", "about", "event", "did", "failed")
	return err
}

// RuleRuns gives the newest of what a rule did, below an id (0: the newest of all).
func RuleRuns(ctx context.Context, r Reader, rule ref.Rule, below int64, limit int) ([]RuleRun, error) {
	var out []RuleRun
	err := r.Select(ctx, &out, "SELECT * FROM rule_run WHERE rule_id = ? AND (? = 0 OR id < ?) ORDER BY id DESC LIMIT ?", rule, below, below, limit)
	return out, err
}

// RuleCount is how often a rule did something, and when last.
type RuleCount struct {
	RuleID ref.Rule
	N      int
	Failed int
	Last   day.Moment
}

// RuleCounts counts what the rules of a desk did since a moment, and when they did
// something last.
func RuleCounts(ctx context.Context, r Reader, desk ref.Desk, since day.Moment) (map[ref.Rule]RuleCount, error) {
	var all []RuleCount
	err := r.Select(ctx, &all, `SELECT rule_id, SUM(at >= ?) AS n, SUM(failed AND at >= ?) AS failed, MAX(at) AS last FROM rule_run
		WHERE rule_id IN (SELECT id FROM rule WHERE desk_id = ?) GROUP BY rule_id`, since, since, desk)
	out := map[ref.Rule]RuleCount{}
	for _, c := range all {
		out[c.RuleID] = c
	}
	return out, err
}

// TakeTurn notes that a rule has its turn at something that comes with time, and reports
// false if it had it already.
func (t *Tx) TakeTurn(ctx context.Context, rule ref.Rule, piece ref.Piece, about string, n int, at day.Moment) (bool, error) {
	res, err := t.Exec(ctx, "INSERT INTO rule_turn (rule_id, piece_id, about, n, at) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING", rule, piece, about, n, at)
	if err != nil {
		return false, err
	}
	k, err := res.RowsAffected()
	return k > 0, err
}

// Traced is an entry of the logbook that says what happened in a form that rules read.
type Traced struct {
	Seq     int64
	At      day.Moment
	PieceID ref.Piece
	Actor   ref.Person
	Events  string
	State   string
}

const traced = "SELECT seq, at, piece_id, actor, events, state FROM logbook "

// TracesBefore gives, of each piece that was under way then or had something left to do, the last traced entry
// before a moment.
func TracesBefore(ctx context.Context, r Reader, desk ref.Desk, before day.Moment) ([]Traced, error) {
	var out []Traced
	err := r.Select(ctx, &out, traced+`WHERE seq IN (SELECT MAX(l.seq) FROM logbook l JOIN piece p ON p.id = l.piece_id
		WHERE p.desk_id = ? AND l.at < ? AND l.state <> '' AND (p.out_at = 0 OR p.out_at >= ? OR EXISTS (SELECT 1 FROM leg
			WHERE leg.piece_id = p.id AND leg.later = 1 AND (leg.state IN ('waiting', 'running') OR leg.touched_at >= ?))) GROUP BY l.piece_id) ORDER BY seq`, desk, before, before, before)
	return out, err
}

// TracesBetween gives traced entries of a desk up to a moment, in their order, behind an
// entry and not before another moment.
func TracesBetween(ctx context.Context, r Reader, desk ref.Desk, behind int64, from, to day.Moment, limit int) ([]Traced, error) {
	var out []Traced
	err := r.Select(ctx, &out, traced+"WHERE desk_id = ? AND seq > ? AND at >= ? AND at <= ? AND state <> '' ORDER BY seq LIMIT ?", desk, behind, from, to, limit)
	return out, err
}

// CountTraces counts the traced entries of a desk in a span.
func CountTraces(ctx context.Context, r Reader, desk ref.Desk, from, to day.Moment) (int, error) {
	var n int
	err := r.Get(ctx, &n, "SELECT COUNT(*) FROM logbook WHERE desk_id = ? AND at >= ? AND at <= ? AND state <> ''", desk, from, to)
	return n, err
}

// Touch is something that was recorded on a piece without an entry in the logbook.
type Touch struct {
	PieceID ref.Piece
	By      ref.Person
	At      day.Moment
}

// TouchesBetween gives what was recorded on pieces of a desk without an entry, in order.
func TouchesBetween(ctx context.Context, r Reader, desk ref.Desk, from, to day.Moment) ([]Touch, error) {
	var out []Touch
	err := r.Select(ctx, &out, `SELECT piece_id, by, at FROM copy WHERE at BETWEEN ? AND ? AND by <> 0 AND piece_id IN (SELECT id FROM piece WHERE desk_id = ?)
		UNION ALL SELECT piece_id, done_by, done_at FROM step WHERE done_at BETWEEN ? AND ? AND piece_id IN (SELECT id FROM piece WHERE desk_id = ?) ORDER BY 3`,
		from, to, desk, from, to, desk)
	return out, err
}
