package newsroom

import (
	"encoding/json"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// DaysAhead is how far slots are looked for, a little over a year.
const DaysAhead = 400

// Standing works out what lists show of a piece, by how its desk works; free gives the
// coming free slots of a channel.
func Standing(b *Setup, h *plan.Desk, p relay.Piece, now day.Moment, free func(channel ref.Channel) []day.Moment) (store.Standing, error) {
	today := now.Date(h.Zone)
	pr := h.Forward(&p, today)
	s := store.Standing{Pace: pr.Pace, InHand: pr.InHand, Quiet: pr.Quiet, IsQuiet: pr.IsQuiet, OpenLeg: pr.Open, IsScheduled: p.Scheduled(), WorkedOut: today}
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
