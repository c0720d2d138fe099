package planning

import (
	"cmp"
	"context"
	"slices"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/store"
)

// Turn is a leg of a piece that concerns somebody.
type Turn struct {
	Row store.Row
	Leg relay.Leg
	Ask string // what is asked of its holder next, for running legs of one's own
}

// Day is what somebody sees first: their own legs, and for leads what the desk needs.
type Day struct {
	Date       day.Date
	With       []Turn // running legs of theirs, by due date
	WithTotal  int
	Minutes    int    // of work left in them
	HasToday   int    // minutes they work today
	Next       []Turn // waiting legs of theirs whose turn comes next
	Late       []store.Row
	LateTotal  int
	Nobody     []Turn
	NobodyAll  int
	Quiet      []store.Row
	QuietTotal int
	Missed     []store.Row // did not go out at their time, the newest first
	MissedAll  int
	Week       []WeekRow // going out or gone out this week, by time, open slots among them
	Lead       bool
	Runway     plan.Runway
	Goal       int // slots that are to be covered by finished pieces
	Free       []FreeHands
	OpenLegs   int // legs nobody has, of all pieces under way
}

// WeekRow is a piece that goes out this week, or a slot that none holds.
type WeekRow struct {
	store.Row
	At      day.Moment
	Channel ref.Channel
	Open    bool
}

// FreeHands is somebody who has time, with an open leg that would fit.
type FreeHands struct {
	Person  ref.Person
	Minutes int // free until and with the date
	Until   day.Date
	Piece   *relay.Piece // nil where no open leg fits
	Leg     *relay.Leg
}

// shown is how many rows a part of Today shows; the rest is a link to the list.
const shown = 8

// TodayFor gives what somebody sees first.
func (h Overview) TodayFor(ctx context.Context, who ref.Person, d ref.Desk) (Day, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Day{}, err
	}
	p, r := b.Person(who), h.DB.View()
	if !slices.Contains(p.Desks, d) {
		return Day{}, nil
	}
	zone := b.Zones[d]
	out := Day{Date: h.Now().Date(zone), Lead: p.Access.May(relay.LeadDesk)}
	if c := b.Planned[d].Holder(who); c != nil && c.Working(out.Date) {
		out.HasToday = p.Minutes()[out.Date.Weekday()]
	}
	board, err := h.BoardAt(ctx, b, h.Now())
	if err != nil {
		return out, err
	}
	if err := out.own(ctx, r, board, who); err != nil {
		return out, err
	}
	if err := ask(b, ctx, r, out.With); err != nil {
		return out, err
	}
	if out.Lead {
		if err := out.lead(ctx, r, d, zone); err != nil {
			return out, err
		}
		return out, h.ahead(ctx, b, board, &out, d)
	}
	open := takeable(board, b.Who(who, d), d)
	out.NobodyAll = len(open)
	out.Nobody, err = turnsAt(ctx, r, open[:min(shown, len(open))])
	return out, err
}

// takeable gives the running legs of a desk that somebody may take, by when they are due.
func takeable(board *plan.Board, w relay.Who, desk ref.Desk) []turnKey {
	type open struct {
		turnKey
		due day.Date
	}
	var legs []open
	for _, p := range board.Pieces {
		if p.DeskID != desk || !p.Live() {
			continue
		}
		for _, l := range p.Running() {
			if l.Holder == 0 && relay.May(relay.ActTake, w, p, l, "") == nil {
				legs = append(legs, open{turnKey{p.ID, l.Position}, l.Due})
			}
		}
	}
	slices.SortStableFunc(legs, func(x, y open) int {
		return cmp.Or(newsroom.Count(x.due == 0)-newsroom.Count(y.due == 0), int(x.due-y.due))
	})
	out := make([]turnKey, len(legs))
	for i, l := range legs {
		out[i] = l.turnKey
	}
	return out
}

const (
	// Legs without a due date come last.
	mine       = `SELECT piece_id, position FROM leg WHERE holder = ? AND state = 'running' ORDER BY due = 0, due, piece_id LIMIT ?`
	waiting    = `SELECT piece_id, position FROM leg WHERE holder = ? AND state = 'waiting' ORDER BY due = 0, due, piece_id LIMIT ? OFFSET ?`
	openOnDesk = `SELECT leg.piece_id, leg.position FROM leg JOIN piece ON piece.id = leg.piece_id
		WHERE leg.holder = 0 AND leg.state = 'running' AND piece.desk_id = ? ORDER BY leg.due = 0, leg.due LIMIT ?`
)

func (d *Day) own(ctx context.Context, r store.Reader, board *plan.Board, who ref.Person) (err error) {
	if d.With, err = turns(ctx, r, mine, who, shown*3); err != nil {
		return err
	}
	for _, p := range board.Pieces {
		for l := range p.Every() {
			if l.Holder == who && l.State == relay.Running {
				d.WithTotal, d.Minutes = d.WithTotal+1, d.Minutes+l.Remaining()
			}
		}
	}
	return d.coming(ctx, r, who)
}

// coming finds the first waiting legs of somebody that come next, among those
// that are due first; it does not look through a backlog of hundreds.
func (d *Day) coming(ctx context.Context, r store.Reader, who ref.Person) error {
	const part = 3 * shown
	for from := 0; from < 4*part; from += part {
		ts, err := turns(ctx, r, waiting, who, part, from)
		if err != nil {
			return err
		}
		for _, t := range ts {
			if t.Row.NextUp(&t.Leg) {
				d.Next = append(d.Next, t)
			}
			if len(d.Next) == shown {
				return nil
			}
		}
		if len(ts) < part {
			return nil
		}
	}
	return nil
}

// ask says for running legs what their holder is asked to do next.
func ask(b *newsroom.Setup, ctx context.Context, r store.Reader, turns []Turn) error {
	pieces := make([]*relay.Piece, len(turns))
	for i := range turns {
		pieces[i] = &turns[i].Row.Piece
	}
	asked, err := copyroom.AskedOf(b, ctx, r, pieces...)
	if err != nil {
		return err
	}
	for i := range turns {
		t := &turns[i]
		unmet := asked.Unmet(&t.Row.Piece, &t.Leg)
		switch {
		case t.Leg.Rework > 0:
			t.Ask = "came back: " + newsroom.FirstSentence(t.Leg.Reasons)
		case t.Leg.Later:
			t.Ask = "it is out since " + b.At(t.Row.OutAt, t.Row.DeskID)
		case len(unmet) > 0:
			t.Ask = unmet[0].Text
		default:
			t.Ask = "then pass " + onward(b, &t.Row.Piece, t.Leg.Key)
		}
	}
	return nil
}

// onward says to whom a leg is passed: "to Ruth, Pictures", or that it goes out.
func onward(b *newsroom.Setup, p *relay.Piece, leg string) string {
	next, ready := p.Onward(leg)
	if ready {
		return "it; it goes out by itself"
	}
	var to []string
	for _, key := range next {
		l := p.Leg(key)
		if l.Holder == 0 {
			to = append(to, l.Name+", which nobody has yet")
			continue
		}
		to = append(to, b.Name(l.Holder)+", "+l.Name)
	}
	if len(to) == 0 {
		return "it; others are still running beside it"
	}
	return "to " + english.And(to)
}

// missed finds the pieces of a desk that did not go out at their time.
const missed = "desk_id = ? AND stage = 'running' AND missed_at > 0 AND missed_at = goes_out"

// lead adds what a lead is shown of the whole desk.
func (d *Day) lead(ctx context.Context, r store.Reader, desk ref.Desk, zone *time.Location) error {
	monday := d.Date.Monday()
	from, to := day.Wall(monday, 0, zone), day.Wall(monday+7, 0, zone)
	var week []store.Row
	for _, q := range []struct {
		into  *[]store.Row
		query string
		args  []any
	}{
		{&d.Late, "SELECT * FROM piece WHERE desk_id = ? AND pace = ? AND missed_at <> goes_out ORDER BY in_hand, goes_out LIMIT ?", []any{desk, plan.Short, shown}},
		{&d.Quiet, "SELECT * FROM piece WHERE desk_id = ? AND is_quiet = 1 ORDER BY quiet DESC, goes_out LIMIT ?", []any{desk, shown}},
		{&d.Missed, "SELECT * FROM piece WHERE " + missed + " ORDER BY goes_out DESC, id DESC LIMIT ?", []any{desk, shown}},
		{&week, "SELECT * FROM piece WHERE desk_id = ? AND (goes_out = 0) = 0 AND goes_out >= ? AND goes_out < ? ORDER BY goes_out, id LIMIT ?", []any{desk, from, to, 3 * shown}},
	} {
		rows, err := store.Pieces(ctx, r, q.query, q.args...)
		if err != nil {
			return err
		}
		*q.into = rows
	}
	for _, row := range week {
		d.Week = append(d.Week, WeekRow{Row: row, At: row.GoesOut, Channel: row.ChannelID})
	}
	var err error
	if d.Nobody, err = turns(ctx, r, openOnDesk, desk, shown); err != nil {
		return err
	}
	var n struct{ Late, Quiet, Nobody, Missed int }
	err = r.Get(ctx, &n, `SELECT (SELECT COUNT(*) FROM piece WHERE desk_id = ? AND pace = ? AND missed_at <> goes_out) AS late,
		(SELECT COUNT(*) FROM piece WHERE desk_id = ? AND is_quiet = 1) AS quiet,
		(SELECT COUNT(*) FROM piece WHERE desk_id = ? AND open_leg = 1) AS nobody,
		(SELECT COUNT(*) FROM piece WHERE `+missed+`) AS missed`, desk, plan.Short, desk, desk, desk)
	d.LateTotal, d.QuietTotal, d.NobodyAll, d.MissedAll = n.Late, n.Quiet, n.Nobody, n.Missed
	return err
}

// turns runs a query for legs and reads the pieces they belong to.
func turns(ctx context.Context, r store.Reader, query string, args ...any) ([]Turn, error) {
	var keys []turnKey
	if err := r.Select(ctx, &keys, query, args...); err != nil {
		return nil, err
	}
	return turnsAt(ctx, r, keys)
}

// turnKey names a leg of a piece.
type turnKey struct {
	PieceID  ref.Piece
	Position int
}

// turnsAt reads legs with their pieces, in that order.
func turnsAt(ctx context.Context, r store.Reader, keys []turnKey) ([]Turn, error) {
	ids := make([]ref.Piece, len(keys))
	for i, k := range keys {
		ids[i] = k.PieceID
	}
	rows, err := store.PiecesByID(ctx, r, ids)
	if err != nil {
		return nil, err
	}
	var out []Turn
	for _, k := range keys {
		row := rows[k.PieceID]
		out = append(out, Turn{Row: row, Leg: *row.At(k.Position)})
	}
	return out, nil
}
