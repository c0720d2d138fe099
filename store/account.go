package store

import (
	"context"
	"errors"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Visit is somebody's being signed in on one device.
type Visit struct {
	ID       ref.Visit
	PersonID ref.Person
	BeganAt  day.Moment
	Agent    string
	Host     string
	EndedAt  day.Moment
	UsedAt   day.Moment
}

// AddVisit stores that somebody signed in, and gives the visit's id.
func (t *Tx) AddVisit(ctx context.Context, v Visit) (ref.Visit, error) {
	return put[ref.Visit](ctx, t, "visit", v, "person_id", "began_at", "agent", "host", "used_at")
}

// VisitAt reads a visit of somebody; ErrNone if they have none such.
func VisitAt(ctx context.Context, r Reader, id ref.Visit, person ref.Person) (Visit, error) {
	var v Visit
	err := r.Get(ctx, &v, "SELECT * FROM visit WHERE id = ? AND person_id = ?", id, person)
	return v, err
}

// UseVisit notes when a visit was last used.
func (t *Tx) UseVisit(ctx context.Context, id ref.Visit, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE visit SET used_at = ? WHERE id = ?", at, id)
	return err
}

// VisitsOf gives where somebody is signed in since a moment, the newest first.
func VisitsOf(ctx context.Context, r Reader, person ref.Person, since day.Moment) ([]Visit, error) {
	var out []Visit
	err := r.Select(ctx, &out, "SELECT * FROM visit WHERE person_id = ? AND ended_at = 0 AND began_at > ? ORDER BY id DESC LIMIT 50", person, since)
	return out, err
}

// EndVisit ends a visit of somebody.
func (t *Tx) EndVisit(ctx context.Context, person ref.Person, id ref.Visit, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE visit SET ended_at = ? WHERE id = ? AND person_id = ? AND ended_at = 0", at, id, person)
	return err
}

// EndVisits ends all visits of somebody but one (0: all).
func (t *Tx) EndVisits(ctx context.Context, person ref.Person, but ref.Visit, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE visit SET ended_at = ? WHERE person_id = ? AND id <> ? AND ended_at = 0", at, person, but)
	return err
}

// KnowDevice notes a device on which somebody has signed in.
func (t *Tx) KnowDevice(ctx context.Context, hash string, person ref.Person, at day.Moment) error {
	_, err := t.Exec(ctx, "INSERT INTO device (hash, person_id, at) VALUES (?, ?, ?) ON CONFLICT (hash) DO UPDATE SET person_id = excluded.person_id, at = excluded.at", hash, person, at)
	return err
}

// DeviceOf gives whose device it is; 0 if it is not known.
func DeviceOf(ctx context.Context, r Reader, hash string) (ref.Person, error) {
	var id ref.Person
	err := r.Get(ctx, &id, "SELECT person_id FROM device WHERE hash = ?", hash)
	if errors.Is(err, ErrNone) {
		return 0, nil
	}
	return id, err
}

// Guessed is how many tries to sign in there were since a moment.
type Guessed struct{ Pair, Host, Mail, Device int }

// Guesses counts the tries to sign in since a moment: with an address from a host, from
// the host, with the address from anywhere, and on a known device.
func (t *Tx) Guesses(ctx context.Context, mail, host, device string, since day.Moment) (Guessed, error) {
	var n Guessed
	err := t.Get(ctx, &n, `SELECT (SELECT COUNT(*) FROM guess WHERE mail = ?1 AND host = ?2 AND at > ?4) AS pair, (SELECT COUNT(*) FROM guess WHERE host = ?2 AND at > ?4) AS host,
		(SELECT COUNT(*) FROM guess WHERE mail = ?1 AND device = '' AND at > ?4) AS mail, (SELECT COUNT(*) FROM guess WHERE device = ?3 AND device <> '' AND at > ?4) AS device`,
		mail, host, device, since)
	return n, err
}

// AddGuess notes a try to sign in and forgets those before a moment.
func (t *Tx) AddGuess(ctx context.Context, mail, host, device string, at, forget day.Moment) error {
	if _, err := t.Exec(ctx, "DELETE FROM guess WHERE at <= ?", forget); err != nil {
		return err
	}
	_, err := t.Exec(ctx, "INSERT INTO guess (mail, host, device, at) VALUES (?, ?, ?, ?)", mail, host, device, at)
	return err
}

// ForgetGuesses forgets the tries from a host of somebody who has signed in from there.
func (t *Tx) ForgetGuesses(ctx context.Context, mail, host string) error {
	_, err := t.Exec(ctx, "DELETE FROM guess WHERE mail = ? AND host = ?", mail, host)
	return err
}

// SetCodes stores the secret of somebody's one-time codes; empty is none.
func (t *Tx) SetCodes(ctx context.Context, person ref.Person, secret string) error {
	_, err := t.Exec(ctx, "UPDATE person SET otp = ?, otp_used = 0 WHERE id = ?", secret, person)
	return err
}

// UseCode notes the step of which a code was taken, and reports false if a code of it or
// of a later one was taken already.
func (t *Tx) UseCode(ctx context.Context, person ref.Person, step ref.Step) (bool, error) {
	res, err := t.Exec(ctx, "UPDATE person SET otp_used = ? WHERE id = ? AND otp_used < ?", step, person, step)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}

// Bar ends somebody's access at once, or gives it back with 0.
func (t *Tx) Bar(ctx context.Context, person ref.Person, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE person SET barred_at = ?, sessions = sessions + 1 WHERE id = ?", at, person)
	return err
}
