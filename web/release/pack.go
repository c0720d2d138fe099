package release

import (
	"bytes"
	"mime"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// pack gives a piece with all that goes with it as one file.
func (s *Section) pack(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	x, err := s.Release.Pack(ctx, kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	p := format.Package{Title: x.Row.Title, Text: x.Text, Sheet: x.Says(b, strings.TrimRight(s.Base, "/")), At: s.Newsroom.Now().In(b.Zones[x.Row.DeskID])}
	for _, y := range x.Pictures {
		sized := map[int]format.Picture{}
		for _, z := range y.Sized {
			sized[z.Width] = format.Picture{Name: y.Name, Type: z.Type, Data: z.Data}
		}
		p.Pictures = append(p.Pictures, format.PackedPicture{Picture: format.Picture{Name: y.Name, Type: y.Type, Data: y.Data}, File: y.ID, Alt: y.Alt, Caption: y.Caption, Lead: y.Lead, Sized: sized})
	}
	var out bytes.Buffer
	if err := p.Write(&out); err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": newsroom.Slug(x.Row.Title, x.Row.Number) + ".zip"}))
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	return c.Blob(http.StatusOK, "application/zip", out.Bytes())
}
