package piece

import (
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/web/kit"
)

// fields fills in extra fields of a piece.
func (s *Section) fields(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		typed := map[ref.Field][]string{}
		for k := range form {
			if f, ok := strings.CutPrefix(k, "field-"); ok {
				if n, err := strconv.ParseInt(f, 10, 64); err == nil {
					typed[ref.Field(n)] = form[k]
				}
			}
		}
		return "The fields are saved.", s.Planning.Fill(c.Request().Context(), kit.Me(c).ID, id, kit.Version(form), typed)
	})
}
