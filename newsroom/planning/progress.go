package planning

import (
	"context"
	"fmt"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Progress is how far a campaign is.
type Progress struct {
	Out    int // pieces that are out
	Placed int // pieces under way that have a day
	NoDay  int // pieces under way that have none
}

// Progress gives how far each campaign of a desk is, by campaign.
func (h Overview) Progress(ctx context.Context, desk ref.Desk) (map[ref.Campaign]Progress, error) {
	entries, err := h.Pieces(ctx, h.Now())
	if err != nil {
		return nil, err
	}
	out := map[ref.Campaign]Progress{}
	for _, e := range entries {
		if e.CampaignID == 0 || e.DeskID != desk {
			continue
		}
		p := out[e.CampaignID]
		switch {
		case e.Stage == relay.Out:
			p.Out++
		case e.Stage == relay.UnderWay && e.GoesOut != 0:
			p.Placed++
		case e.Stage == relay.UnderWay:
			p.NoDay++
		}
		out[e.CampaignID] = p
	}
	return out, nil
}

// SayCampaign says when a campaign is and how far: "Mon 2 Nov to Fri 18 Dec · 3 of 8
// pieces out, 4 on their way".
func SayCampaign(c store.Campaign, p Progress) string {
	s := english.Date(c.FromDay) + " to " + english.Date(c.ToDay) + " · "
	if c.Target > 0 {
		s += fmt.Sprintf("%d of %s out", p.Out, english.Plural(c.Target, "piece"))
	} else {
		s += english.Plural(p.Out, "piece") + " out"
	}
	if n := p.Placed + p.NoDay; n > 0 {
		s += fmt.Sprintf(", %d on their way", n)
	}
	if p.NoDay > 0 {
		s += fmt.Sprintf(" (%d without a day)", p.NoDay)
	}
	if left := c.Target - p.Out - p.Placed - p.NoDay; left > 0 {
		s += fmt.Sprintf(", %d not begun", left)
	}
	return s
}
