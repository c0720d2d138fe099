package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/fee"
	"greenbaton/core/ref"
)

// Rate is what a desk pays, in general or for what it names.
type Rate struct {
	ID       ref.Rate
	DeskID   ref.Desk
	PersonID ref.Person
	Leg      string // by its name
	Role     string
	FormatID ref.Format
	Per      fee.Per
	Rate     int64 // in hundredths of the currency's smallest unit
	Least    int64
	Most     int64
	Retired  bool
}

// Rule gives a rate as it is chosen by.
func (r Rate) Rule() fee.Rule {
	return fee.Rule{ID: r.ID, Person: r.PersonID, Leg: r.Leg, Role: r.Role, Format: r.FormatID, Terms: fee.Terms{Per: r.Per, Rate: r.Rate, Least: r.Least, Most: r.Most}}
}

// SaveRate stores a rate, a new one where it has no id.
func (t *Tx) SaveRate(ctx context.Context, r Rate) (ref.Rate, error) {
	return save(ctx, t, "rate", r, r.ID, "desk_id", "person_id", "leg", "role", "format_id", "per", "rate", "least", "most", "retired")
}

// Fee is what one leg of a piece comes to for one person, from when it is agreed.
type Fee struct {
	ID          ref.Fee
	DeskID      ref.Desk
	PieceID     ref.Piece // none of a correction of something older
	Leg         string    // its key
	Name        string    // of the leg
	Title       string    // of the piece, when it was last worked out
	PersonID    ref.Person
	Kind        fee.Kind
	State       fee.State
	Begun       bool
	ByOwner     bool
	Runs        int
	Per         fee.Per
	Rate        int64
	Least       int64
	Most        int64
	Beyond      bool
	Why         string // which rate it is by, or who agreed otherwise
	Currency    string // of when it was agreed
	Words       int
	Asked       int
	Minutes     int // as who did it says
	Share       int
	Times       int
	Amount      int64
	AgreedAt    day.Moment
	AcceptedAt  day.Moment
	AcceptedDay day.Date // by the desk's zone
	CheckedAt   day.Moment
	CheckedBy   ref.Person
	Reason      string // why it went back, or what a correction is for
	StatementID ref.Statement
	Corrects    ref.Fee
	Taker       string // the leg whose pass accepted it
	TakerRun    int
	AtRun       int // of the leg when it was accepted
}

// Line gives a fee as it follows its piece.
func (f Fee) Line() fee.Line {
	return fee.Line{ID: f.ID, Leg: f.Leg, Person: f.PersonID, Kind: f.Kind, State: f.State, Minutes: f.Minutes, Begun: f.Begun, ByOwner: f.ByOwner, Runs: f.Runs, Times: f.Times, Taker: f.Taker, TakerRun: f.TakerRun, AtRun: f.AtRun, Terms: f.Terms(), Beyond: f.Beyond}
}

// Terms gives what was agreed.
func (f Fee) Terms() fee.Terms {
	return fee.Terms{Per: f.Per, Rate: f.Rate, Least: f.Least, Most: f.Most}
}

// Work gives what was done, as far as it counts.
func (f Fee) Work() fee.Work {
	return fee.Work{Words: f.Words, Asked: f.Asked, Beyond: f.Beyond, Minutes: f.Minutes, Share: f.Share, Times: f.Times}
}

var feeColumns = []string{"desk_id", "piece_id", "leg", "name", "title", "person_id", "kind", "state", "begun", "by_owner", "runs", "per", "rate", "least", "most", "beyond", "why", "currency", "words", "asked", "minutes",
	"share", "times", "amount", "agreed_at", "accepted_at", "accepted_day", "checked_at", "checked_by", "reason", "statement_id", "corrects", "taker", "taker_run", "at_run"}

// SaveFee stores a fee, a new one where it has no id.
func (t *Tx) SaveFee(ctx context.Context, f Fee) (ref.Fee, error) {
	return save(ctx, t, "fee", f, f.ID, feeColumns...)
}

// DropFee drops a fee of which nothing was begun.
func (t *Tx) DropFee(ctx context.Context, id ref.Fee) error {
	_, err := t.Exec(ctx, "DELETE FROM fee WHERE id = ? AND state IN ('agreed', 'accepted')", id)
	return err
}

// FeeByID reads a fee; ErrNone if there is none.
func FeeByID(ctx context.Context, r Reader, id ref.Fee) (Fee, error) {
	var out Fee
	err := r.Get(ctx, &out, "SELECT * FROM fee WHERE id = ?", id)
	return out, err
}

// FeesOf reads the fees of a piece, in the order in which they were agreed.
func FeesOf(ctx context.Context, r Reader, piece ref.Piece) ([]Fee, error) {
	var out []Fee
	err := r.Select(ctx, &out, "SELECT * FROM fee WHERE piece_id = ? ORDER BY id", piece)
	return out, err
}

// FeesOfAll reads the fees of some pieces, in the order in which they were agreed.
func FeesOfAll(ctx context.Context, r Reader, pieces []ref.Piece) ([]Fee, error) {
	if len(pieces) == 0 {
		return nil, nil
	}
	var out []Fee
	err := r.Select(ctx, &out, "SELECT * FROM fee WHERE piece_id IN ("+marks(len(pieces))+") ORDER BY id", list(pieces)...)
	return out, err
}

// FeesOfDesk reads the fees of a desk that were accepted from one day to another.
func FeesOfDesk(ctx context.Context, r Reader, desk ref.Desk, from, to day.Date) ([]Fee, error) {
	var out []Fee
	err := r.Select(ctx, &out, "SELECT * FROM fee WHERE desk_id = ? AND accepted_day BETWEEN ? AND ? ORDER BY accepted_at, id", desk, from, to)
	return out, err
}

// FeesCounted reads the fees of a desk that its budgets count: accepted from one day to another, only
// agreed, and of campaigns that have a budget for the whole of them.
func FeesCounted(ctx context.Context, r Reader, desk ref.Desk, from, to day.Date) ([]Fee, error) {
	var out []Fee
	err := r.Select(ctx, &out, `SELECT * FROM fee WHERE desk_id = ? AND (accepted_day BETWEEN ? AND ? OR accepted_day = 0)
		UNION SELECT * FROM fee WHERE desk_id = ? AND piece_id IN (SELECT p.id FROM piece p JOIN budget b ON b.campaign_id = p.campaign_id WHERE b.desk_id = ? AND b.span = 'whole' AND b.retired = 0)`, desk, from, to, desk, desk)
	return out, err
}

// CostsCounted reads the other costs of a desk that its budgets count: from one day to another, and of
// campaigns that have a budget for the whole of them.
func CostsCounted(ctx context.Context, r Reader, desk ref.Desk, from, to day.Date) ([]Cost, error) {
	var out []Cost
	err := r.Select(ctx, &out, `SELECT * FROM cost WHERE desk_id = ? AND dropped = 0 AND (day BETWEEN ? AND ?
		OR campaign_id IN (SELECT campaign_id FROM budget WHERE desk_id = ? AND span = 'whole' AND retired = 0))`, desk, from, to, desk)
	return out, err
}

// FeesWaiting reads the fees of a desk that are accepted and not in a statement yet.
func FeesWaiting(ctx context.Context, r Reader, desk ref.Desk) ([]Fee, error) {
	var out []Fee
	err := r.Select(ctx, &out, "SELECT * FROM fee WHERE desk_id = ? AND state IN ('accepted', 'checked') ORDER BY accepted_at, id", desk)
	return out, err
}

// FeesOfPerson reads what somebody is paid on some desk, the newest first.
func FeesOfPerson(ctx context.Context, r Reader, person ref.Person) ([]Fee, error) {
	var out []Fee
	err := r.Select(ctx, &out, "SELECT * FROM fee WHERE person_id = ? ORDER BY accepted_at DESC, id DESC", person)
	return out, err
}

// Statement is what somebody is owed for a month. It never changes, but for the day it is paid.
type Statement struct {
	ID       ref.Statement
	DeskID   ref.Desk
	Number   int // of the desk, without gaps
	PersonID ref.Person
	Month    day.Date // its first day
	Currency string
	Total    int64
	MadeAt   day.Moment
	MadeDay  day.Date
	MadeBy   ref.Person
	DueDay   day.Date
	PaidDay  day.Date
	PaidBy   ref.Person
}

// StatementLine is one fee of a statement, as it was when that was made.
type StatementLine struct {
	StatementID ref.Statement
	Position    int
	FeeID       ref.Fee
	Day         day.Date // it was accepted
	Title       string
	Name        string
	Says        string
	Amount      int64
}

// NextStatement gives the number of the next statement of a desk.
func (t *Tx) NextStatement(ctx context.Context, desk ref.Desk) (n int, err error) {
	err = t.Get(ctx, &n, "SELECT COALESCE(MAX(number), 0) + 1 FROM statement WHERE desk_id = ?", desk)
	return n, err
}

// AddStatement stores a statement.
func (t *Tx) AddStatement(ctx context.Context, s Statement) (ref.Statement, error) {
	return put[ref.Statement](ctx, t, "statement", s, "desk_id", "number", "person_id", "month", "currency", "total", "made_at", "made_day", "made_by", "due_day")
}

// AddStatementLine stores a line of a statement.
func (t *Tx) AddStatementLine(ctx context.Context, l StatementLine) error {
	_, err := put[int64](ctx, t, "statement_line", l, "statement_id", "position", "fee_id", "day", "title", "name", "says", "amount")
	return err
}

// PayStatement notes that a statement is paid, or with no day that it is not.
func (t *Tx) PayStatement(ctx context.Context, s Statement) error {
	return set(ctx, t, "statement", s, s.ID, "paid_day", "paid_by")
}

// StatementByID reads a statement with its lines; ErrNone if there is none.
func StatementByID(ctx context.Context, r Reader, id ref.Statement) (Statement, []StatementLine, error) {
	var out Statement
	if err := r.Get(ctx, &out, "SELECT * FROM statement WHERE id = ?", id); err != nil {
		return out, nil, err
	}
	var lines []StatementLine
	err := r.Select(ctx, &lines, "SELECT * FROM statement_line WHERE statement_id = ? ORDER BY position", id)
	return out, lines, err
}

// Statements reads the statements of a desk, the newest first.
func Statements(ctx context.Context, r Reader, desk ref.Desk) ([]Statement, error) {
	var out []Statement
	err := r.Select(ctx, &out, "SELECT * FROM statement WHERE desk_id = ? ORDER BY number DESC", desk)
	return out, err
}

// StatementsOf reads the statements of somebody, the newest first.
func StatementsOf(ctx context.Context, r Reader, person ref.Person) ([]Statement, error) {
	var out []Statement
	err := r.Select(ctx, &out, "SELECT * FROM statement WHERE person_id = ? ORDER BY made_at DESC, id DESC", person)
	return out, err
}

// Budget is what a desk may spend over each month or quarter, or over the whole of a campaign: on
// everything, or on what it names.
type Budget struct {
	ID         ref.Budget
	DeskID     ref.Desk
	Span       fee.Span
	FormatID   ref.Format
	ChannelID  ref.Channel
	CampaignID ref.Campaign
	Amount     int64
	Retired    bool
	Told       string // the span of which it was told that it is nearly spent
}

// SaveBudget stores a budget, a new one where it has no id.
func (t *Tx) SaveBudget(ctx context.Context, b Budget) (ref.Budget, error) {
	return save(ctx, t, "budget", b, b.ID, "desk_id", "span", "format_id", "channel_id", "campaign_id", "amount", "retired", "told")
}

// Cost is something else that money was spent on.
type Cost struct {
	ID         ref.Cost
	DeskID     ref.Desk
	Day        day.Date
	Note       string
	Amount     int64
	Currency   string
	FormatID   ref.Format
	ChannelID  ref.Channel
	CampaignID ref.Campaign
	By         ref.Person
	Dropped    bool
}

// SaveCost stores another cost, a new one where it has no id.
func (t *Tx) SaveCost(ctx context.Context, c Cost) (ref.Cost, error) {
	return save(ctx, t, "cost", c, c.ID, "desk_id", "day", "note", "amount", "currency", "format_id", "channel_id", "campaign_id", "by", "dropped")
}

// CostByID reads another cost; ErrNone if there is none.
func CostByID(ctx context.Context, r Reader, id ref.Cost) (Cost, error) {
	var out Cost
	err := r.Get(ctx, &out, "SELECT * FROM cost WHERE id = ?", id)
	return out, err
}

// Costs reads the other costs of a desk from one day to another.
func Costs(ctx context.Context, r Reader, desk ref.Desk, from, to day.Date) ([]Cost, error) {
	var out []Cost
	err := r.Select(ctx, &out, "SELECT * FROM cost WHERE desk_id = ? AND day BETWEEN ? AND ? AND dropped = 0 ORDER BY day, id", desk, from, to)
	return out, err
}

// Corrected sums the corrections of a fee.
func Corrected(ctx context.Context, r Reader, id ref.Fee) (int64, error) {
	var out int64
	err := r.Get(ctx, &out, "SELECT COALESCE(SUM(amount), 0) FROM fee WHERE corrects = ?", id)
	return out, err
}

// LegSums gives what the legs of a desk came to altogether that were accepted from a day on, in a
// currency.
func LegSums(ctx context.Context, r Reader, desk ref.Desk, currency string, from day.Date) (fee.Sums, error) {
	var rows []struct {
		FormatID ref.Format
		Leg      string
		Amount   int64
	}
	err := r.Select(ctx, &rows, `SELECT p.format_id, f.leg, SUM(f.amount) AS amount FROM fee f JOIN piece p ON p.id = f.piece_id
		WHERE f.desk_id = ? AND f.accepted_day >= ? AND f.currency = ? GROUP BY p.format_id, f.leg`, desk, from, currency)
	out := fee.Sums{}
	for _, x := range rows {
		if out[x.FormatID] == nil {
			out[x.FormatID] = map[string]int64{}
		}
		out[x.FormatID][x.Leg] = x.Amount
	}
	return out, err
}

// FeeSums gives what the pieces of a desk came to in fees, in a currency.
func FeeSums(ctx context.Context, r Reader, desk ref.Desk, currency string) (map[ref.Piece]int64, error) {
	var rows []struct {
		PieceID ref.Piece
		Amount  int64
	}
	err := r.Select(ctx, &rows, "SELECT piece_id, SUM(amount) AS amount FROM fee WHERE desk_id = ? AND currency = ? AND state <> 'agreed' GROUP BY piece_id", desk, currency)
	out := make(map[ref.Piece]int64, len(rows))
	for _, x := range rows {
		out[x.PieceID] = x.Amount
	}
	return out, err
}
