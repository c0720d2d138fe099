package demo

import (
	"context"
	"hash/fnv"
	"math"
	"math/rand/v2"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/figures"
	"greenbaton/store"
)

// usual is how many reads the first four weeks of a piece of a format come to in the middle, and
// how far they spread: the logarithm of a piece's is normal about that of the middle.
var usual = map[string]struct{ middle, spread float64 }{
	"Feature": {1600, .55}, "Recipe": {2600, .5}, "Letter": {820, .18}, "Audio": {380, .4}, "Partner piece": {520, .35},
}

// runaways are pieces that were passed around.
var runaways = map[string]float64{"Bread without a mill": 6, "The wheel turns again at Merrow Sands": 4}

// figured fills in what pieces did over the two years: each read most on its first days, less at
// weekends, a few passed around; and what was learnt of some.
func (p *player) figured(ctx context.Context) error {
	lead := byInitials("MH")
	rooms := p.h.Figures
	desk := p.b.Desks[0].ID
	reads, err := rooms.SaveMeasure(ctx, lead, store.Measure{DeskID: desk, Name: "Reads", How: measure.Added, Better: measure.More, Counts: store.Visits, Main: true})
	if err != nil {
		return err
	}
	stay, err := rooms.SaveMeasure(ctx, lead, store.Measure{DeskID: desk, Name: "Stay", Unit: "min", How: measure.Averaged, Better: measure.More, WeighedBy: reads})
	if err != nil {
		return err
	}
	joins, err := rooms.SaveMeasure(ctx, lead, store.Measure{DeskID: desk, Name: "New letter readers", How: measure.Added, Better: measure.More})
	if err != nil {
		return err
	}
	entries, err := p.h.Pieces(ctx, day.MomentOf(Start))
	if err != nil {
		return err
	}
	today := day.MomentOf(Start).Date(p.zone)
	var all []store.Figure
	for _, e := range entries {
		if e.Stage != relay.Out {
			continue
		}
		all = append(all, p.figuresOf(e, today, reads, stay, joins)...)
	}
	return p.h.Do(ctx, lead, func(a *newsroom.Command) error { return figures.Put(a, all) })
}

// figuresOf gives the figures of a piece for each day up to yesterday, for four weeks and then once a week.
func (p *player) figuresOf(e *newsroom.Entry, today day.Date, reads, stay, joins ref.Measure) []store.Figure {
	h := fnv.New64a()
	h.Write([]byte(e.Title))
	rng := rand.New(rand.NewPCG(h.Sum64(), 7))
	u := usual[p.b.Format(e.FormatID).Name]
	whole := u.middle * math.Exp(u.spread*rng.NormFloat64())
	if x := runaways[e.Title]; x != 0 {
		whole *= x
	}
	out := e.OutAt.Date(p.zone)
	var shares []float64
	sum := 0.0
	for i := range 28 { // it falls to half within some three days, and goes on a little for long
		s := math.Exp(-float64(i)/4.5) + .02
		if w := (out + day.Date(i)).Weekday(); w == 0 || w == 6 {
			s *= .6
		}
		shares = append(shares, s)
		sum += s
	}
	minutes := 1.6 + 1.2*rng.Float64()
	if p.b.Format(e.FormatID).Name == "Audio" {
		minutes = 11 + 6*rng.Float64()
	}
	var all []store.Figure
	for i := day.Date(0); out+i < today && i < 200; i++ {
		v := whole * .01 * math.Exp(-float64(i)/90)
		if i < 28 {
			v = whole * shares[i] / sum * (.85 + .3*rng.Float64())
		} else if i%7 != 0 {
			continue
		}
		n := math.Round(v)
		if n == 0 {
			continue
		}
		f := store.Figure{PieceID: e.ID, MeasureID: reads, Day: out + i, Source: measure.Visits, Value: n, At: day.MomentOf(Start)}
		all = append(all, f)
		if i < 28 {
			f.MeasureID, f.Value = stay, math.Round(10*(minutes+.4*rng.NormFloat64()))/10
			all = append(all, f)
		}
		if k := math.Floor(n*.006 + rng.Float64()); k > 0 && i < 14 {
			f.MeasureID, f.Value = joins, k
			all = append(all, f)
		}
	}
	return all
}
