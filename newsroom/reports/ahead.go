package reports

import (
	"context"
	"slices"

	"greenbaton/core/day"
	"greenbaton/core/forecast"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/report"
	"greenbaton/newsroom"
)

// WeeksAhead is how many weeks ahead slots are looked at.
const WeeksAhead = 8

// SlotAhead is a coming time of a channel, and what is to go out then.
type SlotAhead struct {
	At      day.Moment
	Channel ref.Channel
	Entry   *newsroom.Entry // nil where nothing has the time yet
	Comes   string          // what will come to it by itself
	Chance  float64
	Cover   report.Cover
}

// Week is the slots of a coming week.
type Week struct {
	Monday day.Date
	Slots  []SlotAhead
}

// Count gives how many slots of the week are covered so.
func (w Week) Count(c report.Cover) int {
	n := 0
	for _, s := range w.Slots {
		n += newsroom.Count(s.Cover == c)
	}
	return n
}

// ahead looks at the slots of the next weeks, each with how likely its piece makes its day.
// A slot that a piece has which the sieve does not let through is neither theirs nor a hole.
func (t *teller) ahead(ctx context.Context, entries []*newsroom.Entry) error {
	by := map[ref.Channel]map[day.Moment]*newsroom.Entry{}
	for _, e := range entries {
		if e.GoesOut > t.Now() && e.Stage != relay.Withdrawn {
			if by[e.ChannelID] == nil {
				by[e.ChannelID] = map[day.Moment]*newsroom.Entry{}
			}
			by[e.ChannelID][e.GoesOut] = e
		}
	}
	first := t.today.Monday()
	if t.today.Weekday() == 6 || t.today.Weekday() == 0 {
		first += 7
	}
	for i := range WeeksAhead {
		t.Ahead = append(t.Ahead, Week{Monday: first + day.Date(7*i)})
	}
	until := first + 7*WeeksAhead
	comes := map[ref.Desk]func(ref.Channel, day.Moment) string{}
	for _, d := range t.Look.Desks {
		var err error
		if comes[d], err = t.ExpectedAt(ctx, d, until-1); err != nil {
			return err
		}
	}
	for _, ch := range t.b.Channels {
		if ch.Retired || !slices.Contains(t.Look.Desks, ch.DeskID) || !t.Look.Sieve.Lets("channel", int64(ch.ID)) {
			continue
		}
		zone := t.b.Zones[ch.DeskID]
		for _, at := range t.b.Slots(ch.ID, t.Now()) {
			on := at.Date(zone)
			if on >= until {
				break
			}
			e := by[ch.ID][at]
			if e != nil && t.Entry(e.ID) == nil {
				continue
			}
			s, err := t.slotAhead(ctx, e, comes[ch.DeskID](ch.ID, at))
			if err != nil {
				return err
			}
			s.At, s.Channel = at, ch.ID
			if i := int(on-first) / 7; i >= 0 && i < WeeksAhead {
				t.Ahead[i].Slots = append(t.Ahead[i].Slots, s)
			}
		}
	}
	for i := range t.Ahead {
		slices.SortStableFunc(t.Ahead[i].Slots, func(x, y SlotAhead) int { return int(x.At - y.At) })
	}
	return nil
}

// slotAhead says how sure a slot is, that a piece has or to which something will come.
func (t *teller) slotAhead(ctx context.Context, e *newsroom.Entry, comes string) (SlotAhead, error) {
	switch {
	case e == nil && comes == "":
		return SlotAhead{Cover: report.Hole}, nil
	case e == nil:
		return SlotAhead{Comes: comes, Cover: report.Expected}, nil
	}
	p, err := t.chanceBy(ctx, t.b, e, e.GoesOut.Date(t.b.Zones[e.DeskID]), 1)
	return SlotAhead{Entry: e, Chance: p, Cover: report.CoverOf(p)}, err
}

// chanceBy gives the chance that a piece is out by a day, as one of so many that are summed up: 0 where its
// own day is later, or it has none.
func (h Room) chanceBy(ctx context.Context, b *newsroom.Setup, e *newsroom.Entry, by day.Date, pieces int) (float64, error) {
	house := b.Planned[e.DeskID]
	switch {
	case e.Stage == relay.Out:
		return 1, nil
	case e.GoesOut == 0 || e.GoesOut.Date(house.Zone) > by || e.Stage != relay.UnderWay:
		return 0, nil
	case e.Ready():
		return 1, nil
	}
	o, err := h.oddsOf(ctx, b, e, pieces)
	return o.By(house.Ready(by)), err
}

// oddsOf gives the forecast of a piece under way, as it was worked out for this version of it, this day and
// this set-up. For one alone it is as its own page says, of all that was learnt; for a sum over several what
// was learnt since the morning may be left out.
func (h Room) oddsOf(ctx context.Context, b *newsroom.Setup, e *newsroom.Entry, pieces int) (odds, error) {
	learnt, err := h.Record(ctx, e.DeskID, e.FormatID)
	if err != nil {
		return odds{}, err
	}
	runs := forecast.RunsFor(pieces)
	k := newsroom.PartOf[book](h.Newsroom)
	today := h.Now().Date(b.Zones[e.DeskID])
	k.mu.Lock()
	o, ok := k.odds[e.ID]
	k.mu.Unlock()
	if ok && o.version == e.Version && o.today == today && o.of == b && o.Runs >= runs && (pieces > 1 || o.learnt == any(learnt)) {
		return o, nil
	}
	lands, err := h.Lands(ctx, b, &e.Piece, runs)
	if err != nil {
		return o, err
	}
	o = odds{forecast.OddsOf(lands), e.Version, today, b, learnt}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.odds == nil || len(k.odds) > mostOdds {
		k.odds = map[ref.Piece]odds{}
	}
	k.odds[e.ID] = o
	return o, nil
}

// mostOdds is of how many pieces the forecast is kept.
const mostOdds = 30_000
