package store

import (
	"context"
	"errors"
	"time"
)

// Sessions keeps sign-ins on the server, for the session manager.
type Sessions struct{ DB *DB }

// FindCtx reads a session that has not ended.
func (s Sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	var b []byte
	err := s.DB.Get(ctx, &b, "SELECT data FROM session WHERE token = ? AND ends > ?", token, seconds(time.Now()))
	if errors.Is(err, ErrNone) {
		return nil, false, nil
	}
	return b, err == nil, err
}

// CommitCtx stores a session until it ends.
func (s Sessions) CommitCtx(ctx context.Context, token string, b []byte, ends time.Time) error {
	return s.DB.Write(ctx, func(t *Tx) error {
		if _, err := t.Exec(ctx, "DELETE FROM session WHERE ends < ?", seconds(time.Now())); err != nil {
			return err
		}
		_, err := t.Exec(ctx, "INSERT OR REPLACE INTO session (token, data, ends) VALUES (?, ?, ?)", token, b, seconds(ends))
		return err
	})
}

// DeleteCtx ends a session.
func (s Sessions) DeleteCtx(ctx context.Context, token string) error {
	return s.DB.Write(ctx, func(t *Tx) error {
		_, err := t.Exec(ctx, "DELETE FROM session WHERE token = ?", token)
		return err
	})
}

// Find is FindCtx without a context.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}

// Commit is CommitCtx without a context.
func (s Sessions) Commit(token string, b []byte, ends time.Time) error {
	return s.CommitCtx(context.Background(), token, b, ends)
}

// Delete is DeleteCtx without a context.
func (s Sessions) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }

func seconds(t time.Time) float64 { return float64(t.UnixNano()) / 1e9 }

// Setting reads a setting of the program, empty if it was never set.
func Setting(ctx context.Context, r Reader, name string) (string, error) {
	var v string
	err := r.Get(ctx, &v, "SELECT value FROM setting WHERE name = ?", name)
	if errors.Is(err, ErrNone) {
		return "", nil
	}
	return v, err
}

// SetSetting stores a setting of the program.
func (t *Tx) SetSetting(ctx context.Context, name, value string) error {
	_, err := t.Exec(ctx, "INSERT INTO setting (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value", name, value)
	return err
}

// Session is a stored sign-in.
type Session struct {
	Token string
	Data  []byte
	Ends  float64
}

// AllSessions reads every stored sign-in.
func AllSessions(ctx context.Context, r Reader) ([]Session, error) {
	var out []Session
	err := r.Select(ctx, &out, "SELECT * FROM session")
	return out, err
}

// KeepSessions stores sign-ins that were read before.
func (t *Tx) KeepSessions(ctx context.Context, all []Session) error {
	for _, s := range all {
		if _, err := t.Exec(ctx, "INSERT OR REPLACE INTO session (token, data, ends) VALUES (?, ?, ?)", s.Token, s.Data, s.Ends); err != nil {
			return err
		}
	}
	return nil
}
