package intake

import (
	"context"

	"greenbaton/core/idea"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

// Create makes a piece and begins its first legs. It gives the new piece's id.
func (h Backlog) Create(ctx context.Context, by ref.Person, d planning.Draft) (ref.Piece, error) {
	var id ref.Piece
	err := h.Do(ctx, by, func(a *newsroom.Command) (err error) {
		id, err = create(a, d)
		return err
	})
	return id, err
}

func create(a *newsroom.Command, d planning.Draft) (ref.Piece, error) {
	board, err := a.Newsroom.BoardAt(a, a.Setup, a.Now)
	if err != nil {
		return 0, err
	}
	return makeOn(a, board, d)
}

// makeOn makes a piece whose people are chosen by how things stand on a board, of an idea
// where the draft names one, which is used then.
func makeOn(a *newsroom.Command, board *plan.Board, d planning.Draft) (ref.Piece, error) {
	if d.Idea == 0 {
		return planning.CreateOn(a, board, d)
	}
	i, err := heldIdea(a, d.Idea, idea.ActSee)
	if err != nil {
		return 0, err
	}
	d.Tags, d.Answers = i.Tags, answersOf(i, d.Answers)
	id, err := planning.CreateOn(a, board, d)
	if err != nil {
		return 0, err
	}
	return id, useIdea(a, d.Idea, id)
}

// answersOf adds to the answers of a brief what an idea knows of them.
func answersOf(i idea.Idea, answers map[string]string) map[string]string {
	out := map[string]string{"phrase": i.Phrase, "links": i.Links}
	for k, v := range answers {
		if v != "" {
			out[k] = v
		}
	}
	return out
}
