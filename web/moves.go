package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

// onPiece carries out an act from a form on the page of a piece. What it says is
// shown on the page it goes back to; a refusal is shown with what was typed.
func (s *Server) onPiece(c *echo.Context, do func(id int64, form url.Values) (string, error)) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	said, err := do(id, form)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && wantsJSON(c) {
		return c.JSON(statusOf(refusal), map[string]any{"problem": refusal.Text, "since": refusal.Unmet, "field": refusal.Field})
	} else if errors.As(err, &refusal) {
		return s.showPiece(c, statusOf(refusal), id, refusal, form)
	} else if err != nil {
		return err
	}
	if wantsJSON(c) {
		return s.done(c, said, id)
	}
	if said != "" {
		s.say(c, "%s", said)
	}
	return c.Redirect(http.StatusSeeOther, back(form, fmt.Sprintf("/pieces/%d", id)))
}

func version(form url.Values) int { return int(int64At(form, "version")) }

func (s *Server) pass(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		o := planning.Pass{Piece: id, Leg: form.Get("leg"), Version: version(form), Why: form.Get("why"), To: map[string]int64{}}
		for k := range form {
			if leg, ok := strings.CutPrefix(k, "to-"); ok {
				o.To[leg] = int64At(form, k)
			}
		}
		ctx := c.Request().Context()
		if err := s.Newsroom.Planning.PassLeg(ctx, me(c).ID, o); err != nil {
			return "", err
		}
		return s.whatNow(c, id, "Passed")
	})
}

// whatNow says where a piece is after it moved.
func (s *Server) whatNow(c *echo.Context, id int64, did string) (string, error) {
	sheet, err := s.Newsroom.Planning.Sheet(c.Request().Context(), me(c).ID, id)
	if errors.Is(err, newsroom.ErrNotFound) { // it has left the view of the one who passed it
		return did + ".", nil
	} else if err != nil {
		return "", err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return "", err
	}
	if sheet.Row.Ready() {
		return did + ". " + says(b, sheet.Row), nil
	}
	return did + ". Now " + runsNow(b, sheet.Row) + ".", nil
}

func (s *Server) back(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		days, err := whole(form, "days", "days", "the days for rework", 0)
		if err != nil {
			return "", err
		}
		o := planning.Back{Piece: id, From: form.Get("leg"), To: form.Get("to"), Version: version(form), Reasons: form.Get("reasons"), Queries: int64sAt(form, "query"), Days: days}
		if err := s.Newsroom.Planning.SendBack(c.Request().Context(), me(c).ID, o); err != nil {
			return "", err
		}
		return s.whatNow(c, id, "Sent back")
	})
}

func (s *Server) skip(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		if err := s.Newsroom.Planning.SkipLeg(c.Request().Context(), me(c).ID, id, form.Get("leg"), version(form), form.Get("why")); err != nil {
			return "", err
		}
		return s.whatNow(c, id, "Skipped")
	})
}

func (s *Server) need(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		return "The leg is back; the dates before it have moved.", s.Newsroom.Planning.NeedLeg(c.Request().Context(), me(c).ID, id, form.Get("leg"), version(form))
	})
}

// take takes an open leg; who comes second is told so among what else is open, since
// they may no longer see the piece.
func (s *Server) take(c *echo.Context) error {
	id, form, err := sent(c)
	if err != nil {
		return err
	}
	if err = s.Newsroom.Planning.TakeLeg(c.Request().Context(), me(c).ID, id, form.Get("leg")); err == nil && wantsJSON(c) {
		return s.done(c, "It is yours now.", id)
	}
	return s.answered(c, err, "It is yours now.", fmt.Sprintf("/pieces/%d", id), func(status int, r *relay.Refusal) error { return s.showOpen(c, status, r) })
}

func (s *Server) tick(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		return "", s.Newsroom.Planning.TickStep(c.Request().Context(), me(c).ID, id, int64At(form, "step"), form.Get("done") == "yes")
	})
}

// left notes how much work is left in a leg, as its holder says.
func (s *Server) left(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		minutes, err := hoursTyped(form.Get("left"))
		if err != nil || strings.TrimSpace(form.Get("left")) == "" {
			return "", noFigure(err, "left", "Write the hours left as a number like 3 or 1.5.")
		}
		return "Noted; the load follows.", s.Newsroom.Planning.Report(c.Request().Context(), me(c).ID, id, form.Get("leg"), minutes, version(form))
	})
}
