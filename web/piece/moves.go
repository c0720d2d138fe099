package piece

import (
	"errors"
	"fmt"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/web/kit"
)

func (s *Section) pass(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		o := planning.Pass{Piece: id, Leg: form.Get("leg"), Version: kit.Version(form), Why: form.Get("why"), To: map[string]ref.Person{}}
		for k := range form {
			if leg, ok := strings.CutPrefix(k, "to-"); ok {
				o.To[leg] = kit.Int[ref.Person](form, k)
			}
		}
		ctx := c.Request().Context()
		if err := s.Planning.PassLeg(ctx, kit.Me(c).ID, o); err != nil {
			return "", err
		}
		return s.whatNow(c, id, "Passed")
	})
}

// whatNow says where a piece is after it moved.
func (s *Section) whatNow(c *echo.Context, id ref.Piece, did string) (string, error) {
	sheet, err := s.Planning.Sheet(c.Request().Context(), kit.Me(c).ID, id)
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
		return did + ". " + kit.Says(b, sheet.Row), nil
	}
	return did + ". Now " + kit.RunsNow(b, sheet.Row) + ".", nil
}

func (s *Section) back(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		days, err := kit.Whole(form, "days", "days", "the days for rework", 0)
		if err != nil {
			return "", err
		}
		o := planning.Back{Piece: id, From: form.Get("leg"), To: form.Get("to"), Version: kit.Version(form), Reasons: form.Get("reasons"), Queries: kit.Ints[ref.Query](form, "query"), Days: days}
		if err := s.Planning.SendBack(c.Request().Context(), kit.Me(c).ID, o); err != nil {
			return "", err
		}
		return s.whatNow(c, id, "Sent back")
	})
}

func (s *Section) skip(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		if err := s.Planning.SkipLeg(c.Request().Context(), kit.Me(c).ID, id, form.Get("leg"), kit.Version(form), form.Get("why")); err != nil {
			return "", err
		}
		return s.whatNow(c, id, "Skipped")
	})
}

func (s *Section) need(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		return "The leg is back; the dates before it have moved.", s.Planning.NeedLeg(c.Request().Context(), kit.Me(c).ID, id, form.Get("leg"), kit.Version(form))
	})
}

// askFor asks whoever has to see to it for what a leg still wants.
func (s *Section) askFor(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		return "Asked. It stands on their Today until it is there.", s.Planning.AskForLack(c.Request().Context(), kit.Me(c).ID, id, form.Get("leg"), form.Get("what"))
	})
}

// begin lets a piece begin that was kept without.
func (s *Section) begin(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		if err := s.Planning.Begin(c.Request().Context(), kit.Me(c).ID, id, kit.Version(form)); err != nil {
			return "", err
		}
		return s.whatNow(c, id, "Begun")
	})
}

// take takes an open leg; who comes second is told so among what else is open, since
// they may no longer see the piece.
func (s *Section) take(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Piece](c)
	if err != nil {
		return err
	}
	if err = s.Planning.TakeLeg(c.Request().Context(), kit.Me(c).ID, id, form.Get("leg")); err == nil && kit.WantsJSON(c) {
		return s.Done(c, "It is yours now.", id)
	}
	return s.Answered(c, err, "It is yours now.", fmt.Sprintf("/pieces/%d", id), func(status int, r *relay.Refusal) error { return s.showOpen(c, status, r) })
}

func (s *Section) tick(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		return "", s.Planning.TickStep(c.Request().Context(), kit.Me(c).ID, id, kit.Int[ref.Step](form, "step"), form.Get("done") == "yes")
	})
}

// left notes how much work is left in a leg, as its holder says.
func (s *Section) left(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		minutes, err := kit.HoursTyped(form.Get("left"))
		if err != nil || strings.TrimSpace(form.Get("left")) == "" {
			return "", kit.NoFigure(err, "left", "Write the hours left as a number like 3 or 1.5.")
		}
		return "Noted; the load follows.", s.Planning.Report(c.Request().Context(), kit.Me(c).ID, id, form.Get("leg"), minutes, kit.Version(form))
	})
}
