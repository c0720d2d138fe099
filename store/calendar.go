package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// The kinds of calendars.
const (
	CalendarLegs   = "legs"   // of whoever it belongs to, by the day they are due
	CalendarPieces = "pieces" // by the time they go out
)

// Calendar is an address at which a calendar program asks for what somebody sees.
type Calendar struct {
	ID       ref.Calendar
	PersonID ref.Person
	DeskID   ref.Desk
	Kind     string
	Query    string   // of pieces, as in the address of a list
	ViewID   ref.View // whose pieces they are, instead of a query
	Name     string
	Hash     string // of the token in its address
	MadeAt   day.Moment
	UsedAt   day.Moment
	EndedAt  day.Moment
	Shown    string // what it has shown, as JSON
}

const calendarFacts = "id, person_id, desk_id, kind, query, view_id, name, hash, made_at, used_at, ended_at"

// CalendarsOf gives the calendars of somebody that are not ended, the oldest first, without what they
// have shown.
func CalendarsOf(ctx context.Context, r Reader, who ref.Person) ([]Calendar, error) {
	var out []Calendar
	err := r.Select(ctx, &out, "SELECT "+calendarFacts+" FROM calendar WHERE person_id = ? AND ended_at = 0 ORDER BY id", who)
	return out, err
}

// CalendarAt reads a calendar by the hash of its token; ErrNone if there is none.
func CalendarAt(ctx context.Context, r Reader, hash string) (Calendar, error) {
	var c Calendar
	err := r.Get(ctx, &c, "SELECT * FROM calendar WHERE hash = ?", hash)
	return c, err
}

// CalendarByID reads a calendar without what it has shown; ErrNone if there is none.
func CalendarByID(ctx context.Context, r Reader, id ref.Calendar) (Calendar, error) {
	var c Calendar
	err := r.Get(ctx, &c, "SELECT "+calendarFacts+" FROM calendar WHERE id = ?", id)
	return c, err
}

// AddCalendar stores a calendar and gives its id.
func (t *Tx) AddCalendar(ctx context.Context, c Calendar) (ref.Calendar, error) {
	return put[ref.Calendar](ctx, t, "calendar", c, "person_id", "desk_id", "kind", "query", "view_id", "name", "hash", "made_at")
}

// EndCalendar ends a calendar and forgets what it has shown.
func (t *Tx) EndCalendar(ctx context.Context, id ref.Calendar, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE calendar SET ended_at = ?, shown = '' WHERE id = ?", at, id)
	return err
}

// EndCalendarsOf ends the calendars of a view that is taken away.
func (t *Tx) EndCalendarsOf(ctx context.Context, view ref.View, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE calendar SET view_id = 0, shown = '', ended_at = iif(ended_at = 0, ?, ended_at) WHERE view_id = ?", at, view)
	return err
}

// ShowCalendar stores what a calendar that is not ended has shown, and when it was asked for.
func (t *Tx) ShowCalendar(ctx context.Context, id ref.Calendar, shown string, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE calendar SET shown = ?, used_at = ? WHERE id = ? AND ended_at = 0", shown, at, id)
	return err
}

// DropCalendars removes calendars that were ended before a time.
func (t *Tx) DropCalendars(ctx context.Context, before day.Moment) (int64, error) {
	return t.drop(ctx, "DELETE FROM calendar WHERE id IN (SELECT id FROM calendar WHERE ended_at > 0 AND ended_at < ? LIMIT ?)", before)
}
