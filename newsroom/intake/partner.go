package intake

import (
	"context"
	"fmt"

	"greenbaton/newsroom"
	"greenbaton/newsroom/review"
	"greenbaton/store"
)

// AnswerPitchByLink says yes or no to a pitch for who has the private link of the partner
// it went to. It gives the id of the piece, 0 for a no.
func (h Room) AnswerPitchByLink(ctx context.Context, k review.Key, id int64, yes bool, why string) (int64, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return 0, err
	}
	p, err := review.At(h.Newsroom).PartnerOf(ctx, b, k)
	if err != nil {
		return 0, err
	}
	all, err := store.Pitches(ctx, h.DB.View(), "WHERE id = ?", id)
	if err != nil {
		return 0, err
	}
	x := newsroom.FirstOf(all)
	if x.ID == 0 || b.Person(x.Partner).PartnerID != p.ID {
		return 0, fmt.Errorf("pitch %d of partner %d: %w", id, p.ID, newsroom.ErrNotFound)
	}
	return h.AnswerPitch(ctx, x.Partner, id, yes, why)
}
