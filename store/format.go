package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/field"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// GoesOn reports whether pieces of a format can go out on a channel of its desk.
func (f Format) GoesOn(channel ref.Channel) bool {
	return f.Channels == "" || f.ChannelID == channel || slices.Contains(strings.Split(f.Channels, ","), fmt.Sprint(channel))
}

// Field is an extra field of a desk, that one format or several show.
type Field struct {
	ID       ref.Field
	FormatID ref.Format // for which it was made
	Also     string     // other formats that show it, by id with commas between
	Key      string
	Name     string
	Kind     field.Kind
	Choices  string // a line each
	Help     string
	Position int
	Retired  bool
}

// Of reports whether pieces of a format have the field.
func (f Field) Of(format ref.Format) bool {
	return f.FormatID == format || slices.Contains(strings.Split(f.Also, ","), fmt.Sprint(format))
}

// Field gives the field as package field reads it.
func (f Field) Field() field.Field {
	x := field.Field{Key: f.Key, Name: f.Name, Kind: f.Kind}
	for line := range strings.Lines(f.Choices) {
		x.Choices = append(x.Choices, strings.TrimSpace(line))
	}
	return x
}

var fieldColumns = []string{"format_id", "also", "key", "name", "kind", "choices", "help", "position", "retired"}

// AddField stores an extra field and gives its id.
func (t *Tx) AddField(ctx context.Context, f Field) (ref.Field, error) {
	return put[ref.Field](ctx, t, "field", f, fieldColumns...)
}

// SaveField stores an extra field as it is now.
func (t *Tx) SaveField(ctx context.Context, f Field) error {
	return set(ctx, t, "field", f, f.ID, fieldColumns...)
}

// Values gives what is filled in on a piece, by field.
func Values(ctx context.Context, r Reader, piece ref.Piece) (map[ref.Field]string, error) {
	var all []struct {
		FieldID ref.Field
		Value   string
	}
	out := map[ref.Field]string{}
	err := r.Select(ctx, &all, "SELECT field_id, value FROM field_value WHERE piece_id = ?", piece)
	for _, v := range all {
		out[v.FieldID] = v.Value
	}
	return out, err
}

// ValuesOf gives what is filled in on several pieces, by piece and field.
func ValuesOf(ctx context.Context, r Reader, pieces []ref.Piece) (map[ref.Piece]map[ref.Field]string, error) {
	if len(pieces) == 0 {
		return map[ref.Piece]map[ref.Field]string{}, nil
	}
	return values(ctx, r, "SELECT piece_id, field_id, value FROM field_value WHERE piece_id IN ("+marks(len(pieces))+")", list(pieces)...)
}

// AllValues gives what is filled in on all pieces, by piece and field.
func AllValues(ctx context.Context, r Reader) (map[ref.Piece]map[ref.Field]string, error) {
	return values(ctx, r, "SELECT piece_id, field_id, value FROM field_value")
}

func values(ctx context.Context, r Reader, query string, args ...any) (map[ref.Piece]map[ref.Field]string, error) {
	var all []struct {
		PieceID ref.Piece
		FieldID ref.Field
		Value   string
	}
	out := map[ref.Piece]map[ref.Field]string{}
	err := r.Select(ctx, &all, query, args...)
	for _, v := range all {
		if out[v.PieceID] == nil {
			out[v.PieceID] = map[ref.Field]string{}
		}
		out[v.PieceID][v.FieldID] = v.Value
	}
	return out, err
}

// SetValue fills a field in on a piece.
func (t *Tx) SetValue(ctx context.Context, piece ref.Piece, field ref.Field, value string) error {
	_, err := t.Exec(ctx, "INSERT INTO field_value (piece_id, field_id, value) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET value = excluded.value", piece, field, value)
	return err
}

// AddFormat stores a format and gives its id.
func (t *Tx) AddFormat(ctx context.Context, f Format) (ref.Format, error) {
	return put[ref.Format](ctx, t, "format", f, "desk_id", "channel_id", "channels", "name", "words_from", "words_to", "wordless")
}

// SaveFormat stores a format as it is now.
func (t *Tx) SaveFormat(ctx context.Context, f Format) error {
	return set(ctx, t, "format", f, f.ID, "channel_id", "channels", "name", "words_from", "words_to", "wordless", "retired")
}

// SaveFormatBrief stores what a format asks of a brief, and its outline.
func (t *Tx) SaveFormatBrief(ctx context.Context, f Format) error {
	return set(ctx, t, "format", f, f.ID, "brief_form", "outline", "titled")
}

// SaveFormatChecks stores what a format makes of the checks of copies.
func (t *Tx) SaveFormatChecks(ctx context.Context, f Format) error {
	return set(ctx, t, "format", f, f.ID, "checks")
}

// SaveFormatUsual stores with what the pieces of a format begin.
func (t *Tx) SaveFormatUsual(ctx context.Context, f Format) error {
	return set(ctx, t, "format", f, f.ID, "priority", "owner", "answers")
}

// AddRoute stores a version of a format's route and gives its id.
func (t *Tx) AddRoute(ctx context.Context, r Route) (ref.Route, error) {
	legs, err := json.Marshal(r.Way)
	if err != nil {
		return 0, fmt.Errorf("write route: %w", err)
	}
	return put[ref.Route](ctx, t, "route", struct {
		Route
		Legs string
	}{r, string(legs)}, "format_id", "version", "legs")
}

// UnderWayOn gives the pieces under way of a format that are not on a route, by day.
func UnderWayOn(ctx context.Context, r Reader, format ref.Format, otherThan ref.Route) ([]Row, error) {
	return Pieces(ctx, r, `SELECT * FROM piece WHERE stage = ? AND format_id = ? AND route_id <> ? ORDER BY goes_out = 0, goes_out, id`, relay.UnderWay, format, otherThan)
}

// CountUnderWayOn counts them.
func CountUnderWayOn(ctx context.Context, r Reader, format ref.Format, otherThan ref.Route) (int, error) {
	var n int
	err := r.Get(ctx, &n, "SELECT COUNT(*) FROM piece WHERE stage = ? AND format_id = ? AND route_id <> ?", relay.UnderWay, format, otherThan)
	return n, err
}

// Record is one finished run of a leg, as far as forecasts learn from it.
type Record struct {
	Key       string
	Holder    ref.Person
	Allowance int
	StartDay  int
	EndDay    int
}

// Records gives the passed runs of the newest pieces of a format, the latest first.
func Records(ctx context.Context, r Reader, desk ref.Desk, format ref.Format, pieces int) ([]Record, error) {
	var out []Record
	err := r.Select(ctx, &out, `SELECT key, holder, allowance, start_day, end_day FROM leg_run WHERE outcome = 'passed' AND piece_id IN
		(SELECT id FROM piece WHERE desk_id = ? AND format_id = ? ORDER BY number DESC LIMIT ?) ORDER BY ended_at DESC, id DESC`, desk, format, pieces)
	return out, err
}
