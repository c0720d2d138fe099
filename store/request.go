package store

import (
	"context"
	"errors"
	"fmt"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/request"
)

// The states of a request.
const (
	Asked      = "new"
	AskedBack  = "asked back"
	Taken      = "taken"
	TurnedDown = "turned down"
)

// Form is a form as it is stored.
type Form struct {
	request.Form
	Asks string // JSON, its fields
}

// Request is what somebody asked of a desk.
type Request struct {
	ID        ref.Request
	DeskID    ref.Desk
	FormID    ref.Form
	Title     string
	Name      string // who asks
	Mail      string
	PersonID  ref.Person // likewise, when signed in
	Wanted    day.Date   // none for whenever
	Answers   string     // JSON
	Format    ref.Format // that its answers brought
	State     string
	Why       string
	PieceID   ref.Piece // that was made of it
	At        day.Moment
	SettledBy ref.Person
	SettledAt day.Moment
	Version   int
	Said      []request.Answer `db:"-"`
}

// Word is something that was said about a request.
type Word struct {
	ID        int64
	RequestID ref.Request
	By        ref.Person // 0 is whoever asked
	Text      string
	At        day.Moment
}

// Forms reads the forms of all desks.
func Forms(ctx context.Context, r Reader, query string, args ...any) ([]Form, error) {
	var out []Form
	if err := r.Select(ctx, &out, "SELECT * FROM form "+query, args...); err != nil {
		return nil, fmt.Errorf("read forms: %w", err)
	}
	for i := range out {
		if err := parse(out[i].Asks, &out[i].Fields, "form %d", out[i].ID); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// SaveForm stores a form, a new one where it has no id, and gives its id.
func (t *Tx) SaveForm(ctx context.Context, f request.Form) (ref.Form, error) {
	asks, err := write(f.Fields)
	if err != nil {
		return 0, err
	}
	if f.Fields == nil {
		asks = "[]"
	}
	return save(ctx, t, "form", Form{f, asks}, f.ID, "desk_id", "slug", "name", "intro", "asks", "format", "anyone", "open")
}

// Requests reads requests.
func Requests(ctx context.Context, r Reader, query string, args ...any) ([]Request, error) {
	var out []Request
	if err := r.Select(ctx, &out, "SELECT * FROM request "+query, args...); err != nil {
		return nil, fmt.Errorf("read requests: %w", err)
	}
	for i := range out {
		if err := parse(out[i].Answers, &out[i].Said, "request %d", out[i].ID); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// RequestByID reads a request; ErrNone if there is none.
func RequestByID(ctx context.Context, r Reader, id ref.Request) (Request, error) {
	all, err := Requests(ctx, r, "WHERE id = ?", id)
	if err == nil && len(all) == 0 {
		err = ErrNone
	}
	if err != nil {
		return Request{}, err
	}
	return all[0], nil
}

// CountRequests counts the requests of a desk by state.
func CountRequests(ctx context.Context, r Reader, desk ref.Desk) (map[string]int, error) {
	var all []struct {
		State string
		N     int
	}
	err := r.Select(ctx, &all, "SELECT state, COUNT(*) n FROM request WHERE desk_id = ? GROUP BY state", desk)
	out := map[string]int{}
	for _, x := range all {
		out[x.State] = x.N
	}
	return out, err
}

// SaveRequest stores a request, a new one where it has no id, and gives its id.
func (t *Tx) SaveRequest(ctx context.Context, x Request) (ref.Request, error) {
	said, err := write(x.Said)
	if err != nil {
		return 0, err
	}
	if x.Answers = said; x.Said == nil {
		x.Answers = "[]"
	}
	return save(ctx, t, "request", x, x.ID, "desk_id", "form_id", "title", "name", "mail", "person_id", "wanted", "answers", "format", "state", "why", "piece_id", "at", "settled_by", "settled_at", "version")
}

// Words reads what was said about a request.
func Words(ctx context.Context, r Reader, id ref.Request) ([]Word, error) {
	var out []Word
	err := r.Select(ctx, &out, "SELECT * FROM word WHERE request_id = ? ORDER BY id", id)
	return out, err
}

// AddWord stores something that was said about a request.
func (t *Tx) AddWord(ctx context.Context, w Word) error {
	_, err := put[int64](ctx, t, "word", w, "request_id", "by", "text", "at")
	return err
}

// Secret gives the secret of this house for a purpose, made by fresh when it is first
// asked for.
func (t *Tx) Secret(ctx context.Context, name string, fresh func() string) (string, error) {
	s, err := Setting(ctx, t, name)
	if err == nil && s != "" {
		return s, nil
	} else if err != nil && !errors.Is(err, ErrNone) {
		return "", err
	}
	s = fresh()
	return s, t.SetSetting(ctx, name, s)
}
