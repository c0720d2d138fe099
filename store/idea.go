package store

import (
	"context"

	"greenbaton/core/idea"
	"greenbaton/core/ref"
)

var ideaColumns = []string{
	"desk_id", "title", "notes", "links", "source", "origin", "phrase", "volume", "difficulty", "reach", "fit", "effort", "tags", "state", "why", "until",
	"piece_id", "by", "caught_at", "settled_by", "settled_at", "batch_id", "key", "version",
}

// AllIdeas reads every idea, by id.
func AllIdeas(ctx context.Context, r Reader) ([]idea.Idea, error) {
	var out []idea.Idea
	err := r.Select(ctx, &out, "SELECT * FROM idea ORDER BY id")
	return out, err
}

// IdeaByKey gives the id of the idea that somebody caught under a key; ErrNone if there
// is none.
func IdeaByKey(ctx context.Context, r Reader, by ref.Person, key string) (id ref.Idea, err error) {
	err = r.Get(ctx, &id, "SELECT id FROM idea WHERE by = ? AND key = ?", by, key)
	return id, err
}

// SaveIdea stores an idea, a new one where it has no id, and gives its id.
func (t *Tx) SaveIdea(ctx context.Context, i idea.Idea) (ref.Idea, error) {
	return save(ctx, t, "idea", i, i.ID, ideaColumns...)
}

// DropIdea removes an idea that was caught by mistake.
func (t *Tx) DropIdea(ctx context.Context, id ref.Idea) error {
	_, err := t.Exec(ctx, "DELETE FROM idea WHERE id = ?", id)
	return err
}

// IdeasOfPiece gives the ideas that became a piece.
func IdeasOfPiece(ctx context.Context, r Reader, piece ref.Piece) ([]idea.Idea, error) {
	var out []idea.Idea
	err := r.Select(ctx, &out, "SELECT * FROM idea WHERE piece_id = ?", piece)
	return out, err
}
