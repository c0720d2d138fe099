package plan

import (
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
)

// Series gives who ran the last ones of a leg, the latest first.
type Series func(leg string) []ref.Person

// FillIn sets the due dates of a new piece, and gives those of its legs that are for
// whoever ran the last one, or has most room, to a person, except the legs named. Who
// ran the last one has to be eligible still; otherwise whoever has most room is taken.
func (b *Board) FillIn(p *relay.Piece, r route.Route, named func(leg string) bool, series Series) {
	h, today := b.Desk(p), b.Today(p.DeskID)
	h.Dates(p)
	for _, l := range slices.Concat(r.Legs, r.After) {
		leg := p.Leg(l.Key)
		if l.Usual >= 0 || leg.State == relay.Skipped || named(l.Key) {
			continue
		}
		leg.Holder = b.Taker(b.Opening(p, leg.Position, series(l.Key)), l.Usual == route.LastInSeries, today)
	}
	h.Dates(p)
}

// Taker gives who a leg is for: whoever has most room, or, if last is asked for, whoever
// ran the last one in the series and is eligible still. 0 is that nobody is eligible.
func (b *Board) Taker(o load.Open, last bool, today day.Date) ref.Person {
	if last {
		for _, id := range o.Series {
			if who := b.Person(id); who != nil && who.CouldRun(&o, today) {
				return id
			}
		}
	}
	if c := load.Suggest(o, b.People, b.Load(), today); len(c) > 0 {
		return c[0].Person
	}
	return 0
}

// Weight is what a new piece does to people.
type Weight struct {
	People []load.Shift              // days that go over, or are over otherwise
	Fits   map[string]load.Candidate // what each leg does to its holder, by key
	Better map[string]load.Candidate // who would go over less, for legs that take their holder over
}

// Weigh works out what a piece that is not on the board yet does to people.
func (b *Board) Weigh(p *relay.Piece, series Series) Weight {
	today, sheet := b.Today(p.DeskID), b.Load()
	works := b.Desk(p).AddWorks(nil, p, today)
	out := Weight{Fits: map[string]load.Candidate{}, Better: map[string]load.Candidate{}}
	out.People = load.Compare(sheet, sheet.With(b.People, nil, works), b.People)
	for _, w := range works {
		l := p.At(w.Leg)
		o := b.Opening(p, w.Leg, series(l.Key))
		o.Person = 0 // the board holds nothing of it that would have to be taken off
		all := load.Suggest(o, b.People, sheet, today)
		for _, c := range all {
			if c.Person != l.Holder {
				continue
			}
			if out.Fits[l.Key] = c; c.Over > all[0].Over {
				out.Better[l.Key] = all[0]
			}
		}
	}
	return out
}

// anHour is how much somebody may go over by a leg and still have time for it, in minutes.
const anHour = 60

// Full gives who has no time for a piece, and until when: of those who would go more than
// an hour over what they work by a leg of it, who is over the longest. 0: everybody has.
func (w Weight) Full(p *relay.Piece) (who ref.Person, until day.Date) {
	for l := range p.Every() {
		if l.Holder == 0 || w.Fits[l.Key].Over <= anHour {
			continue
		}
		for _, s := range w.People {
			if s.Person == l.Holder && s.After > s.Before && s.Date > until {
				who, until = s.Person, s.Date
			}
		}
	}
	return who, until
}

// Add gives the board with one more piece, as if it were made; it gets an id behind all
// others.
func (b *Board) Add(p relay.Piece) *Board {
	out := *b
	p.ID = 1 << 40
	if n := len(b.Pieces); n > 0 {
		p.ID = max(p.ID, b.Pieces[n-1].ID+1)
	}
	out.Pieces, out.Worked, out.Remember = append(slices.Clone(b.Pieces), &p), nil, nil
	return &out
}
