package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Token is a key with which a program acts for somebody.
type Token struct {
	ID       ref.Token
	PersonID ref.Person
	Name     string
	Scope    string // as scope.Parse reads it
	Hash     string
	MadeAt   day.Moment
	Ends     day.Moment // 0 for none
	UsedAt   day.Moment
	UsedFrom string // the host that used it last
	EndedAt  day.Moment
}

// Opens reports whether a token opens anything at a time.
func (t Token) Opens(now day.Moment) bool { return t.EndedAt == 0 && (t.Ends == 0 || t.Ends > now) }

// TokensOf gives the tokens of somebody that were not ended, the newest first.
func TokensOf(ctx context.Context, r Reader, who ref.Person) ([]Token, error) {
	var out []Token
	err := r.Select(ctx, &out, "SELECT * FROM token WHERE person_id = ? AND ended_at = 0 ORDER BY id DESC", who)
	return out, err
}

// TokenAt reads a token by its hash; ErrNone if there is none.
func TokenAt(ctx context.Context, r Reader, hash string) (Token, error) {
	var t Token
	err := r.Get(ctx, &t, "SELECT * FROM token WHERE hash = ?", hash)
	return t, err
}

// TokenByID reads a token; ErrNone if there is none.
func TokenByID(ctx context.Context, r Reader, id ref.Token) (Token, error) {
	var t Token
	err := r.Get(ctx, &t, "SELECT * FROM token WHERE id = ?", id)
	return t, err
}

// AddToken stores a token and gives its id.
func (t *Tx) AddToken(ctx context.Context, x Token) (ref.Token, error) {
	return put[ref.Token](ctx, t, "token", x, "person_id", "name", "scope", "hash", "made_at", "ends")
}

// EndToken ends a token.
func (t *Tx) EndToken(ctx context.Context, id ref.Token, at day.Moment) error {
	_, err := t.Exec(ctx, "UPDATE token SET ended_at = ? WHERE id = ?", at, id)
	return err
}

// UseToken notes when and from where a token was used.
func (t *Tx) UseToken(ctx context.Context, id ref.Token, at day.Moment, from string) error {
	_, err := t.Exec(ctx, "UPDATE token SET used_at = ?, used_from = ? WHERE id = ?", at, from, id)
	return err
}

// DropTokens removes tokens that were ended, or had their end, before a time.
func (t *Tx) DropTokens(ctx context.Context, before day.Moment) (int64, error) {
	const gone = "SELECT id FROM token WHERE (ended_at > 0 AND ended_at < ?1 OR ends > 0 AND ends < ?1) LIMIT ?2"
	if _, err := t.drop(ctx, "DELETE FROM once WHERE token_id IN ("+gone+")", before); err != nil {
		return 0, err
	}
	return t.drop(ctx, "DELETE FROM token WHERE id IN ("+gone+")", before)
}

// AskedOnce is something that a program asked to be done once, by the key it gave it.
type AskedOnce struct {
	TokenID ref.Token
	Key     string
	Asked   string // hash of what was asked
	Status  int    // of the answer; 0 where it was done and the answer is not known
	Type    string
	Headers string
	Answer  []byte
	At      day.Moment
}

// OnceAt reads what was asked under a key; ErrNone if nothing was.
func OnceAt(ctx context.Context, r Reader, token ref.Token, key string) (AskedOnce, error) {
	var x AskedOnce
	err := r.Get(ctx, &x, "SELECT * FROM once WHERE token_id = ? AND key = ?", token, key)
	return x, err
}

// AddOnce stores that something is done under a key, with what is done. Where something was done
// under it already that stays.
func (t *Tx) AddOnce(ctx context.Context, x AskedOnce) error {
	_, err := t.Exec(ctx, "INSERT INTO once (token_id, key, asked, at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING", x.TokenID, x.Key, x.Asked, x.At)
	return err
}

// AnswerOnce keeps what was answered under a key.
func (t *Tx) AnswerOnce(ctx context.Context, x AskedOnce) error {
	_, err := t.Exec(ctx, "INSERT INTO once (token_id, key, asked, status, type, headers, answer, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET status = excluded.status, type = excluded.type, headers = excluded.headers, answer = excluded.answer",
		x.TokenID, x.Key, x.Asked, x.Status, x.Type, x.Headers, x.Answer, x.At)
	return err
}

// DropOnce removes what was asked before a time.
func (t *Tx) DropOnce(ctx context.Context, before day.Moment) (int64, error) {
	return t.drop(ctx, "DELETE FROM once WHERE (token_id, key) IN (SELECT token_id, key FROM once WHERE at < ? LIMIT ?)", before)
}
