package reports

import (
	"context"
	"errors"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/measure"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Campaign is a campaign with its pieces.
type Campaign struct {
	store.Campaign
	Pieces []*newsroom.Entry // by their day, those without one last
	Out    int
	Under  int // under way
	Parked int // of these, not begun
}

// flag gives the day on which a piece went out, or is to; 0 while it has none.
func (h Room) flag(b *newsroom.Setup, e *newsroom.Entry) day.Date {
	if e.OutAt != 0 {
		return e.OutAt.Date(b.Zones[e.DeskID])
	}
	return e.GoesOut.Date(b.Zones[e.DeskID])
}

// maySee refuses who does not see all of a desk.
func maySee(b *newsroom.Setup, who ref.Person, desk ref.Desk) error {
	if w := b.Who(who, desk); !w.OnDesk || !w.Access.May(relay.SeeAll) {
		return newsroom.ErrNotFound
	}
	return nil
}

// Campaigns gives the campaigns of a desk that are in use, by their first day, for its leads and staff.
func (h Room) Campaigns(ctx context.Context, who ref.Person, desk ref.Desk) ([]Campaign, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	if err := maySee(b, who, desk); err != nil {
		return nil, err
	}
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	of := map[ref.Campaign][]*newsroom.Entry{}
	for _, e := range entries {
		if e.CampaignID != 0 && e.DeskID == desk && e.Stage != relay.Withdrawn {
			of[e.CampaignID] = append(of[e.CampaignID], e)
		}
	}
	var out []Campaign
	for _, c := range b.CampaignsOf(desk) {
		x := Campaign{Campaign: c, Pieces: of[c.ID]}
		for _, e := range x.Pieces {
			x.Out += newsroom.Count(e.Stage == relay.Out)
			x.Under += newsroom.Count(e.Stage == relay.UnderWay)
			x.Parked += newsroom.Count(e.Stage == relay.UnderWay && e.Parked())
		}
		slices.SortStableFunc(x.Pieces, func(p, q *newsroom.Entry) int {
			pd, qd := h.flag(b, p), h.flag(b, q)
			if (pd == 0) != (qd == 0) {
				return newsroom.Count(pd == 0) - newsroom.Count(qd == 0)
			}
			return int(pd - qd)
		})
		out = append(out, x)
	}
	return out, nil
}

// Target is something that a campaign is to reach: pieces out, or a measure of its pieces.
type Target struct {
	ID      ref.Aim // 0 for the pieces aimed at
	Measure store.Measure
	Value   float64
	To      day.Date
	Is      float64
	Even    float64
	Sum     report.Sum
	Curve   []measure.Point // how far it was on each day, up to today
}

// Sheet is all that is shown of one campaign.
type Sheet struct {
	Campaign
	Today   day.Date
	Targets []Target
	ToFind  int // pieces aimed at that there are none for yet
	Steps   []planning.OwnStep
	Outcome store.Outcome
	Leads   bool // who looks may change it
	Owns    bool // or set its targets, and say how it did
	Works   bool // or write down steps
}

// Campaign gives a campaign with its targets and steps, as it would be from one day to another; 0
// is as it is.
func (h Room) Campaign(ctx context.Context, who ref.Person, id ref.Campaign, from, to day.Date) (Sheet, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return Sheet{}, err
	}
	c := b.Campaign(id)
	if c.ID == 0 {
		return Sheet{}, newsroom.ErrNotFound
	}
	all, err := h.Campaigns(ctx, who, c.DeskID)
	if err != nil {
		return Sheet{}, err
	}
	s := Sheet{Today: h.Now().Date(b.Zones[c.DeskID])}
	i := slices.IndexFunc(all, func(x Campaign) bool { return x.ID == id })
	if i < 0 {
		return Sheet{}, newsroom.ErrNotFound
	}
	s.Campaign = all[i]
	if from != 0 {
		s.FromDay = from
	}
	if to != 0 {
		s.ToDay = to
	}
	w := b.Who(who, c.DeskID)
	s.Leads, s.Works = relay.MayHouse(relay.SetUpDesk, w), planning.MayCreate(w)
	s.Owns = s.Leads || c.Owner == who
	s.ToFind = max(0, c.Target-len(s.Pieces))
	if s.Steps, err = (planning.Overview{Newsroom: h.Newsroom}).StepsOfCampaign(ctx, who, id); err != nil {
		return s, err
	}
	if s.Outcome, err = store.OutcomeOf(ctx, h.DB.View(), 0, id); err != nil && !errors.Is(err, store.ErrNone) {
		return s, err
	}
	return s, h.targets(ctx, b, &s)
}

// targets works out how far a campaign is by each of its targets, and where it will likely end.
func (h Room) targets(ctx context.Context, b *newsroom.Setup, s *Sheet) error {
	aims, err := store.AimsOfCampaign(ctx, h.DB.View(), s.ID)
	if err != nil {
		return err
	}
	if s.Target > 0 {
		aims = append([]store.Aim{{CampaignID: s.ID, Value: float64(s.Target)}}, aims...)
	}
	for _, a := range aims {
		x := Target{ID: a.ID, Measure: b.Measure(a.MeasureID), Value: a.Value, To: s.ToDay}
		if a.ByDay != 0 {
			x.To = a.ByDay
		}
		x.Even = report.Even(x.Value, s.FromDay, x.To, s.Today)
		span := Span{From: s.FromDay, To: x.To}
		if x.Measure.ID == 0 {
			x.Sum, x.Is, _, err = h.likely(ctx, b, s.Pieces, func(*newsroom.Entry) bool { return true }, 0, span)
			x.Curve = h.outCurve(b, s, x.To)
		} else {
			err = h.figureTarget(ctx, b, s, &x, span)
		}
		if err != nil {
			return err
		}
		s.Targets = append(s.Targets, x)
	}
	return nil
}

// outCurve gives how many pieces of a campaign were out on each day.
func (h Room) outCurve(b *newsroom.Setup, s *Sheet, to day.Date) []measure.Point {
	var out []measure.Point
	n := 0.0
	for d := s.FromDay; d <= min(s.Today, to); d++ {
		for _, e := range s.Pieces {
			if e.Stage == relay.Out && h.flag(b, e) == d {
				n++
			}
		}
		out = append(out, measure.Point{Day: d, Value: n})
	}
	return out
}

// figureTarget works out how far the pieces of a campaign are by a measure.
func (h Room) figureTarget(ctx context.Context, b *newsroom.Setup, s *Sheet, x *Target, span Span) error {
	by := map[day.Date]float64{}
	for _, e := range s.Pieces {
		rows, err := store.FiguresOn(ctx, h.DB.View(), e.ID, x.Measure.ID)
		if err != nil {
			return err
		}
		for _, f := range rows {
			if f.Stands && span.Contains(f.Day) {
				by[f.Day] += f.Value
			}
		}
	}
	sum := 0.0
	for d := span.From; d <= min(s.Today, span.To); d++ {
		sum += by[d]
		x.Curve = append(x.Curve, measure.Point{Day: d, Value: sum})
	}
	x.Is = sum
	if x.Measure.How != measure.Added { // the sum of days says nothing
		is, err := h.over(ctx, b, once(func(id ref.Piece) bool {
			return slices.ContainsFunc(s.Pieces, func(e *newsroom.Entry) bool { return e.ID == id })
		}), x.Measure.ID, span)
		x.Is, x.Sum, x.Curve = is, report.Sum{Likely: is, Lo: is, Hi: is}, nil
		return err
	}
	spread, err := h.spreadOf(ctx, b, x.Measure.ID)
	if err != nil {
		return err
	}
	var brings []report.Spread
	var chances []float64
	for _, e := range s.Pieces {
		if e.Stage != relay.UnderWay {
			continue
		}
		p, err := h.chanceBy(ctx, b, e, span.To, len(s.Pieces))
		if err != nil {
			return err
		}
		g := spread[e.FormatID]
		brings, chances = append(brings, report.Spread{Median: g.Median, Q1: g.Q1, Q3: g.Q3}), append(chances, p)
	}
	x.Sum = report.Coming(x.Is, brings, chances)
	return nil
}
