package desk

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// daysAhead is how far slots are looked for, a little over a year.
const daysAhead = 400

// standing works out what lists show of a piece.
func standing(ctx context.Context, r store.Reader, b *Books, p relay.Piece, now day.Moment) (store.Standing, error) {
	h := b.Houses[p.DeskID]
	today := now.Date(h.Zone)
	pr := h.Forward(&p, today)
	s := store.Standing{Pace: pr.Pace, InHand: pr.InHand, Quiet: pr.Quiet, IsQuiet: pr.IsQuiet, OpenLeg: pr.Open, WorkedOut: today}
	var names []string
	for _, l := range p.Running() {
		if s.NextDue == 0 || l.Due != 0 && l.Due < s.NextDue {
			s.NextDue = l.Due
		}
		names = append(names, b.Name(l.Holder))
	}
	s.Holders = strings.Join(names, ", ")
	if pr.Cause.Leg != "" {
		c, err := json.Marshal(pr.Cause)
		if err != nil {
			return s, err
		}
		s.Cause = string(c)
	}
	if pr.Pace == plan.Unplaced {
		free, err := b.freeSlots(ctx, r, p.ChannelID, now)
		if err != nil {
			return s, err
		}
		s.CouldGoOut = h.Earliest(pr.Lands, free)
	}
	return s, nil
}

// freeSlots gives the coming times of a channel that no piece holds.
func (b *Books) freeSlots(ctx context.Context, r store.Reader, channel int64, now day.Moment) ([]day.Moment, error) {
	taken, err := store.TakenTimes(ctx, r, channel, now)
	return slices.DeleteFunc(b.Slots(channel, now, daysAhead), func(t day.Moment) bool { return taken[t] }), err
}

// CauseOf reads the stored cause of a shortfall.
func CauseOf(s store.Standing) plan.Cause {
	var c plan.Cause
	if s.Cause == "" || json.Unmarshal([]byte(s.Cause), &c) != nil {
		return plan.Cause{}
	}
	return c
}

// WorkOut brings the standings of all pieces under way up to the present day.
func (h *House) WorkOut(ctx context.Context) error {
	for more := true; more; {
		err := h.act(ctx, 0, func(a *act) error {
			more = false
			for _, d := range a.b.Desks {
				rows, err := store.NotWorkedOut(a, a.tx, d.ID, a.now.Date(a.b.Zones[d.ID]), 500)
				if err != nil {
					return err
				}
				for _, r := range rows {
					if err := a.stand(r.Piece); err != nil {
						return err
					}
				}
				more = more || len(rows) > 0
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}
