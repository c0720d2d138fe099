package newsroom

import (
	"context"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// logMove writes a move into the logbook: one entry for the command, which names
// the events that people did; what followed by itself is in before and after.
func (a *Command) logMove(was relay.Piece, m relay.Move) error {
	e := store.Entry{DeskID: m.Piece.DeskID, PieceID: m.Piece.ID, Version: m.Piece.Version}
	var what []string
	for _, ev := range m.Events {
		s := a.SayEvent(&was, &m.Piece, ev)
		if s == "" {
			continue
		}
		what = append(what, s)
		if e.Act == "" {
			e.Act, e.Why = string(ev.Kind), ev.Why
		}
	}
	e.What = strings.Join(what, "; ")
	e.Before, e.After = a.Differ(&was, &m.Piece)
	return a.LogEvents(&m.Piece, e, append(EventsOf(m), ChangesOf(&was, &m.Piece)...))
}

// Log appends an entry by the one who acts, now.
func (a *Command) Log(e store.Entry) error {
	return a.LogAs(a.Actor, e)
}

// LogAs appends an entry of something that somebody did, and that is stored only now.
func (a *Command) LogAs(who ref.Person, e store.Entry) error {
	e.At, e.Actor = a.Now, who
	if e.PieceID != 0 {
		a.logged[e.PieceID] = e.DeskID
	}
	if a.Rule != nil && e.Why == "" {
		e.Why = "House rule: " + a.Setup.HouseRule(a.Rule.ID).Sentence
	}
	return a.Tx.Log(a, e)
}

// PieceLog gives a page of the logbook of a piece, newest first, below an entry (0: from the newest).
func (h *Newsroom) PieceLog(ctx context.Context, who ref.Person, piece ref.Piece, below int64, limit int) ([]store.Entry, error) {
	return h.LogOfPiece(ctx, who, store.LogSieve{Piece: piece, Below: below, Limit: limit})
}

// LogOfPiece gives the entries about a piece that a sieve lets through.
func (h *Newsroom) LogOfPiece(ctx context.Context, who ref.Person, s store.LogSieve) ([]store.Entry, error) {
	if _, err := h.See(ctx, who, s.Piece, relay.ActReadLog); err != nil {
		return nil, err
	}
	return store.LogOf(ctx, h.DB.View(), s)
}

// DeskLog gives a page of the logbook of a desk, newest first, for its staff and
// leads, with the titles of the pieces in it.
func (h *Newsroom) DeskLog(ctx context.Context, who ref.Person, desk ref.Desk, below int64, limit int) ([]store.Entry, map[ref.Piece]string, error) {
	return h.LogOfDesk(ctx, who, store.LogSieve{Desk: desk, Below: below, Limit: limit})
}

// LogOfDesk gives the entries of a desk that a sieve lets through, with the titles of the
// pieces in it, for its staff and leads.
func (h *Newsroom) LogOfDesk(ctx context.Context, who ref.Person, s store.LogSieve) ([]store.Entry, map[ref.Piece]string, error) {
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

// LogActs gives the kinds of acts in the logbook of a desk, for its staff and leads.
func (h *Newsroom) LogActs(ctx context.Context, who ref.Person, desk ref.Desk) ([]string, error) {
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
func (h *Newsroom) Origins(ctx context.Context, who ref.Person, piece ref.Piece) ([]Origin, error) {
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
func (h *Newsroom) CheckChain(ctx context.Context) (Chain, error) {
	n, err := store.Verify(ctx, h.DB)
	c := Chain{At: h.Now(), Entries: n}
	if err != nil {
		c.Problem = err.Error()
	}
	h.chain.Store(&c)
	if err == nil || ctx.Err() != nil {
		return c, ctx.Err()
	}
	h.Log.Error("the logbook is not as it was written", "problem", err)
	return c, h.Do(ctx, 0, func(a *Command) error {
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
func (h *Newsroom) LastChain() *Chain { return h.chain.Load() }
