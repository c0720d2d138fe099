package piece

import (
	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/web/kit"
)

// do shows all that can be done with a piece from a view, as forms: on a page of its
// own, or as a part of one.
func (s *Section) do(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	v, err := s.pieceFor(c, id)
	if err != nil {
		return err
	}
	v.Sketch = c.QueryParam("sketch") != ""
	return s.ShowPart(c, "do", "What can be done with "+v.Row.Title, v)
}
