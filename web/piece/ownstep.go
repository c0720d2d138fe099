package piece

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// steps adds the steps of a piece that belong to no leg to its page.
func (s *Section) steps(c *echo.Context, b *newsroom.Setup, v *pieceView) error {
	if !v.Sheet.Inside {
		return nil
	}
	all, err := s.Planning.OwnSteps(c.Request().Context(), kit.Me(c).ID, v.Row.ID)
	if err != nil {
		return err
	}
	v.Steps = kit.NewSteps(b, all, fmt.Sprintf("/pieces/%d#steps", v.Row.ID))
	if v.Steps.None = "What is to be done besides the legs: a picture to ask for, a call to make."; v.Sheet.May[relay.ActPrepare] {
		v.Steps.Add, v.Steps.People = fmt.Sprintf("/pieces/%d/steps", v.Row.ID), b.OnDesk(v.Row.DeskID)
	}
	return nil
}

// addStep writes down a step of a piece that belongs to no leg.
func (s *Section) addStep(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		x, err := kit.StepTyped(form)
		if err != nil {
			return "", err
		}
		x.PieceID = id
		_, err = s.Planning.SaveOwnStep(c.Request().Context(), kit.Me(c).ID, x)
		return "The step is written down.", err
	})
}

// step ticks a step that belongs to no leg, opens it again, or takes it away.
func (s *Section) step(c *echo.Context) error {
	id, form, err := kit.Sent[ref.OwnStep](c)
	if err != nil {
		return err
	}
	ctx, me := c.Request().Context(), kit.Me(c).ID
	if form.Get("do") == "drop" {
		err = s.Planning.DropOwnStep(ctx, me, id)
	} else {
		err = s.Planning.TickOwnStep(ctx, me, id, form.Get("do") == "done")
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, kit.Back(form, "/"))
}
