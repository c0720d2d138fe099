package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Topic is what pieces are about, for the mix of a desk.
type Topic struct {
	ID      ref.Topic
	DeskID  ref.Desk
	Name    string
	Target  int // pieces in four weeks
	Retired bool
}

// SaveTopic stores a topic, a new one where it has no id, and gives its id.
func (t *Tx) SaveTopic(ctx context.Context, x Topic) (ref.Topic, error) {
	return save(ctx, t, "topic", x, x.ID, "desk_id", "name", "target", "retired")
}

// Campaign is a run of pieces with an aim.
type Campaign struct {
	ID      ref.Campaign
	DeskID  ref.Desk
	Name    string
	Goal    string // what it is for
	FromDay day.Date
	ToDay   day.Date
	Target  int // pieces
	Owner   ref.Person
	Retired bool
}

// SaveCampaign stores a campaign, a new one where it has no id, and gives its id.
func (t *Tx) SaveCampaign(ctx context.Context, x Campaign) (ref.Campaign, error) {
	return save(ctx, t, "campaign", x, x.ID, "desk_id", "name", "goal", "from_day", "to_day", "target", "owner", "retired")
}
