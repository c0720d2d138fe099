package web

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/copy"
	"greenbaton/core/relay"
)

// saveCopy takes the copy from the editor: {"base": 7, "ops": [...]}. The answer
// says the newest version, and whether the text was kept aside because somebody
// else had saved meanwhile.
func (s *Server) saveCopy(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	var in struct {
		Base int
		Ops  json.RawMessage
	}
	b, err := io.ReadAll(io.LimitReader(c.Request().Body, copy.MaxBytes*2))
	if err != nil {
		return err
	}
	if json.Unmarshal(b, &in) != nil {
		return &relay.Refusal{Reason: relay.ErrInput, Text: "The copy was not saved: it could not be read. Reload the page and try again."}
	}
	saved, err := s.House.SaveCopy(c.Request().Context(), me(c).ID, id, in.Base, in.Ops)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"version": saved.Version, "words": saved.Words, "aside": saved.Aside, "at": s.clockOf(c)})
}

// clockOf gives the time of day on the clocks of the desk of whoever is signed in.
func (s *Server) clockOf(c *echo.Context) string {
	b, err := s.House.Books(c.Request().Context())
	if p := me(c); err == nil && len(p.Desks) > 0 {
		return s.House.Now().In(b.Zones[p.Desks[0]]).Format("15:04")
	}
	return ""
}

// newestCopy gives the editor the newest copy.
func (s *Server) newestCopy(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	x, err := s.House.Newest(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"version": x.Version, "words": x.Words, "ops": json.RawMessage(x.Text)})
}

// aside deals with a text that was kept beside the copy.
func (s *Server) aside(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		ctx, aside := c.Request().Context(), int64At(form, "aside")
		if form.Get("do") == "use" {
			return "That text is the copy now; the one before it is kept as a version.", s.House.UseAside(ctx, me(c).ID, id, aside)
		}
		return "The text is put away.", s.House.DropAside(ctx, me(c).ID, id, aside)
	})
}
