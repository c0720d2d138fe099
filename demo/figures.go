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

// outcomes are what somebody said of pieces, by their title.
var outcomes = []struct{ title, said, learnt string }{
	{"Bread without a mill", store.Worked, "The honest headline did it: four letters quoted it. Say the unpopular thing first."},
	{"The wheel turns again at Merrow Sands", store.Worked, "Readers come for a wheel that turns. The film of eleven seconds was opened more than the whole text."},
	{"The last sacks from Upper Tarn", store.Partly, "Good readers, few of them: it went out on the Tuesday of the fair. Not on a fair day again."},
}

// learns sets aims for a few pieces and notes how some did.
func (p *player) learns(ctx context.Context) error {
	lead := byInitials("MH")
	reads := ref.Measure(1)
	for _, x := range outcomes {
		id, err := p.titled(ctx, x.title)
		if err != nil {
			return err
		}
		if err := p.h.Figures.SaveAim(ctx, lead, store.Aim{PieceID: id, MeasureID: reads, Value: 2000}); err != nil {
			return err
		}
		if err := p.h.Figures.SaveOutcome(ctx, lead, store.Outcome{PieceID: id, Said: x.said, Learnt: x.learnt}); err != nil {
			return err
		}
	}
	entries, err := p.h.Pieces(ctx, day.MomentOf(Start))
	if err != nil {
		return err
	}
	asked := 0
	for _, e := range entries { // of two of October nobody has said it yet; the older ones were said in two words
		out := e.OutAt.Date(p.zone)
		if e.Stage != relay.Out || out < date(2026, 1, 1) || e.Owner != lead || out > date(2026, 10, 23) {
			continue
		}
		n := len(e.Title)
		if out > date(2026, 10, 12) && asked < 2 {
			asked++
			if err := p.h.Figures.SaveAim(ctx, lead, store.Aim{PieceID: e.ID, MeasureID: reads, Value: 1500}); err != nil {
				return err
			}
			continue
		}
		if n%6 != 0 {
			continue
		}
		said, learnt := []string{store.Worked, store.Partly, store.Failed}[n/6%3], []string{"A person in the first line brings more readers than a place.", "Too long for what it had to say; the picture did the work.", "Nobody looks for this in its season. Bring it in spring."}[n/6%3]
		if err := p.h.Figures.SaveOutcome(ctx, lead, store.Outcome{PieceID: e.ID, Said: said, Learnt: learnt}); err != nil {
			return err
		}
	}
	if err := p.campaigning(ctx, reads); err != nil {
		return err
	}
	for _, g := range []store.Goal{
		{Name: "40 features and recipes out", Target: 40, Sieve: "/pieces?format=1,2"}, {Name: "60,000 reads", Target: 60_000, MeasureID: reads}, {Name: "400 new letter readers", Target: 400, MeasureID: 3},
	} {
		g.DeskID, g.Quarter = p.b.Desks[0].ID, date(2026, 10, 1)
		if err := p.h.Reports.SaveGoal(ctx, lead, g); err != nil {
			return err
		}
	}
	return nil
}

// campaigning sets targets of a campaign besides its pieces, and its own steps.
func (p *player) campaigning(ctx context.Context, reads ref.Measure) error {
	lead := byInitials("MH")
	for _, c := range p.b.Campaigns {
		if c.Name != "Winter on the water" {
			continue
		}
		if err := p.h.Figures.SaveAim(ctx, lead, store.Aim{CampaignID: c.ID, MeasureID: reads, Value: 12_000, ByDay: date(2027, 1, 15)}); err != nil {
			return err
		}
		for i, x := range []struct {
			text, who string
			on        day.Date
		}{{"Ask the harbour board for pictures", "RA", date(2026, 11, 27)}, {"Page that gathers them all", "HM", date(2026, 12, 4)}, {"Poster for the mill shops", "RA", date(2026, 12, 7)}, {"Tell the Severn newsletter", "MH", date(2026, 11, 20)}} {
			id, err := p.h.Planning.SaveOwnStep(ctx, lead, store.OwnStep{CampaignID: c.ID, Text: x.text, PersonID: byInitials(x.who), Day: x.on})
			if err != nil {
				return err
			}
			if i == 3 {
				if err := p.h.Planning.TickOwnStep(ctx, lead, id, true); err != nil {
					return err
				}
			}
		}
	}
	return nil
}
