package copyroom

import (
	"context"
	"slices"

	"greenbaton/core/copy"
	"greenbaton/core/query"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// QuerySheet is a query as it is shown.
type QuerySheet struct {
	query.Query
	Answers   []query.Answer
	Files     map[ref.File]store.File // that came with the answers, by id
	MaySettle bool
	Turn      ref.Person
	Where     int  // in the copy; -1 is nowhere in particular
	Gone      bool // its words are no longer in the copy
}

// QuerySheets makes what is shown of queries.
func (h Room) QuerySheets(ctx context.Context, b *newsroom.Setup, who ref.Person, row func(piece ref.Piece) *store.Row, qs []query.Query) ([]QuerySheet, error) {
	r := h.DB.View()
	answers, err := AnswersTo(ctx, h.DB.View(), qs)
	if err != nil {
		return nil, err
	}
	files := map[ref.Query]map[ref.File]store.File{}
	for _, xs := range answers {
		for _, x := range xs {
			if x.FileID != 0 {
				files[x.QueryID] = map[ref.File]store.File{}
			}
		}
	}
	for _, q := range qs {
		if files[q.ID] == nil {
			continue
		}
		all, err := store.FilesOf(ctx, r, q.PieceID, 0)
		if err != nil {
			return nil, err
		}
		for _, f := range all {
			files[q.ID][f.ID] = f
		}
	}
	asked := map[ref.Piece][]store.Reviewer{} // of pieces with a query that only somebody from outside may settle
	out := make([]QuerySheet, len(qs))
	for i, q := range qs {
		out[i] = QuerySheet{Query: q, Answers: answers[q.ID], Files: files[q.ID], Turn: q.Turn(answers[q.ID])}
		if p := row(q.PieceID); p != nil {
			if _, read := asked[q.PieceID]; !read && q.Only && !b.Available(q.ForID, p.DeskID) {
				if asked[q.PieceID], err = store.ReviewersOf(ctx, r, q.PieceID); err != nil {
					return nil, err
				}
			}
			out[i].MaySettle = maySettle(b, p, q, who, asked[q.PieceID], h.Now())
		}
	}
	return out, nil
}

// Margin is what stands beside a copy: queries and proposals in the order of their places.
type Margin struct {
	Queries   []QuerySheet // of those about words and pictures the order is that of the copy
	Proposals []copy.Proposal
	Text      copy.Text
	Hand      Hand
	Seq       int
	MayAsk    bool
}

// MarginOf gives what stands beside the copy of a piece, for who may read it.
func (h Room) MarginOf(ctx context.Context, who ref.Person, piece ref.Piece) (Margin, store.Row, error) {
	var m Margin
	row, err := h.See(ctx, who, piece, relay.ActRead)
	if err != nil {
		return m, row, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return m, row, err
	}
	m.MayAsk = relay.May(relay.ActAsk, b.Who(who, row.DeskID), &row.Piece, nil, "") == nil
	if !m.MayAsk { // queries and proposals are for those who work on it
		return m, row, nil
	}
	if m.Hand, err = HandOf(b, &row, who); err != nil {
		m.Hand = Hand{}
	}
	if _, m.Text, m.Seq, err = newsroom.Newest(ctx, h.DB.View(), &row); err != nil {
		return m, row, err
	}
	m.Proposals = m.Text.Proposals()
	qs, err := store.QueriesOf(ctx, h.DB.View(), piece)
	if err != nil {
		return m, row, err
	}
	if m.Queries, err = h.QuerySheets(ctx, b, who, func(ref.Piece) *store.Row { return &row }, qs); err != nil {
		return m, row, err
	}
	places := m.Text.Places()
	for i := range m.Queries {
		q := &m.Queries[i]
		q.Where = -1
		if p := places[q.ID]; len(p) > 0 {
			q.Where = p[0].At
		} else if q.About == query.Picture {
			q.Where = m.Text.Find(q.FileID)
		}
		q.Gone = q.About != query.Piece && q.Where < 0
	}
	slices.SortStableFunc(m.Queries, func(x, y QuerySheet) int { return x.Where - y.Where })
	return m, row, nil
}
