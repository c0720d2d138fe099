package desk

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/forecast"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// WaysOut finds the ways out of a short piece, for its owner and leads.
func (h *House) WaysOut(ctx context.Context, who, piece int64) (store.Row, []plan.Way, error) {
	row, err := h.see(ctx, who, piece, relay.ActPlan)
	if err != nil {
		return row, nil, err
	}
	_, board, err := h.Board(ctx)
	if err != nil {
		return row, nil, err
	}
	return row, board.Ways(piece), nil
}

// Choice is somebody who could run a leg, and what giving it to them comes to.
type Choice struct {
	load.Candidate
	Result plan.Consequence
	Holds  bool // they have it now
}

// mostChoices is how many people are weighed for one leg.
const mostChoices = 12

// Choices gives those who could run a leg of a piece, the best first, and the one
// who has it wherever they come.
func (h *House) Choices(ctx context.Context, who, piece int64, leg string) (store.Row, []Choice, error) {
	row, err := h.see(ctx, who, piece, relay.ActSee)
	if err != nil {
		return row, nil, err
	}
	b, board, err := h.Board(ctx)
	if err != nil {
		return row, nil, err
	}
	l := row.Leg(leg)
	if l == nil || l.Done() || row.Stage != relay.UnderWay {
		return row, nil, ErrNotFound
	}
	if err := relay.May(relay.ActGive, b.Who(who, row.DeskID), &row.Piece, l, b.Desk(row.DeskID).PassBy); err != nil {
		return row, nil, err
	}
	o, err := h.opening(ctx, board, &row.Piece, l.Position)
	if err != nil {
		return row, nil, err
	}
	var out []Choice
	for i, c := range load.Suggest(o, board.People, board.Load(), board.Today(row.DeskID)) {
		if c.Person == l.Holder {
			out = append(out, Choice{Candidate: c, Holds: true})
			continue
		}
		if i >= mostChoices {
			continue
		}
		result, err := board.Preview([]plan.Change{{Do: plan.DoGive, Piece: piece, Leg: leg, Person: c.Person}})
		if err != nil {
			return row, nil, err
		}
		out = append(out, Choice{Candidate: c, Result: result})
	}
	return row, out, nil
}

// opening describes a leg as something to find a person for, with who ran the last
// ones of its kind.
func (h *House) opening(ctx context.Context, board *plan.Board, p *relay.Piece, leg int) (load.Open, error) {
	r, err := h.record(ctx, p.DeskID, p.FormatID)
	if err != nil {
		return load.Open{}, err
	}
	return board.Opening(p, leg, r.last[p.Legs[leg].Key]), nil
}

// Proposed is a proposal for one open leg.
type Proposed struct {
	Piece  *relay.Piece
	Leg    *relay.Leg
	Person int64 // 0 where nobody is eligible
}

// mostProposed is for how many open legs people are proposed at once.
const mostProposed = 40

// Propose finds people for all open legs of a desk, the most urgent first, for its
// leads.
func (h *House) Propose(ctx context.Context, who, desk int64) ([]Proposed, load.Cost, error) {
	b, board, err := h.Board(ctx)
	if err != nil {
		return nil, load.Cost{}, err
	}
	if err := b.mayLead(who, desk); err != nil {
		return nil, load.Cost{}, err
	}
	open, err := h.openings(ctx, board, desk)
	if err != nil {
		return nil, load.Cost{}, err
	}
	open = open[:min(mostProposed, len(open))]
	var legs []load.Open
	var out []Proposed
	for _, v := range open {
		legs, out = append(legs, v.Open), append(out, Proposed{Piece: v.piece, Leg: v.leg})
	}
	p := load.Propose(legs, board.People, board.Load(), board.Today(desk))
	for i := range out {
		out[i].Person = p.People[i]
	}
	return out, p.Cost, nil
}

// record is what was learnt from the finished runs of a format's legs.
type record struct {
	shares map[string][]float64 // actual days by allowed days, by leg
	last   map[string][]int64   // who ran it, the latest first
}

// recordPieces is of how many of the newest pieces of a format runs are read.
const recordPieces = 300

// record reads what the finished runs of a format teach, and keeps it until
// another leg of the format is passed.
func (h *House) record(ctx context.Context, desk, format int64) (*record, error) {
	if r, ok := h.records.Load(format); ok {
		return r.(*record), nil
	}
	b, err := h.Books(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := store.Records(ctx, h.DB.View(), desk, format, recordPieces)
	if err != nil {
		return nil, err
	}
	out := &record{shares: map[string][]float64{}, last: map[string][]int64{}}
	house := b.Houses[desk]
	for _, r := range rows {
		if r.Allowance > 0 {
			cal := house.Days(r.Holder) // days on which its holder was away are not counted, as in plans
			if cal == nil || cal.Empty() {
				cal = house.Calendar
			}
			days := max(0, cal.Count(day.Date(r.StartDay), day.Date(r.EndDay)+1))
			out.shares[r.Key] = append(out.shares[r.Key], float64(days)/float64(r.Allowance))
		}
		if r.Holder != 0 {
			out.last[r.Key] = append(out.last[r.Key], r.Holder)
		}
	}
	h.records.Store(format, out)
	return out, nil
}

// Forecast says how likely a piece under way makes its day.
func (h *House) Forecast(ctx context.Context, b *Books, p *relay.Piece) (forecast.Forecast, error) {
	r, err := h.record(ctx, p.DeskID, p.FormatID)
	if err != nil {
		return forecast.Forecast{}, err
	}
	house := b.Houses[p.DeskID]
	return forecast.Of(house, p, h.Now().Date(house.Zone), func(l *relay.Leg) []float64 { return r.shares[l.Key] }), nil
}
