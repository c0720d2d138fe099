package desk

import (
	"context"

	"greenbaton/core/idea"
	"greenbaton/core/plan"
)

// Create makes a piece and begins its first legs. It gives the new piece's id.
func (h *House) Create(ctx context.Context, by int64, d Draft) (int64, error) {
	var id int64
	err := h.act(ctx, by, func(a *act) (err error) {
		id, err = a.create(d)
		return err
	})
	return id, err
}

func (a *act) create(d Draft) (int64, error) {
	board, err := a.h.board(a, a.b, a.now)
	if err != nil {
		return 0, err
	}
	return a.makeOn(board, d)
}

// makeOn makes a piece whose people are chosen by how things stand on a board, of an idea
// where the draft names one, which is used then.
func (a *act) makeOn(board *plan.Board, d Draft) (int64, error) {
	if d.Idea == 0 {
		return a.createOn(board, d)
	}
	i, err := a.idea(d.Idea, idea.ActSee)
	if err != nil {
		return 0, err
	}
	d.Tags, d.Answers = i.Tags, answersOf(i, d.Answers)
	id, err := a.createOn(board, d)
	if err != nil {
		return 0, err
	}
	return id, a.useIdea(d.Idea, id)
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
