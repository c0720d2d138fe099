// Package logbook is what was done, by whom and when, as it is read: of a piece, of a desk,
// from before a piece was made; and whether the chain of its entries holds. What writes into
// it is the kernel (Command.Log).
package logbook

import (
	"context"
	"slices"
	"sync/atomic"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// Room is the newsroom, with what can be asked here.
type Room struct{ *newsroom.Newsroom }

// At gives this room of a newsroom.
func At(n *newsroom.Newsroom) Room { return Room{n} }

// last is what the last check of the logbook found.
type last struct{ atomic.Pointer[Chain] }

// OfPiece gives the entries about a piece that a sieve lets through.
func (h Room) OfPiece(ctx context.Context, who ref.Person, s store.LogSieve) ([]store.Entry, error) {
	if _, err := h.See(ctx, who, s.Piece, relay.ActReadLog); err != nil {
		return nil, err
	}
	return store.LogOf(ctx, h.DB.View(), s)
}

// OfDesk gives the entries of a desk that a sieve lets through, with the titles of the
// pieces in it, for its staff and leads.
func (h Room) OfDesk(ctx context.Context, who ref.Person, s store.LogSieve) ([]store.Entry, map[ref.Piece]string, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, nil, err
	}
	if s.Piece = 0; !relay.MayHouse(relay.SeeAll, b.Who(who, s.Desk)) {
		return nil, nil, &relay.Refusal{Reason: relay.ErrNotYours, Text: "The logbook is for staff of the desk."}
	}
	es, err := store.LogOf(ctx, h.DB.View(), s)
	if err != nil {
		return nil, nil, err
	}
	var ids []ref.Piece
	for _, e := range es {
		ids = append(ids, e.PieceID)
	}
	titles, err := store.Titles(ctx, h.DB.View(), ids)
	return es, titles, err
}

// Acts gives the kinds of acts in the logbook of a desk, for its staff and leads.
func (h Room) Acts(ctx context.Context, who ref.Person, desk ref.Desk) ([]string, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if !relay.MayHouse(relay.SeeAll, b.Who(who, desk)) {
		return nil, nil
	}
	return store.LogActs(ctx, h.DB.View(), desk)
}

// Origin is what came before a piece was made: an idea, a request, a pitch.
type Origin struct {
	At   day.Moment
	Who  string
	What string
	Why  string
}

// Origins gives what came before a piece was made, oldest first, for who may read its logbook.
func (h Room) Origins(ctx context.Context, who ref.Person, piece ref.Piece) ([]Origin, error) {
	if _, err := h.See(ctx, who, piece, relay.ActReadLog); err != nil {
		return nil, err
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	view := h.DB.View()
	var out []Origin
	pitches, err := store.Pitches(ctx, view, "WHERE piece_id = ?", piece)
	if err != nil {
		return nil, err
	}
	for _, p := range pitches {
		out = append(out, Origin{p.At, b.Person(p.By).Name, "pitched it to " + b.Person(p.Partner).Name, ""})
		if p.AnsweredAt != 0 {
			out = append(out, Origin{p.AnsweredAt, b.Person(p.AnsweredBy).Name, "said " + p.State + " to it", p.Why})
		}
	}
	asked, err := store.Requests(ctx, view, "WHERE piece_id = ?", piece)
	if err != nil {
		return nil, err
	}
	for _, x := range asked {
		out = append(out, Origin{x.At, x.Name, "asked for it: “" + x.Title + "”", ""})
	}
	ideas, err := store.IdeasOfPiece(ctx, view, piece)
	if err != nil {
		return nil, err
	}
	for _, i := range ideas {
		out = append(out, Origin{i.CaughtAt, b.Person(i.By).Name, "caught the idea: “" + i.Title + "”", ""})
	}
	slices.SortStableFunc(out, func(x, y Origin) int { return int(x.At - y.At) })
	return out, nil
}

// Chain is what the last check of the logbook found.
type Chain struct {
	At      day.Moment
	Entries int64
	Problem string // empty where every entry is as it was written
}

// CheckChain checks the whole logbook, keeps what it found, and tells the leads of every
// desk if an entry is not as it was written. The program does it when it starts.
func (h Room) CheckChain(ctx context.Context) (Chain, error) {
	n, err := store.Verify(ctx, h.DB)
	c := Chain{At: h.Now(), Entries: n}
	if err != nil {
		c.Problem = err.Error()
	}
	newsroom.PartOf[last](h.Newsroom).Store(&c)
	if err == nil || ctx.Err() != nil {
		return c, ctx.Err()
	}
	h.Log.Error("the logbook is not as it was written", "problem", err)
	return c, h.Do(ctx, 0, func(a *newsroom.Command) error {
		for _, p := range a.Setup.People {
			if !p.Access.May(relay.LeadDesk) || p.Retired {
				continue
			}
			if err := a.Notify(store.Item{PersonID: p.ID, Kind: "logbook", Text: "The logbook is not as it was written: " + c.Problem + ". Compare it with a backup.", Link: "/logbook", At: a.Now}, true); err != nil {
				return err
			}
		}
		return nil
	})
}

// LastChain gives what the last check of the logbook found; nil before the first.
func (h Room) LastChain() *Chain { return newsroom.PartOf[last](h.Newsroom).Load() }
