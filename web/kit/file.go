package kit

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/store"
)

// GiveFile sends a file, of a picture the small version where that is asked for.
func (s *Server) GiveFile(c *echo.Context, f store.File) (err error) {
	if c.QueryParam("small") != "" {
		if f, err = s.Copyroom.Shown(c.Request().Context(), f); err != nil {
			return err
		}
	}
	return SendFile(c, f)
}

// SendFile answers with the bytes of a file, as something to be kept unless it is a picture.
func SendFile(c *echo.Context, f store.File) error {
	h := c.Response().Header()
	how := "attachment"
	if strings.HasPrefix(f.Type, "image/") {
		how = "inline"
	}
	h.Set("Content-Disposition", how+"; filename*=UTF-8''"+url.PathEscape(f.Name))
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	return c.Blob(http.StatusOK, f.Type, f.Data)
}
