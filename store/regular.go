package store

import (
	"context"
	"encoding/json"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/regular"
)

// Regular is a piece that makes itself again and again.
type Regular struct {
	ID         ref.Regular
	DeskID     ref.Desk
	Name       string
	Title      string // with {n} and {date}
	FormatID   ref.Format
	ChannelID  ref.Channel // 0 is the format's own
	Owner      ref.Person  // 0 is whom the format says
	TopicID    ref.Topic
	CampaignID ref.Campaign
	Brief      string
	WordsFrom  int
	WordsTo    int
	People     string   // JSON, who runs which leg; see LegPeople
	Rule       string   // JSON; see Recurs
	At         int      // minutes after midnight; -1 is the time of the channel
	Ahead      int      // weeks before its day that a piece is made
	Since      day.Date // the day from which on its dates count
	MadeDay    day.Date // the day on which pieces were last made
	NextN      int      // the number of the next piece
	Paused     bool
	Ended      bool
}

// Runs reports whether pieces of it are made.
func (r Regular) Runs() bool { return !r.Paused && !r.Ended }

// Recurs gives the rule of the regular.
func (r Regular) Recurs() (out regular.Rule, err error) {
	err = json.Unmarshal([]byte(r.Rule), &out)
	return out, err
}

// LegPeople gives who runs which leg of the regular's pieces, by key.
func (r Regular) LegPeople() (out map[string]ref.Person, err error) {
	err = json.Unmarshal([]byte(r.People), &out)
	return out, err
}

// What became of a day of a regular.
const (
	RegularMade  = "made"
	RegularTaken = "taken" // another piece has its time, which was told
	RegularPast  = "past"  // it was over before a piece was made, which was told
)

// RegularDate is what became of a day of a regular.
type RegularDate struct {
	RegularID ref.Regular
	Key       day.Date // the day by the rule
	State     string
	PieceID   ref.Piece // that was made, or that is there already
	N         int
}

// Regulars reads the regulars of a desk, by name.
func Regulars(ctx context.Context, r Reader, desk ref.Desk) ([]Regular, error) {
	var out []Regular
	err := r.Select(ctx, &out, "SELECT * FROM regular WHERE desk_id = ? ORDER BY ended, name, id", desk)
	return out, err
}

// RegularByID reads a regular; ErrNone if there is none.
func RegularByID(ctx context.Context, r Reader, id ref.Regular) (Regular, error) {
	var out Regular
	err := r.Get(ctx, &out, "SELECT * FROM regular WHERE id = ?", id)
	return out, err
}

// RegularsDue reads the regulars of a desk that run and of which no pieces were made today.
func RegularsDue(ctx context.Context, r Reader, desk ref.Desk, today day.Date) ([]Regular, error) {
	var out []Regular
	err := r.Select(ctx, &out, "SELECT * FROM regular WHERE desk_id = ? AND made_day <> ? AND NOT paused AND NOT ended ORDER BY id", desk, today)
	return out, err
}

// RegularDates reads what became of the days of a regular, by day.
func RegularDates(ctx context.Context, r Reader, id ref.Regular) (map[day.Date]RegularDate, error) {
	var all []RegularDate
	err := r.Select(ctx, &all, "SELECT * FROM regular_date WHERE regular_id = ?", id)
	out := map[day.Date]RegularDate{}
	for _, d := range all {
		out[d.Key] = d
	}
	return out, err
}

// RegularOf reads the regular that made a piece and its number there; ErrNone if none did.
func RegularOf(ctx context.Context, r Reader, piece ref.Piece) (Regular, int, error) {
	var d RegularDate
	if err := r.Get(ctx, &d, "SELECT * FROM regular_date WHERE piece_id = ? AND state = ?", piece, RegularMade); err != nil {
		return Regular{}, 0, err
	}
	out, err := RegularByID(ctx, r, d.RegularID)
	return out, d.N, err
}

// SaveRegular stores a regular, a new one where it has no id, and gives its id.
func (t *Tx) SaveRegular(ctx context.Context, x Regular) (ref.Regular, error) {
	return save(ctx, t, "regular", x, x.ID, "desk_id", "name", "title", "format_id", "channel_id", "owner", "topic_id", "campaign_id", "brief", "words_from", "words_to",
		"people", "rule", "at", "ahead", "since", "made_day", "next_n", "paused", "ended")
}

// PutRegularDate stores what became of a day of a regular.
func (t *Tx) PutRegularDate(ctx context.Context, d RegularDate) error {
	_, err := t.Exec(ctx, "INSERT OR REPLACE INTO regular_date (regular_id, key, state, piece_id, n) VALUES (?, ?, ?, ?, ?)", d.RegularID, d.Key, d.State, d.PieceID, d.N)
	return err
}

// DropRegularDate forgets what became of a day of a regular.
func (t *Tx) DropRegularDate(ctx context.Context, id ref.Regular, key day.Date) error {
	_, err := t.Exec(ctx, "DELETE FROM regular_date WHERE regular_id = ? AND key = ?", id, key)
	return err
}
