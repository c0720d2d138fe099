package setup

import (
	"context"
	"slices"
	"strings"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
)

// SaveTopic stores a topic of a desk, a new one where it has no id.
func (h Room) SaveTopic(ctx context.Context, by ref.Person, t store.Topic) error {
	return h.SetUpAct(ctx, by, t.DeskID, func(a *newsroom.Command) error {
		t.Name = strings.TrimSpace(t.Name)
		was := a.Setup.Topic(t.ID)
		same := func(x store.Topic) bool {
			return x.ID != t.ID && x.DeskID == t.DeskID && strings.EqualFold(x.Name, t.Name)
		}
		switch {
		case t.ID != 0 && was.DeskID != t.DeskID:
			return newsroom.ErrNotFound
		case t.Name == "" || len([]rune(t.Name)) > 40:
			return newsroom.Invalid("topic", "Give the topic a name of up to 40 characters.")
		case slices.ContainsFunc(a.Setup.Topics, same):
			return newsroom.Invalid("topic", "There is a topic of this name already. Choose another.")
		case t.Target < 0 || t.Target > 500:
			return newsroom.Invalid("topic_target", "The pieces aimed at in four weeks lie between 0 and 500.")
		}
		id, err := a.Tx.SaveTopic(a, t)
		if err != nil {
			return err
		}
		if t.ID == 0 {
			t.ID = id
		}
		before, after := newsroom.Differ(was, t)
		return a.Log(store.Entry{DeskID: t.DeskID, Act: "set up", What: "changed the topic " + t.Name, Before: before, After: after})
	})
}

// SaveCampaign stores a campaign of a desk, a new one where it has no id.
func (h Room) SaveCampaign(ctx context.Context, by ref.Person, c store.Campaign) error {
	return h.SetUpAct(ctx, by, c.DeskID, func(a *newsroom.Command) error {
		c.Name, c.Goal = strings.TrimSpace(c.Name), strings.TrimSpace(c.Goal)
		was := a.Setup.Campaign(c.ID)
		same := func(x store.Campaign) bool {
			return x.ID != c.ID && x.DeskID == c.DeskID && strings.EqualFold(x.Name, c.Name)
		}
		switch {
		case c.ID != 0 && was.DeskID != c.DeskID:
			return newsroom.ErrNotFound
		case c.Name == "" || len([]rune(c.Name)) > 60:
			return newsroom.Invalid("campaign", "Give the campaign a name of up to 60 characters.")
		case slices.ContainsFunc(a.Setup.Campaigns, same):
			return newsroom.Invalid("campaign", "There is a campaign of this name already. Choose another.")
		case len([]rune(c.Goal)) > 400:
			return newsroom.Invalid("goal", "Keep what it is for under 400 characters.")
		case c.FromDay == 0 || c.ToDay == 0:
			return newsroom.Invalid("from", "Say on which days it begins and ends.")
		case c.ToDay < c.FromDay:
			return newsroom.Invalid("to", "The last day lies before the first. Turn them round.")
		case c.ToDay-c.FromDay > 5*366:
			return newsroom.Invalid("to", "A campaign lasts five years at most. Choose a nearer last day.")
		case c.Owner != 0 && !slices.ContainsFunc(a.Setup.Owners(c.DeskID), func(p store.Person) bool { return p.ID == c.Owner }):
			return newsroom.Invalid("campaign_owner", "The owner is one of the desk's leads or staff. Choose one.")
		case c.Target < 0 || c.Target > 5000:
			return newsroom.Invalid("campaign_target", "The pieces aimed at lie between 0 and 5,000.")
		}
		id, err := a.Tx.SaveCampaign(a, c)
		if err != nil {
			return err
		}
		if c.ID == 0 {
			c.ID = id
		}
		before, after := newsroom.Differ(was, c)
		return a.Log(store.Entry{DeskID: c.DeskID, Act: "set up", What: "changed the campaign " + c.Name, Before: before, After: after})
	})
}
