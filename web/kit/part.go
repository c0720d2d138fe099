package kit

import (
	"bytes"
	"fmt"
	"greenbaton/core/ref"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"
)

// ShowPart shows a page, or for a script that asks for it only the part of its name.
func (s *Server) ShowPart(c *echo.Context, page, title string, v any) error {
	if c.Request().Header.Get("X-Part") != "" {
		return s.Render(c, http.StatusOK, page, page+"-part", v)
	}
	return s.Show(c, http.StatusOK, page, title, v)
}

// Tab is one of several lists on a page.
type Tab struct {
	Key, Name string
	Is        bool
	Link      template.URL
}

// LabelView is a fact of a piece that is changed by itself.
type LabelView struct{ Key, Name, Value string }

// Part is a piece of a view that is drawn anew by itself when something in it changes.
type Part struct {
	Key      string
	Template string
	Data     any
	Has      func(piece ref.Piece) bool // nil for what follows from all pieces
}

// ShowView shows a view, or only those parts of it that some pieces are or were in:
// what a page asks for when it hears that they changed.
func (s *Server) ShowView(c *echo.Context, page, title string, v any, parts []Part) error {
	h := c.Request().Header
	if h.Get("X-Pieces") == "" {
		return s.Show(c, http.StatusOK, page, title, v)
	}
	keys := strings.Split(h.Get("X-Parts"), ",")
	var pieces []ref.Piece
	for p := range strings.SplitSeq(h.Get("X-Pieces"), ",") {
		if id, err := strconv.ParseInt(p, 10, 64); err == nil {
			pieces = append(pieces, ref.Piece(id))
		}
	}
	t, ok := s.pages.byName[page]
	if !ok {
		return fmt.Errorf("no template %s", page)
	}
	out := map[string]string{}
	for _, x := range parts {
		if x.Has != nil && !slices.Contains(keys, x.Key) && !slices.ContainsFunc(pieces, x.Has) {
			continue
		}
		var b bytes.Buffer
		if err := t.ExecuteTemplate(&b, x.Template, x.Data); err != nil {
			return fmt.Errorf("render %s: %w", x.Template, err)
		}
		out[x.Key] = b.String()
	}
	return c.JSON(http.StatusOK, map[string]any{"parts": out})
}
