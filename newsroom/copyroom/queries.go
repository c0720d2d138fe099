package copyroom

import (
	"context"
	"errors"
	"slices"

	"greenbaton/core/find"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// QueryList is a page of queries across pieces.
type QueryList struct {
	Queries []QuerySheet
	Rows    map[ref.Piece]store.Row // the pieces they are about
	Older   bool
}

// Which queries are listed.
const (
	QueriesMine  = "mine"  // it is my turn
	QueriesAsked = "asked" // that I asked and others are to answer
	QueriesAll   = "all"   // open ones
	QueriesDone  = "settled"
	QueriesPiece = "piece" // open ones, those about a piece together
)

// Queries lists queries of the desks of whoever looks, those last heard of first.
func (h Room) Queries(ctx context.Context, who ref.Person, which, words string, limit int) (QueryList, error) {
	out := QueryList{Rows: map[ref.Piece]store.Row{}}
	b, err := h.Setup(ctx)
	if err != nil {
		return out, err
	}
	p := b.Person(who)
	s := store.QuerySieve{Desks: p.Desks, Settled: which == QueriesDone, Words: find.Words(words), Limit: 1_000}
	if which == QueriesMine || which == QueriesAsked {
		s.With = who
	}
	qs, err := store.Queries(ctx, h.DB.View(), s)
	if err != nil {
		return out, err
	}
	if which == QueriesPiece {
		slices.SortStableFunc(qs, func(x, y query.Query) int { return int(x.PieceID - y.PieceID) })
	}
	answers, err := AnswersTo(ctx, h.DB.View(), qs)
	if err != nil {
		return out, err
	}
	shown, hidden := []query.Query{}, map[ref.Piece]bool{}
	for _, q := range qs {
		turn := q.Turn(answers[q.ID])
		if which == QueriesMine && turn != who || which == QueriesAsked && (q.By != who || turn == who) || hidden[q.PieceID] {
			continue
		}
		if _, ok := out.Rows[q.PieceID]; !ok {
			row, err := h.worksOn(ctx, b, who, q.PieceID)
			if err != nil {
				return out, err
			}
			if hidden[q.PieceID] = row == nil; row == nil {
				continue
			}
			out.Rows[q.PieceID] = *row
		}
		if out.Older = len(shown) == limit; out.Older {
			break
		}
		shown = append(shown, q)
	}
	out.Queries, err = h.QuerySheets(ctx, b, who, func(piece ref.Piece) *store.Row { r := out.Rows[piece]; return &r }, shown)
	return out, err
}

// worksOn reads a piece for somebody who works on its copy, nil for who does not.
func (h Room) worksOn(ctx context.Context, b *newsroom.Setup, who ref.Person, piece ref.Piece) (*store.Row, error) {
	row, err := h.See(ctx, who, piece, relay.ActRead)
	var refused *relay.Refusal
	if errors.As(err, &refused) || errors.Is(err, newsroom.ErrNotFound) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	if relay.May(relay.ActAsk, b.Who(who, row.DeskID), &row.Piece, nil, "") != nil {
		return nil, nil
	}
	return &row, nil
}

// AnswersTo gives the answers to queries, by query.
func AnswersTo(ctx context.Context, r store.Reader, qs []query.Query) (map[ref.Query][]query.Answer, error) {
	ids := make([]ref.Query, len(qs))
	for i, q := range qs {
		ids[i] = q.ID
	}
	return store.AnswersTo(ctx, r, ids...)
}
