package fee

import (
	"iter"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Sums is what the legs of formats came to altogether, by their keys.
type Sums map[ref.Format]map[string]int64

// Means gives what those legs came to on average, of all pieces of which they were passed from a day
// on: those that cost nothing are counted in.
func (s Sums) Means(pieces iter.Seq[*relay.Piece], from day.Date) Sums {
	passed := map[ref.Format]map[string]int64{}
	for p := range pieces {
		if s[p.FormatID] == nil {
			continue
		}
		for l := range p.Every() {
			if l.State == relay.Passed && l.EndDay >= from {
				if passed[p.FormatID] == nil {
					passed[p.FormatID] = map[string]int64{}
				}
				passed[p.FormatID][l.Key]++
			}
		}
	}
	out := Sums{}
	for format, legs := range s {
		out[format] = map[string]int64{}
		for key, sum := range legs {
			out[format][key] = sum / max(1, passed[format][key])
		}
	}
	return out
}

// Ahead works out what work under way still comes to, on a day.
type Ahead struct {
	Today    day.Date
	Means    Sums // of legs that nobody has
	Policy   Policy
	Rounding Rounding
}

// Of gives what a piece is likely to cost besides what is accepted already: what was agreed with
// those who have a leg, which is promised once it has begun or they took it, and for legs that nobody
// has what they are offered for, or such legs come to. What is due in the past is of today. A line
// that is accepted and has no id, or is in now, is accepted only if what is asked about is done.
func (a Ahead) Of(p *relay.Piece, lines []Line, now ...ref.Fee) []Money {
	var out []Money
	add := func(key string, m Money) {
		m.Day, m.Format, m.Channel, m.Campaign, m.Piece = a.Today, p.FormatID, p.ChannelID, p.CampaignID, p.ID
		if l := p.Leg(key); l != nil && m.Step != ToCheck {
			m.Day = max(a.Today, l.Due)
		}
		if m.Amount != 0 {
			out = append(out, m)
		}
	}
	for _, x := range lines {
		l := p.Leg(x.Leg)
		switch {
		case x.State == Agreed && p.Stage != relay.Withdrawn:
			m := Money{Step: Likely, Amount: a.estimate(p, l, x)}
			if x.Begun || l != nil && l.TakenAt != 0 {
				m.Step = Promised
			}
			add(x.Leg, m)
		case x.State == Accepted && (x.ID == 0 || slices.Contains(now, x.ID)):
			add(x.Leg, Money{Step: ToCheck, Amount: a.estimate(p, l, x)})
		}
	}
	for l := range p.Every() {
		if l.Done() || l.Holder != 0 || p.Stage != relay.UnderWay && !(p.Stage == relay.Out && l.Later) {
			continue
		}
		amount := a.Means[p.FormatID][l.Key]
		if l.Fee > 0 {
			amount = int64(l.Fee)
		}
		add(l.Key, Money{Step: Likely, Amount: amount})
	}
	return out
}

// estimate gives what a line likely comes to: with the words the brief asks for at most, and the
// hours that were said or that the leg is reckoned with.
func (a Ahead) estimate(p *relay.Piece, l *relay.Leg, x Line) int64 {
	minutes := x.Minutes
	if minutes == 0 && l != nil {
		minutes = l.Effort
	}
	return x.Terms.Owed(Work{Words: max(p.WordsTo, p.WordsFrom), Minutes: minutes, Share: a.Policy.Share(x.Kind), Times: x.Times}, a.Rounding)
}
