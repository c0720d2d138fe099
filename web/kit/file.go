package kit

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

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
	if strings.HasPrefix(f.Type, "audio/") {
		return sendSound(c, f)
	}
	h := c.Response().Header()
	how := "attachment"
	if strings.HasPrefix(f.Type, "image/") {
		how = "inline"
	}
	h.Set("Content-Disposition", how+"; filename*=UTF-8''"+url.PathEscape(f.Name))
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	return c.Blob(http.StatusOK, f.Type, f.Data)
}

// sendSound gives a recording, or the ranges of it that are asked for (RFC 9110, 14), so that it
// can be heard from anywhere.
func sendSound(c *echo.Context, f store.File) error {
	if err := TakesLonger(c.Response()); err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", f.Type)
	h.Set("Content-Disposition", "inline; filename*=UTF-8''"+url.PathEscape(f.Name))
	h.Set("Content-Security-Policy", "default-src 'none'; media-src 'self'; sandbox")
	h.Set("ETag", fmt.Sprintf("%q", fmt.Sprint(int64(f.ID))))
	http.ServeContent(c.Response(), c.Request(), "", f.At.In(time.UTC), bytes.NewReader(f.Data))
	return nil
}
