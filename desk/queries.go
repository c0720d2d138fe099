package desk

import (
	"context"
	"errors"
	"slices"

	"greenbaton/core/find"
	"greenbaton/core/query"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// QueryList is a page of queries across pieces.
type QueryList struct {
	Queries []QuerySheet
	Rows    map[int64]store.Row // the pieces they are about
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
func (h *House) Queries(ctx context.Context, who int64, which, words string, limit int) (QueryList, error) {
	out := QueryList{Rows: map[int64]store.Row{}}
	b, err := h.Books(ctx)
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
	for _, q := range qs {
		if _, ok := out.Rows[q.PieceID]; ok {
			continue
		}
		row, err := h.see(ctx, who, q.PieceID, relay.ActRead)
		if err != nil {
			var refused *relay.Refusal
			if errors.As(err, &refused) || errors.Is(err, ErrNotFound) {
				continue
			}
			return out, err
		}
		if relay.May(relay.ActAsk, b.Who(who, row.DeskID), &row.Piece, nil, "") == nil {
			out.Rows[q.PieceID] = row
		}
	}
	if which == QueriesPiece {
		slices.SortStableFunc(qs, func(x, y query.Query) int { return int(x.PieceID - y.PieceID) })
	}
	sheets, err := h.querySheets(ctx, b, who, func(piece int64) *store.Row {
		if r, ok := out.Rows[piece]; ok {
			return &r
		}
		return nil
	}, slices.DeleteFunc(qs, func(q query.Query) bool { _, ok := out.Rows[q.PieceID]; return !ok }))
	if err != nil {
		return out, err
	}
	for _, q := range sheets {
		if which == QueriesMine && q.Turn != who || which == QueriesAsked && (q.By != who || q.Turn == who) {
			continue
		}
		if len(out.Queries) == limit {
			out.Older = true
			break
		}
		out.Queries = append(out.Queries, q)
	}
	return out, nil
}
