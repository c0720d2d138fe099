package newsroom

import (
	"context"
	"sync"

	"greenbaton/core/day"
	"greenbaton/core/forecast"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// record is what was learnt from the finished runs of a format's legs.
type record struct {
	shares map[string][]float64    // actual days by allowed days, by leg
	last   map[string][]ref.Person // who ran it, the latest first
	runs   map[string][]ended      // how long they took
}

// ended is a finished run of a leg.
type ended struct {
	days float64 // working days it took
	on   day.Date
}

// flowDays is over how many working days it is counted how many pieces come by.
const flowDays = 40

// Flow gives how a leg usually runs, by what was passed up to a day.
func (r *record) Flow(leg string, cal *day.Calendar, today day.Date) plan.Flow {
	from := cal.Day(cal.Start(today) - flowDays)
	var days []float64
	lately := 0
	for _, x := range r.runs[leg] {
		days = append(days, x.days)
		lately += Count(x.on >= from)
	}
	return plan.NewFlow(days, lately, flowDays)
}

// of gives what the finished runs of a leg took by what they were allowed.
func (r *record) of(l *relay.Leg) []float64 { return r.shares[l.Key] }

// Series gives who ran a leg, the latest first.
func (r *record) Series(leg string) []ref.Person { return r.last[leg] }

// records keeps what was learnt, by format, until something new is stored.
type records struct {
	mu   sync.Mutex
	turn int // grows whenever something is forgotten
	by   map[ref.Format]*record
}

// forget drops what was learnt of a format, or of all with 0.
func (r *records) forget(format ref.Format) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.turn++
	if delete(r.by, format); format == 0 {
		clear(r.by)
	}
}

// of gives what was learnt of a format, if it is known, and the turn it is of.
func (r *records) of(format ref.Format) (*record, int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.by[format], r.turn
}

// keep keeps what was read in a turn; what came later makes it out of date.
func (r *records) keep(format ref.Format, x *record, turn int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.turn != turn {
		return
	}
	if r.by == nil {
		r.by = map[ref.Format]*record{}
	}
	r.by[format] = x
}

// recordPieces is of how many of the newest pieces of a format runs are read.
const recordPieces = 300

// Record reads what the finished runs of a format teach, and keeps it until
// another leg of the format is passed.
func (h *Newsroom) Record(ctx context.Context, desk ref.Desk, format ref.Format) (*record, error) {
	known, turn := h.records.of(format)
	if known != nil {
		return known, nil
	}
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := store.Records(store.Latest(ctx), h.DB.View(), desk, format, recordPieces)
	if err != nil {
		return nil, err
	}
	out := &record{shares: map[string][]float64{}, last: map[string][]ref.Person{}, runs: map[string][]ended{}}
	house := b.Planned[desk]
	for _, r := range rows {
		cal := house.Days(r.Holder) // days on which its holder was away are not counted, as in plans
		if cal == nil || cal.Empty() {
			cal = house.Calendar
		}
		days := float64(max(0, cal.Count(day.Date(r.StartDay), day.Date(r.EndDay)+1)))
		out.runs[r.Key] = append(out.runs[r.Key], ended{days, day.Date(r.EndDay)})
		if r.Allowance > 0 {
			out.shares[r.Key] = append(out.shares[r.Key], days/float64(r.Allowance))
		}
		if r.Holder != 0 {
			out.last[r.Key] = append(out.last[r.Key], r.Holder)
		}
	}
	h.records.keep(format, out, turn)
	return out, nil
}

// Forecast says how likely a piece under way makes its day.
func (h *Newsroom) Forecast(ctx context.Context, b *Setup, p *relay.Piece) (forecast.Forecast, error) {
	r, err := h.Record(ctx, p.DeskID, p.FormatID)
	if err != nil {
		return forecast.Forecast{}, err
	}
	house := b.Planned[p.DeskID]
	return forecast.Of(house, p, h.Now().Date(house.Zone), r.of), nil
}

// Lands says where a piece under way lands in so many runs, ascending.
func (h *Newsroom) Lands(ctx context.Context, b *Setup, p *relay.Piece, runs int) ([]day.Boundary, error) {
	r, err := h.Record(ctx, p.DeskID, p.FormatID)
	if err != nil {
		return nil, err
	}
	house := b.Planned[p.DeskID]
	return forecast.Lands(house, p, h.Now().Date(house.Zone), r.of, runs), nil
}
