package store

import (
	"context"

	"greenbaton/core/day"
)

// Topic is what pieces are about, for the mix of a desk.
type Topic struct {
	ID      int64
	DeskID  int64
	Name    string
	Target  int // pieces in four weeks
	Retired bool
}

// SaveTopic stores a topic, a new one where it has no id, and gives its id.
func (t *Tx) SaveTopic(ctx context.Context, x Topic) (int64, error) {
	return t.save(ctx, "topic", x, x.ID, "desk_id", "name", "target", "retired")
}

// Campaign is a run of pieces with an aim.
type Campaign struct {
	ID      int64
	DeskID  int64
	Name    string
	Goal    string // what it is for
	FromDay day.Date
	ToDay   day.Date
	Target  int // pieces
	Retired bool
}

// SaveCampaign stores a campaign, a new one where it has no id, and gives its id.
func (t *Tx) SaveCampaign(ctx context.Context, x Campaign) (int64, error) {
	return t.save(ctx, "campaign", x, x.ID, "desk_id", "name", "goal", "from_day", "to_day", "target", "retired")
}
