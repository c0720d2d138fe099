package change

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// hold tells other screens that a piece has been taken up, or let go.
func (s *Section) hold(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	if !kit.Me(c).Access.May(relay.SeeAll) {
		return newsroom.ErrNotFound
	}
	if err := s.Kernel.Hold(c.Request().Context(), kit.Me(c).ID, id, c.FormValue("held") == "yes"); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
