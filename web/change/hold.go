package change

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// hold tells other screens that a piece has been taken up, or let go. Whoever may not do with
// it what it is taken up for is told at once.
func (s *Section) hold(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	if !kit.Me(c).Access.May(relay.SeeAll) {
		return newsroom.ErrNotFound
	}
	if do := c.FormValue("do"); do != "" {
		if err := s.Planning.TakeUp(c.Request().Context(), kit.Me(c).ID, plan.Change{Do: plan.Do(do), Piece: id, Leg: c.FormValue("leg")}); err != nil {
			return err
		}
	}
	if err := s.Kernel.Hold(c.Request().Context(), kit.Me(c).ID, id, c.FormValue("held") == "yes"); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
