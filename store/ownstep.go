package store

import (
	"context"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// OwnStep is a step of a piece or of a campaign that belongs to no leg.
type OwnStep struct {
	ID         ref.OwnStep
	DeskID     ref.Desk
	PieceID    ref.Piece    // 0 where it is one of a campaign
	CampaignID ref.Campaign // 0 where it is one of a piece
	Text       string
	PersonID   ref.Person // who does it, 0 is nobody in particular
	Day        day.Date   // by which it is to be done, 0 is none
	Minutes    int        // that it takes
	By         ref.Person // who wrote it down
	At         day.Moment
	ToldDay    day.Date // the day of which they were reminded
	DoneAt     day.Moment
	DoneBy     ref.Person
}

// ownSteps are the steps with their pieces, each on the desk on which its piece is now.
const ownSteps = `SELECT own_step.id, COALESCE(piece.desk_id, own_step.desk_id) AS desk_id, piece_id, own_step.campaign_id, text, person_id, day, minutes, by, at, told_day, done_at, done_by
	FROM own_step LEFT JOIN piece ON piece.id = piece_id WHERE `

// ownStepOrder puts what is open before what is done, by day.
const ownStepOrder = " ORDER BY done_at <> 0, day = 0, day, own_step.id"

// OwnStepsOf reads the steps of a piece that belong to no leg.
func OwnStepsOf(ctx context.Context, r Reader, piece ref.Piece) ([]OwnStep, error) {
	var out []OwnStep
	err := r.Select(ctx, &out, ownSteps+"piece_id = ?"+ownStepOrder, piece)
	return out, err
}

// OwnStepsOfCampaign reads the steps of a campaign.
func OwnStepsOfCampaign(ctx context.Context, r Reader, c ref.Campaign) ([]OwnStep, error) {
	var out []OwnStep
	err := r.Select(ctx, &out, ownSteps+"own_step.campaign_id = ?"+ownStepOrder, c)
	return out, err
}

// OpenSteps reads the steps that are still to be done; those of pieces that are withdrawn are not.
func OpenSteps(ctx context.Context, r Reader) ([]OwnStep, error) {
	var out []OwnStep
	err := r.Select(ctx, &out, ownSteps+"done_at = 0 AND piece.stage IS NOT 'withdrawn'"+ownStepOrder)
	return out, err
}

// OwnStepByID reads a step; ErrNone if there is none.
func OwnStepByID(ctx context.Context, r Reader, id ref.OwnStep) (OwnStep, error) {
	var out OwnStep
	err := r.Get(ctx, &out, ownSteps+"own_step.id = ?", id)
	return out, err
}

// SaveOwnStep stores a step, a new one where it has no id, and gives its id.
func (t *Tx) SaveOwnStep(ctx context.Context, s OwnStep) (ref.OwnStep, error) {
	return save(ctx, t, "own_step", s, s.ID, "desk_id", "piece_id", "campaign_id", "text", "person_id", "day", "minutes", "by", "at", "told_day", "done_at", "done_by")
}

// DropOwnStep removes a step.
func (t *Tx) DropOwnStep(ctx context.Context, id ref.OwnStep) error {
	_, err := t.Exec(ctx, "DELETE FROM own_step WHERE id = ?", id)
	return err
}
