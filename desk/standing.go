package desk

import (
	"context"
	"encoding/json"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// daysAhead is how far slots are looked for, a little over a year.
const daysAhead = 400

// standing works out what lists show of a piece; free gives the coming free slots
// of a channel.
func standing(b *Books, p relay.Piece, now day.Moment, free func(channel int64) []day.Moment) (store.Standing, error) {
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
		s.CouldGoOut = h.Earliest(pr.Lands, free(p.ChannelID))
	}
	return s, nil
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
	for {
		more, err := h.workOut(ctx)
		if err != nil || !more {
			return err
		}
	}
}

// Refresh brings standings up to date after the set-up changed. Of a large desk it
// does what can be done without making anybody wait; the house's round does the rest.
func (h *House) Refresh(ctx context.Context) error {
	_, err := h.workOut(ctx)
	return err
}

// workOut works out up to 250 standings of each desk that are not of the day, and
// reports whether there were any.
func (h *House) workOut(ctx context.Context) (some bool, err error) {
	err = h.act(ctx, 0, func(a *act) error {
		for _, d := range a.b.Desks {
			rows, err := store.NotWorkedOut(a, a.tx, d.ID, a.now.Date(a.b.Zones[d.ID]), 250)
			if err != nil {
				return err
			}
			for _, r := range rows {
				if err := a.stand(r.Piece); err != nil {
					return err
				}
				if err := a.loseIdle(r.Piece); err != nil {
					return err
				}
				if err := a.timely(&r.Piece); err != nil {
					return err
				}
			}
			some = some || len(rows) > 0
		}
		return nil
	})
	return some, err
}
