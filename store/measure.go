package store

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
)

// Measure is something that is counted of the pieces of a desk.
type Measure struct {
	ID        ref.Measure
	DeskID    ref.Desk
	Name      string
	Unit      string
	How       measure.How // how days become one figure
	Better    measure.Better
	WeighedBy ref.Measure // by which days are weighed that are averaged, 0 for none
	Counts    string      // what the program counts for it; see Visits and Clicks
	Main      bool        // it is shown first
	Retired   bool
}

// What the program counts by itself.
const (
	Visits = "visits" // of pages of the shipped site
	Clicks = "clicks" // on short links
)

// SaveMeasure stores a measure, a new one where it has no id, and gives its id.
func (t *Tx) SaveMeasure(ctx context.Context, m Measure) (ref.Measure, error) {
	return save(ctx, t, "measure", m, m.ID, "desk_id", "name", "unit", "how", "better", "weighed_by", "counts", "main", "retired")
}

// Figure is what was counted of a piece on a day, by one source.
type Figure struct {
	PieceID   ref.Piece
	MeasureID ref.Measure
	Day       day.Date
	Source    string // as package measure names them
	Value     float64
	At        day.Moment
	Stands    bool // no later one from elsewhere takes its place
}

// FiguresOf reads the figures of a piece, by measure and day.
func FiguresOf(ctx context.Context, r Reader, piece ref.Piece) ([]Figure, error) {
	var out []Figure
	err := r.Select(ctx, &out, "SELECT * FROM figure WHERE piece_id = ? ORDER BY measure_id, day, source", piece)
	return out, err
}

// FiguresOn reads the figures of a piece by one measure, by day.
func FiguresOn(ctx context.Context, r Reader, piece ref.Piece, m ref.Measure) ([]Figure, error) {
	var out []Figure
	err := r.Select(ctx, &out, "SELECT * FROM figure WHERE piece_id = ? AND measure_id = ? ORDER BY day, source", piece, m)
	return out, err
}

// figuresAtOnce is how many figures are stored by one statement.
const figuresAtOnce = 100

// PutFigures stores figures, each in the place of what its source said of that day before.
func (t *Tx) PutFigures(ctx context.Context, all []Figure) error {
	for len(all) > 0 {
		n := min(len(all), figuresAtOnce)
		args := make([]any, 0, 7*n)
		for _, f := range all[:n] {
			args = append(args, f.PieceID, f.MeasureID, f.Day, f.Source, f.Value, f.At, f.Stands)
		}
		if _, err := t.Exec(ctx, "INSERT OR REPLACE INTO figure (piece_id, measure_id, day, source, value, at, stands) VALUES "+strings.TrimSuffix(strings.Repeat("(?, ?, ?, ?, ?, ?, ?), ", n), ", "), args...); err != nil {
			return err
		}
		all = all[n:]
	}
	return nil
}

// SetStands notes whether a figure stands.
func (t *Tx) SetStands(ctx context.Context, f Figure) error {
	_, err := t.Exec(ctx, "UPDATE figure SET stands = ? WHERE piece_id = ? AND measure_id = ? AND day = ? AND source = ?", f.Stands, f.PieceID, f.MeasureID, f.Day, f.Source)
	return err
}

// DropFigure forgets what a source says of a day.
func (t *Tx) DropFigure(ctx context.Context, f Figure) error {
	_, err := t.Exec(ctx, "DELETE FROM figure WHERE piece_id = ? AND measure_id = ? AND day = ? AND source = ?", f.PieceID, f.MeasureID, f.Day, f.Source)
	return err
}

// FigureKey is the figures of a piece by one measure.
type FigureKey struct {
	PieceID   ref.Piece
	MeasureID ref.Measure
}

// KeysOfSource gives of which pieces and measures the figures are that came with a list.
func (t *Tx) KeysOfSource(ctx context.Context, source string) ([]FigureKey, error) {
	var keys []FigureKey
	err := t.Select(ctx, &keys, "SELECT DISTINCT piece_id, measure_id FROM figure WHERE source = ? AND source LIKE 'list %'", source)
	return keys, err
}

// DropSource forgets the figures that came with a list, and gives of which pieces they were.
func (t *Tx) DropSource(ctx context.Context, source string) ([]FigureKey, error) {
	keys, err := t.KeysOfSource(ctx, source)
	if err != nil {
		return nil, err
	}
	_, err = t.Exec(ctx, "DELETE FROM figure WHERE source = ? AND source LIKE 'list %'", source)
	return keys, err
}

// FigureSum is what a piece did by one measure, worked out from its figures.
type FigureSum struct {
	PieceID   ref.Piece
	MeasureID ref.Measure
	First1    float64 // over the first day out, and the first 7 and 28
	First7    float64
	First28   float64
	Total     float64
	Knows     int // which of these there are: bits 0 to 3
	FromDay   day.Date
	ToDay     day.Date
}

// First gives what it did over the first days, by their place in measure.Windows; false where
// there is no figure of them.
func (s FigureSum) First(window int) (float64, bool) {
	return [...]float64{s.First1, s.First7, s.First28}[window], s.Knows&(1<<window) != 0
}

// FigureSums reads what all pieces did.
func FigureSums(ctx context.Context, r Reader) ([]FigureSum, error) {
	var out []FigureSum
	err := r.Select(ctx, &out, "SELECT * FROM figure_sum ORDER BY measure_id, piece_id")
	return out, err
}

// FigureSumsOf reads what one piece did, by measure.
func FigureSumsOf(ctx context.Context, r Reader, piece ref.Piece) ([]FigureSum, error) {
	var out []FigureSum
	err := r.Select(ctx, &out, "SELECT * FROM figure_sum WHERE piece_id = ? ORDER BY measure_id", piece)
	return out, err
}

// PutFigureSum stores what a piece did.
func (t *Tx) PutFigureSum(ctx context.Context, s FigureSum) error {
	_, err := t.Exec(ctx, "INSERT OR REPLACE INTO figure_sum (piece_id, measure_id, first1, first7, first28, total, knows, from_day, to_day) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
		s.PieceID, s.MeasureID, s.First1, s.First7, s.First28, s.Total, s.Knows, s.FromDay, s.ToDay)
	return err
}

// FigureMonth is what a piece did in a month by one measure.
type FigureMonth struct {
	MeasureID ref.Measure
	Month     day.Date // its first day
	PieceID   ref.Piece
	Value     float64
	Weight    float64 // by which it is averaged with others
}

// FigureMonths reads what pieces did by a measure, from the month of one day to that of another, by
// month.
func FigureMonths(ctx context.Context, r Reader, m ref.Measure, from, to day.Date) ([]FigureMonth, error) {
	var out []FigureMonth
	err := r.Select(ctx, &out, "SELECT * FROM figure_month WHERE measure_id = ? AND month >= ? AND month <= ? ORDER BY month", m, from.MonthStart(), to)
	return out, err
}

// SetFigureMonths stores what a piece did by month, in the place of what was there.
func (t *Tx) SetFigureMonths(ctx context.Context, k FigureKey, months []FigureMonth) error {
	if _, err := t.Exec(ctx, "DELETE FROM figure_sum WHERE piece_id = ? AND measure_id = ?", k.PieceID, k.MeasureID); err != nil {
		return err
	}
	if _, err := t.Exec(ctx, "DELETE FROM figure_month WHERE piece_id = ? AND measure_id = ?", k.PieceID, k.MeasureID); err != nil {
		return err
	}
	for _, m := range months {
		if err := t.AddFigureMonth(ctx, m); err != nil {
			return err
		}
	}
	return nil
}

// AddFigureMonth stores what a piece did in a month.
func (t *Tx) AddFigureMonth(ctx context.Context, m FigureMonth) error {
	_, err := t.Exec(ctx, "INSERT INTO figure_month (measure_id, month, piece_id, value, weight) VALUES (?, ?, ?, ?, ?)", m.MeasureID, m.Month, m.PieceID, m.Value, m.Weight)
	return err
}

// Aim is what a piece or a campaign is to reach.
type Aim struct {
	ID         ref.Aim
	PieceID    ref.Piece
	CampaignID ref.Campaign
	MeasureID  ref.Measure // 0 is pieces that are out
	Value      float64
	ByDay      day.Date // 0 is four weeks after release, or the end of the campaign
}

// AimsOf reads the aims of a piece.
func AimsOf(ctx context.Context, r Reader, piece ref.Piece) ([]Aim, error) {
	var out []Aim
	err := r.Select(ctx, &out, "SELECT * FROM aim WHERE piece_id = ? ORDER BY id", piece)
	return out, err
}

// AimsOfCampaign reads the aims of a campaign.
func AimsOfCampaign(ctx context.Context, r Reader, c ref.Campaign) ([]Aim, error) {
	var out []Aim
	err := r.Select(ctx, &out, "SELECT * FROM aim WHERE campaign_id = ? ORDER BY id", c)
	return out, err
}

// AimByID reads an aim; ErrNone if there is none.
func AimByID(ctx context.Context, r Reader, id ref.Aim) (Aim, error) {
	var out Aim
	err := r.Get(ctx, &out, "SELECT * FROM aim WHERE id = ?", id)
	return out, err
}

// SaveAim stores an aim, a new one where it has no id, and gives its id.
func (t *Tx) SaveAim(ctx context.Context, x Aim) (ref.Aim, error) {
	return save(ctx, t, "aim", x, x.ID, "piece_id", "campaign_id", "measure_id", "value", "by_day")
}

// DropAim removes an aim.
func (t *Tx) DropAim(ctx context.Context, id ref.Aim) error {
	_, err := t.Exec(ctx, "DELETE FROM aim WHERE id = ?", id)
	return err
}

// Outcome is how a piece or a campaign did, as somebody says.
type Outcome struct {
	ID         ref.Outcome
	PieceID    ref.Piece
	CampaignID ref.Campaign
	Said       string
	Learnt     string
	By         ref.Person
	At         day.Moment
}

// What is said of how something did.
const (
	Worked = "worked"
	Partly = "partly"
	Failed = "not"
)

// Outcomes reads how everything did of which somebody said it, the newest first.
func Outcomes(ctx context.Context, r Reader) ([]Outcome, error) {
	var out []Outcome
	err := r.Select(ctx, &out, "SELECT * FROM outcome ORDER BY at DESC, id DESC")
	return out, err
}

// OutcomesOf reads how pieces did of which somebody said it, by piece.
func OutcomesOf(ctx context.Context, r Reader, pieces []ref.Piece) (map[ref.Piece]Outcome, error) {
	out := map[ref.Piece]Outcome{}
	if len(pieces) == 0 {
		return out, nil
	}
	args := make([]any, len(pieces))
	for i, p := range pieces {
		args[i] = p
	}
	var all []Outcome
	err := r.Select(ctx, &all, "SELECT * FROM outcome WHERE piece_id <> 0 AND piece_id IN ("+marks(len(pieces))+")", args...)
	for _, o := range all {
		out[o.PieceID] = o
	}
	return out, err
}

// Unanswered gives the pieces with an aim of which nobody said how they did.
func Unanswered(ctx context.Context, r Reader) ([]ref.Piece, error) {
	var out []ref.Piece
	err := r.Select(ctx, &out, "SELECT DISTINCT piece_id FROM aim WHERE piece_id <> 0 AND piece_id NOT IN (SELECT piece_id FROM outcome WHERE piece_id <> 0) ORDER BY piece_id")
	return out, err
}

// OutcomeOf reads how a piece or a campaign did; ErrNone if nobody said it.
func OutcomeOf(ctx context.Context, r Reader, piece ref.Piece, campaign ref.Campaign) (Outcome, error) {
	var out Outcome
	err := r.Get(ctx, &out, "SELECT * FROM outcome WHERE piece_id = ? AND campaign_id = ?", piece, campaign)
	return out, err
}

// SaveOutcome stores how something did, and gives its id.
func (t *Tx) SaveOutcome(ctx context.Context, x Outcome) (ref.Outcome, error) {
	return save(ctx, t, "outcome", x, x.ID, "piece_id", "campaign_id", "said", "learnt", "by", "at")
}

// Goal is what a desk is to reach in a quarter.
type Goal struct {
	ID        ref.Goal
	DeskID    ref.Desk
	Name      string
	Quarter   day.Date    // its first day
	MeasureID ref.Measure // 0 is pieces that are out
	Target    float64
	Sieve     string // what counts toward it, as views are addressed
}

// Goals reads the goals of a desk, the newest quarter first.
func Goals(ctx context.Context, r Reader, desk ref.Desk) ([]Goal, error) {
	var out []Goal
	err := r.Select(ctx, &out, "SELECT * FROM goal WHERE desk_id = ? ORDER BY quarter DESC, id", desk)
	return out, err
}

// SaveGoal stores a goal, a new one where it has no id, and gives its id.
func (t *Tx) SaveGoal(ctx context.Context, x Goal) (ref.Goal, error) {
	return save(ctx, t, "goal", x, x.ID, "desk_id", "name", "quarter", "measure_id", "target", "sieve")
}

// DropGoal removes a goal.
func (t *Tx) DropGoal(ctx context.Context, id ref.Goal) error {
	_, err := t.Exec(ctx, "DELETE FROM goal WHERE id = ?", id)
	return err
}

// ListSource is by what the figures are known that came with a list.
func ListSource(id ref.Batch) string { return fmt.Sprintf("list %d", id) }
