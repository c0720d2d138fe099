package desk

import (
	"context"
	"slices"
	"strings"

	"greenbaton/store"
)

// SaveTopic stores a topic of a desk, a new one where it has no id.
func (h *House) SaveTopic(ctx context.Context, by int64, t store.Topic) error {
	return h.setUpAct(ctx, by, t.DeskID, func(a *act) error {
		t.Name = strings.TrimSpace(t.Name)
		was := a.b.Topic(t.ID)
		same := func(x store.Topic) bool {
			return x.ID != t.ID && x.DeskID == t.DeskID && strings.EqualFold(x.Name, t.Name)
		}
		switch {
		case t.ID != 0 && was.DeskID != t.DeskID:
			return ErrNotFound
		case t.Name == "" || len([]rune(t.Name)) > 40:
			return bad("topic", "Give the topic a name of up to 40 characters.")
		case slices.ContainsFunc(a.b.Topics, same):
			return bad("topic", "There is a topic of this name already. Choose another.")
		case t.Target < 0 || t.Target > 500:
			return bad("topic_target", "The pieces aimed at in four weeks lie between 0 and 500.")
		}
		id, err := a.tx.SaveTopic(a, t)
		if err != nil {
			return err
		}
		if t.ID == 0 {
			t.ID = id
		}
		before, after := differ(was, t)
		return a.log(store.Entry{DeskID: t.DeskID, Act: "set up", What: "changed the topic " + t.Name, Before: before, After: after})
	})
}

// SaveCampaign stores a campaign of a desk, a new one where it has no id.
func (h *House) SaveCampaign(ctx context.Context, by int64, c store.Campaign) error {
	return h.setUpAct(ctx, by, c.DeskID, func(a *act) error {
		c.Name, c.Goal = strings.TrimSpace(c.Name), strings.TrimSpace(c.Goal)
		was := a.b.Campaign(c.ID)
		same := func(x store.Campaign) bool {
			return x.ID != c.ID && x.DeskID == c.DeskID && strings.EqualFold(x.Name, c.Name)
		}
		switch {
		case c.ID != 0 && was.DeskID != c.DeskID:
			return ErrNotFound
		case c.Name == "" || len([]rune(c.Name)) > 60:
			return bad("campaign", "Give the campaign a name of up to 60 characters.")
		case slices.ContainsFunc(a.b.Campaigns, same):
			return bad("campaign", "There is a campaign of this name already. Choose another.")
		case len([]rune(c.Goal)) > 400:
			return bad("goal", "Keep what it is for under 400 characters.")
		case c.FromDay == 0 || c.ToDay == 0:
			return bad("from", "Say on which days it begins and ends.")
		case c.ToDay < c.FromDay:
			return bad("to", "The last day lies before the first. Turn them round.")
		case c.Target < 0 || c.Target > 5000:
			return bad("campaign_target", "The pieces aimed at lie between 0 and 5,000.")
		}
		id, err := a.tx.SaveCampaign(a, c)
		if err != nil {
			return err
		}
		if c.ID == 0 {
			c.ID = id
		}
		before, after := differ(was, c)
		return a.log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "changed the campaign " + c.Name, Before: before, After: after})
	})
}
