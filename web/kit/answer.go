package kit

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// RefusalIn gives the refusal in an error, nil if there is none.
func RefusalIn(err error) *relay.Refusal {
	var r *relay.Refusal
	errors.As(err, &r)
	return r
}

// Sent gives the number in the address and the form that was sent there.
func Sent[T ~int64](c *echo.Context) (T, url.Values, error) {
	id, err := ID[T](c)
	if err != nil {
		return 0, nil, err
	}
	form, err := c.FormValues()
	return id, form, err
}

// Answered goes on after a form was sent: to another page with a sentence, or back to
// the form with what was refused and typed.
func (s *Server) Answered(c *echo.Context, err error, said, to string, again func(status int, r *relay.Refusal) error) error {
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && WantsJSON(c) {
		return c.JSON(StatusOf(refusal), map[string]any{"problem": refusal.Text, "field": refusal.Field})
	} else if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return again(StatusOf(refusal), refusal)
	} else if err != nil {
		return err
	}
	if WantsJSON(c) {
		return s.Done(c, said)
	}
	if said != "" {
		s.Say(c, "%s", said)
	}
	return c.Redirect(http.StatusSeeOther, to)
}

// Done answers an act on a view: what was done, the number to take it back by, and the
// pieces it concerns.
func (s *Server) Done(c *echo.Context, said string, pieces ...ref.Piece) error {
	u, err := s.Newsroom.LastUndo(c.Request().Context(), Me(c).ID)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"said": said, "undo": u.ID, "pieces": pieces})
}

// PiecesOf gives the pieces that changes are about.
func PiecesOf(changes []plan.Change) []ref.Piece {
	var out []ref.Piece
	for _, c := range changes {
		if c.Piece != 0 && !slices.Contains(out, c.Piece) {
			out = append(out, c.Piece)
		}
	}
	return out
}

// OnPiece carries out an act from a form on the page of a piece. What it says is
// shown on the page it goes back to; a refusal is shown with what was typed.
func (s *Server) OnPiece(c *echo.Context, do func(id ref.Piece, form url.Values) (string, error)) error {
	id, form, err := Sent[ref.Piece](c)
	if err != nil {
		return err
	}
	said, err := do(id, form)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && WantsJSON(c) {
		return c.JSON(StatusOf(refusal), map[string]any{"problem": refusal.Text, "since": refusal.Unmet, "field": refusal.Field})
	} else if errors.As(err, &refusal) {
		return s.ShowPiece(c, StatusOf(refusal), id, refusal, form)
	} else if err != nil {
		return err
	}
	if WantsJSON(c) {
		return s.Done(c, said, id)
	}
	if said != "" {
		s.Say(c, "%s", said)
	}
	return c.Redirect(http.StatusSeeOther, Back(form, fmt.Sprintf("/pieces/%d", id)))
}
