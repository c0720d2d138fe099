package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/query"
	"greenbaton/core/ref"
)

const queryColumns = "id, piece_id, about, quote, file_id, x, y, text, for_id, only, reason, leg, note, by, at, settled_by, settled_at, heard_at"

// QueryIDs gives the numbers of the queries about a copy.
func QueryIDs(ctx context.Context, r Reader, piece ref.Piece) ([]ref.Query, error) {
	var out []ref.Query
	err := r.Select(ctx, &out, "SELECT id FROM query WHERE piece_id = ? ORDER BY id", piece)
	return out, err
}

// QueryAt reads a query; ErrNone if there is none.
func QueryAt(ctx context.Context, r Reader, id ref.Query) (query.Query, error) {
	var q query.Query
	err := r.Get(ctx, &q, "SELECT "+queryColumns+" FROM query WHERE id = ?", id)
	return q, err
}

// QueriesOf gives the queries about pieces, in the order they were asked.
func QueriesOf(ctx context.Context, r Reader, pieces ...ref.Piece) ([]query.Query, error) {
	var out []query.Query
	if len(pieces) == 0 {
		return nil, nil
	}
	err := r.Select(ctx, &out, "SELECT "+queryColumns+" FROM query WHERE piece_id IN ("+marks(len(pieces))+") ORDER BY id", list(pieces)...)
	return out, err
}

// QuerySieve says which queries are looked for.
type QuerySieve struct {
	Desks   []ref.Desk
	With    ref.Person // for them, by them, or answered by them; 0 for all
	Settled bool       // settled ones, otherwise open ones
	Words   []string   // that are in it or in its answers
	Piece   ref.Piece  // about one piece; 0 for all
	Limit   int
}

// Queries gives the queries a sieve lets through, those last heard of first.
func Queries(ctx context.Context, r Reader, s QuerySieve) ([]query.Query, error) {
	var out []query.Query
	if len(s.Desks) == 0 {
		return nil, nil
	}
	sql := "SELECT " + queryColumns + " FROM query WHERE EXISTS (SELECT 1 FROM piece WHERE piece.id = query.piece_id AND desk_id IN (" + marks(len(s.Desks)) + "))"
	args := list(s.Desks)
	add := func(text string, a ...any) { sql += " AND " + text; args = append(args, a...) }
	if s.Settled {
		add("settled_at <> 0")
	} else {
		add("settled_at = 0")
	}
	if s.With != 0 {
		add("(for_id = ? OR by = ? OR id IN (SELECT query_id FROM answer WHERE answer.by = ?))", s.With, s.With, s.With)
	}
	if len(s.Words) > 0 {
		add("id IN (SELECT rowid FROM query_words WHERE query_words MATCH ?)", match(s.Words))
	}
	if s.Piece != 0 {
		add("piece_id = ?", s.Piece)
	}
	err := r.Select(ctx, &out, sql+" ORDER BY heard_at DESC, id DESC LIMIT ?", append(args, s.Limit)...)
	return out, err
}

// QueriesOfDesk gives the queries about pieces of a desk that were asked in a span, in
// the order they were asked.
func QueriesOfDesk(ctx context.Context, r Reader, desk ref.Desk, from, to day.Moment) ([]query.Query, error) {
	var out []query.Query
	err := r.Select(ctx, &out, "SELECT "+queryColumns+" FROM query WHERE at BETWEEN ? AND ? AND piece_id IN (SELECT id FROM piece WHERE desk_id = ?) ORDER BY id", from, to, desk)
	return out, err
}

// OwedOf gives the open queries that hold legs: the reasons why pieces came back to them,
// and the notes of sign-offs.
func OwedOf(ctx context.Context, r Reader, pieces []ref.Piece) ([]query.Query, error) {
	var out []query.Query
	if len(pieces) == 0 {
		return nil, nil
	}
	err := r.Select(ctx, &out, "SELECT "+queryColumns+" FROM query WHERE settled_at = 0 AND (reason <> 0 OR note) AND piece_id IN ("+marks(len(pieces))+") ORDER BY id", list(pieces)...)
	return out, err
}

// AnswersTo gives the answers to queries, by query in the order they were given.
func AnswersTo(ctx context.Context, r Reader, queries ...ref.Query) (map[ref.Query][]query.Answer, error) {
	out := map[ref.Query][]query.Answer{}
	if len(queries) == 0 {
		return out, nil
	}
	var all []query.Answer
	err := r.Select(ctx, &all, "SELECT * FROM answer WHERE query_id IN ("+marks(len(queries))+") ORDER BY id", list(queries)...)
	for _, a := range all {
		out[a.QueryID] = append(out[a.QueryID], a)
	}
	return out, err
}

// OpenQueries counts the open queries about pieces, by piece.
func OpenQueries(ctx context.Context, r Reader, pieces []ref.Piece) (map[ref.Piece]int, error) {
	out := map[ref.Piece]int{}
	if len(pieces) == 0 {
		return out, nil
	}
	var all []struct {
		PieceID ref.Piece
		N       int
	}
	err := r.Select(ctx, &all, "SELECT piece_id, COUNT(*) AS n FROM query WHERE settled_at = 0 AND piece_id IN ("+marks(len(pieces))+") GROUP BY piece_id", list(pieces)...)
	for _, x := range all {
		out[x.PieceID] = x.N
	}
	return out, err
}

// AddQuery stores a query and gives its id.
func (t *Tx) AddQuery(ctx context.Context, q query.Query) (ref.Query, error) {
	return put[ref.Query](ctx, t, "query", q, "piece_id", "about", "quote", "file_id", "x", "y", "text", "for_id", "only", "reason", "leg", "note", "by", "at", "heard_at")
}

// SaveQuery stores what changes of a query: whether it is settled, its last word, and the
// run it was a reason for.
func (t *Tx) SaveQuery(ctx context.Context, q query.Query) error {
	return set(ctx, t, "query", q, q.ID, "settled_by", "settled_at", "heard_at", "reason", "leg")
}

// AddAnswer stores an answer and gives its id.
func (t *Tx) AddAnswer(ctx context.Context, a query.Answer) (ref.Answer, error) {
	return put[ref.Answer](ctx, t, "answer", a, "query_id", "by", "at", "text", "file_id")
}
