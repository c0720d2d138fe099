package piece

import (
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// follow follows a piece, mutes it, or makes it as usual.
func (s *Section) follow(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		said := map[string]string{store.Follows: "You follow it: what happens to it is in your inbox.", store.Mutes: "You hear nothing of it but what is with you.", "": "You hear of it as usual."}[form.Get("how")]
		return said, s.Notify.FollowPiece(c.Request().Context(), kit.Me(c).ID, id, form.Get("how"))
	})
}
