package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Standing is what is worked out of a piece and kept for lists to sort and
// filter by. It is never the source of anything.
type Standing struct {
	Pace        plan.Pace
	InHand      int
	Quiet       int
	IsQuiet     bool
	OpenLeg     bool
	NextDue     day.Date
	Holders     string     // names of those who run it now, for sorting
	IsScheduled bool       // it was given to its channel for its time
	CouldGoOut  day.Moment // the earliest free slot, for a piece without a day
	Cause       string     // the cause of a shortfall, as JSON
	WorkedOut   day.Date   // the day for which all this holds
}

// Row is a stored piece with its standing.
type Row struct {
	relay.Piece
	Standing
}

// The columns of a piece and of a leg, all but the piece's id: what is stored and read.
var pieceColumns = []string{
	"number", "desk_id", "format_id", "route_id", "channel_id", "title", "owner", "goes_out", "stage", "brief", "words_from", "words_to", "summary", "topic_id", "campaign_id",
	"priority", "tags", "version", "copy_version", "created_at", "out_at", "missed_at", "from_piece", "edition", "batch_id", "slug", "derived_from", "derived_leg",
	"scheduled_for", "scheduled_by", "warned_for", "address", "corrects",
}

var legColumns = []string{
	"piece_id", "position", "key", "name", "role", "holder", "allowance", "least", "effort", "worked", "after", "beside", "skip", "words", "proposes", "sign_off",
	"state", "run", "rework", "reasons", "due", "pin", "not_before", "start_day", "held_day", "end_day", "started_at", "touched_at", "later", "makes", "turn", "offered", "fee", "taken_at",
}

// Piece reads a piece with its legs; ErrNone if there is none.
func Piece(ctx context.Context, r Reader, id ref.Piece) (Row, error) {
	type key int64
	row, err := Once(ctx, r, key(id), func() (row Row, err error) {
		if err := r.Get(ctx, &row, "SELECT * FROM piece WHERE id = ?", id); err != nil {
			return row, fmt.Errorf("piece %d: %w", id, err)
		}
		var legs []relay.Leg
		if err := r.Select(ctx, &legs, "SELECT * FROM leg WHERE piece_id = ? ORDER BY position", id); err != nil {
			return row, fmt.Errorf("legs of piece %d: %w", id, err)
		}
		for _, l := range legs {
			row.add(l)
		}
		return row, nil
	})
	row.Legs, row.After = slices.Clone(row.Legs), slices.Clone(row.After)
	return row, err
}

// add adds a leg that was read, in order of position.
func (r *Row) add(l relay.Leg) {
	if l.Later {
		r.After = append(r.After, l)
	} else {
		r.Legs = append(r.Legs, l)
	}
}

// Pieces runs a query for whole rows of piece and adds their legs.
func Pieces(ctx context.Context, r Reader, query string, args ...any) ([]Row, error) {
	var rows []Row
	if err := r.Select(ctx, &rows, query, args...); err != nil {
		return nil, fmt.Errorf("read pieces: %w", err)
	}
	return rows, AddLegs(ctx, r, rows)
}

// PiecesOfDesk gives the ids of all pieces of a desk, in their order.
func PiecesOfDesk(ctx context.Context, r Reader, desk ref.Desk) ([]ref.Piece, error) {
	var out []ref.Piece
	err := r.Select(ctx, &out, "SELECT id FROM piece WHERE desk_id = ? ORDER BY number", desk)
	return out, err
}

// PiecesByID reads pieces with their legs, by id.
func PiecesByID(ctx context.Context, r Reader, ids []ref.Piece) (map[ref.Piece]Row, error) {
	out := make(map[ref.Piece]Row, len(ids))
	if len(ids) == 0 {
		return out, nil
	}
	rows, err := Pieces(ctx, r, "SELECT * FROM piece WHERE id IN ("+marks(len(ids))+")", list(ids)...)
	for _, row := range rows {
		out[row.ID] = row
	}
	return out, err
}

// AddLegs reads the legs of those rows that come without.
func AddLegs(ctx context.Context, r Reader, rows []Row) error {
	var bare []*Row
	for i := range rows {
		if rows[i].Legs == nil {
			bare = append(bare, &rows[i])
		}
	}
	at := make(map[ref.Piece]*Row, len(bare))
	for start := 0; start < len(bare); start += 500 {
		part := bare[start:min(start+500, len(bare))]
		ids := make([]any, len(part))
		for i, row := range part {
			ids[i], at[row.ID] = row.ID, row
		}
		var legs []relay.Leg
		if err := r.Select(ctx, &legs, "SELECT * FROM leg WHERE piece_id IN ("+marks(len(ids))+") ORDER BY piece_id, position", ids...); err != nil {
			return fmt.Errorf("read legs: %w", err)
		}
		for _, l := range legs {
			at[l.PieceID].add(l)
		}
	}
	return nil
}

// NextNumber gives the number of the next piece.
func (t *Tx) NextNumber(ctx context.Context) (int, error) {
	var n int
	err := t.Get(ctx, &n, "SELECT COALESCE(MAX(number), 0) + 1 FROM piece")
	return n, err
}

// AddPiece stores a new piece with its legs and gives its id.
func (t *Tx) AddPiece(ctx context.Context, p relay.Piece) (ref.Piece, error) {
	id, err := put[ref.Piece](ctx, t, "piece", p, pieceColumns...)
	if err != nil {
		return 0, err
	}
	for _, l := range slices.Concat(p.Legs, p.After) {
		l.PieceID = id
		if _, err := put[int64](ctx, t, "leg", l, legColumns...); err != nil {
			return 0, err
		}
	}
	return id, nil
}

var updateLeg = updateSQL("leg", legColumns, "piece_id", "position")

// SavePiece stores what differs between a piece as it was and as it is.
func (t *Tx) SavePiece(ctx context.Context, was, is relay.Piece) error {
	if err := set(ctx, t, "piece", is, is.ID, pieceColumns...); err != nil {
		return err
	}
	before, after := slices.Concat(was.Legs, was.After), slices.Concat(is.Legs, is.After)
	same := func(l relay.Leg) bool {
		return l.Position < len(before) && before[l.Position].Key == l.Key
	}
	if len(before) != len(after) || slices.ContainsFunc(after, func(l relay.Leg) bool { return !same(l) }) {
		return t.replaceLegs(ctx, is)
	}
	for i, l := range after {
		if l == before[i] {
			continue
		}
		l.PieceID = is.ID
		args, err := t.fields("leg", l, legColumns)
		if err != nil {
			return err
		}
		if _, err := t.Exec(ctx, updateLeg, append(args, is.ID, l.Position)...); err != nil {
			return fmt.Errorf("store leg %s of piece %d: %w", l.Key, is.ID, err)
		}
	}
	return nil
}

// replaceLegs stores the legs of a piece that moved to another route.
func (t *Tx) replaceLegs(ctx context.Context, p relay.Piece) error {
	if _, err := t.Exec(ctx, "DELETE FROM leg WHERE piece_id = ?", p.ID); err != nil {
		return fmt.Errorf("replace the legs of piece %d: %w", p.ID, err)
	}
	for _, l := range slices.Concat(p.Legs, p.After) {
		l.PieceID = p.ID
		if _, err := put[int64](ctx, t, "leg", l, legColumns...); err != nil {
			return err
		}
	}
	return nil
}

// SaveStanding stores what was worked out of a piece.
func (t *Tx) SaveStanding(ctx context.Context, id ref.Piece, s Standing) error {
	_, err := t.Exec(ctx, `UPDATE piece SET pace = ?, in_hand = ?, quiet = ?, is_quiet = ?, open_leg = ?, next_due = ?, holders = ?,
		is_scheduled = ?, could_go_out = ?, cause = ?, worked_out = ? WHERE id = ?`,
		s.Pace, s.InHand, s.Quiet, s.IsQuiet, s.OpenLeg, s.NextDue, s.Holders, s.IsScheduled, s.CouldGoOut, s.Cause, s.WorkedOut, id)
	return err
}

// AddRun stores a finished run of a leg and gives its id.
func (t *Tx) AddRun(ctx context.Context, r relay.Run) (int64, error) {
	return put[int64](ctx, t, "leg_run", r, "piece_id", "key", "run", "holder", "allowance", "start_day", "end_day", "started_at", "ended_at", "outcome")
}

// DropRun removes a run that was taken back.
func (t *Tx) DropRun(ctx context.Context, id int64) error {
	_, err := t.Exec(ctx, "DELETE FROM leg_run WHERE id = ?", id)
	return err
}

// Step is a line of a leg's checklist on one piece.
type Step struct {
	ID      ref.Step
	PieceID ref.Piece
	Leg     string
	Text    string
	Must    bool
	Role    string // who does it, when not the holder of the leg
	Before  int    // working days before the leg is due
	DoneBy  ref.Person
	DoneAt  day.Moment
}

// Steps reads the checklists of a piece.
func Steps(ctx context.Context, r Reader, piece ref.Piece) ([]Step, error) {
	var out []Step
	err := r.Select(ctx, &out, "SELECT * FROM step WHERE piece_id = ? ORDER BY id", piece)
	return out, err
}

// StepsOf reads the checklists of several pieces, by piece.
func StepsOf(ctx context.Context, r Reader, pieces []ref.Piece) (map[ref.Piece][]Step, error) {
	var all []Step
	out := map[ref.Piece][]Step{}
	if len(pieces) == 0 {
		return out, nil
	}
	err := r.Select(ctx, &all, "SELECT * FROM step WHERE piece_id IN ("+marks(len(pieces))+") ORDER BY id", list(pieces)...)
	for _, s := range all {
		out[s.PieceID] = append(out[s.PieceID], s)
	}
	return out, err
}

// AddStep stores a line of a checklist.
func (t *Tx) AddStep(ctx context.Context, s Step) error {
	_, err := put[int64](ctx, t, "step", s, "piece_id", "leg", "text", "must", "role", "before")
	return err
}

// DropStep takes a line off a checklist.
func (t *Tx) DropStep(ctx context.Context, id ref.Step) error {
	_, err := t.Exec(ctx, "DELETE FROM step WHERE id = ?", id)
	return err
}

// TickStep marks a step done by somebody, or open again with nobody.
func (t *Tx) TickStep(ctx context.Context, id ref.Step, by ref.Person, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE step SET done_by = ?, done_at = ? WHERE id = ?", by, at, id)
	return err
}

// DueToGoOut gives the pieces under way whose time has come and that were not
// yet found late for it, in order of time.
func DueToGoOut(ctx context.Context, r Reader, now day.Moment) ([]ref.Piece, error) {
	var ids []ref.Piece
	err := r.Select(ctx, &ids, `SELECT id FROM piece WHERE stage = ? AND goes_out > 0 AND goes_out <= ? AND missed_at <> goes_out
		ORDER BY goes_out, id`, relay.UnderWay, now)
	return ids, err
}

// NextToGoOut gives the next publication time after now, or none.
func NextToGoOut(ctx context.Context, r Reader, now day.Moment) (day.Moment, error) {
	var m day.Moment
	err := r.Get(ctx, &m, "SELECT COALESCE(MIN(goes_out), 0) FROM piece WHERE stage = ? AND goes_out > ?", relay.UnderWay, now)
	return m, err
}

// afterOpen finds the pieces that are out and have a leg after release that is not over.
const afterOpen = "SELECT leg.piece_id FROM leg JOIN piece AS of ON of.id = leg.piece_id WHERE leg.later = 1 AND leg.state IN ('waiting', 'running') AND of.stage = 'out'"

// NotWorkedOut gives up to limit pieces of a desk under way, or with something left to do, whose standing is not of the
// day, but for some.
func NotWorkedOut(ctx context.Context, r Reader, desk ref.Desk, today day.Date, limit int, but []ref.Piece) ([]Row, error) {
	skip, err := json.Marshal(but)
	if err != nil {
		return nil, err
	}
	return Pieces(ctx, r, "SELECT * FROM piece WHERE desk_id = ? AND (stage = ? OR id IN ("+afterOpen+")) AND worked_out <> ? AND id NOT IN (SELECT value FROM json_each(?)) LIMIT ?", desk, relay.UnderWay, today, string(skip), limit)
}

// OnTheBoard gives the pieces that plans reckon with, by id: those under way, and
// those that are out and still hold a time after now or have something left to do.
func OnTheBoard(ctx context.Context, r Reader, now day.Moment) ([]Row, error) {
	return Pieces(ctx, r, "SELECT * FROM piece WHERE stage = ? UNION SELECT * FROM piece WHERE goes_out > ? UNION SELECT * FROM piece WHERE id IN ("+afterOpen+") ORDER BY id", relay.UnderWay, now)
}

// AllPieces gives every piece, by id: those on the board whole, the others without
// their legs, brief and description.
func AllPieces(ctx context.Context, r Reader, now day.Moment) ([]Row, error) {
	rows, err := OnTheBoard(ctx, r, now)
	if err != nil {
		return nil, err
	}
	var rest []Row
	err = r.Select(ctx, &rest, `SELECT id, number, desk_id, format_id, route_id, channel_id, title, owner, goes_out, stage, topic_id, campaign_id, priority, tags,
		version, copy_version, created_at, out_at, missed_at, from_piece, edition, slug, derived_from, derived_leg, scheduled_for, scheduled_by, warned_for, pace, in_hand FROM piece WHERE NOT (stage = ? OR goes_out > ? OR id IN (`+afterOpen+`)) ORDER BY id`, relay.UnderWay, now)
	if err != nil {
		return nil, fmt.Errorf("read pieces: %w", err)
	}
	rows = append(rows, rest...)
	slices.SortFunc(rows, func(x, y Row) int { return int(x.ID - y.ID) })
	return rows, nil
}

// Stale makes the standings of all pieces under way on a desk be worked out anew.
func (t *Tx) Stale(ctx context.Context, desk ref.Desk) error {
	_, err := t.Exec(ctx, "UPDATE piece SET worked_out = 0 WHERE desk_id = ? AND stage = 'running'", desk)
	return err
}

// StaleOf does the same for the pieces of which a person has a leg that is not over.
func (t *Tx) StaleOf(ctx context.Context, person ref.Person) error {
	_, err := t.Exec(ctx, `UPDATE piece SET worked_out = 0 WHERE stage = 'running'
		AND id IN (SELECT piece_id FROM leg WHERE holder = ? AND state IN ('running', 'waiting'))`, person)
	return err
}

// DerivedFrom gives the pieces that were begun from one.
func DerivedFrom(ctx context.Context, r Reader, piece ref.Piece) ([]Row, error) {
	return Pieces(ctx, r, "SELECT * FROM piece WHERE derived_from = ? ORDER BY id", piece)
}

// LastEdition gives the number of the last edition of a piece; itself is the first.
func LastEdition(ctx context.Context, r Reader, piece ref.Piece) (int, error) {
	var n int
	err := r.Get(ctx, &n, "SELECT MAX(1, COALESCE(MAX(edition), 0)) FROM piece WHERE from_piece = ?", piece)
	return n, err
}

// Misplaced gives the pieces of which route, format, channel and desk do not belong together.
func Misplaced(ctx context.Context, r Reader) ([]Row, error) {
	return Pieces(ctx, r, `SELECT piece.* FROM piece JOIN route ON route.id = route_id JOIN format ON format.id = piece.format_id JOIN channel ON channel.id = piece.channel_id
		WHERE route.format_id <> piece.format_id OR format.desk_id <> piece.desk_id OR channel.desk_id <> piece.desk_id ORDER BY piece.id`)
}
