package copy

import (
	"bytes"
	"fmt"
	"mime"
	"net/http"
	"net/url"
	"path"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"greenbaton/core/copy"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/format"
	"greenbaton/newsroom"
	"greenbaton/newsroom/copyroom"
	"greenbaton/web/kit"
)

// giveCopy gives the copy of a piece as a file: docx, md or html.
func (s *Section) giveCopy(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	text, row, err := s.Copyroom.Given(c.Request().Context(), kit.Me(c).ID, id)
	if err != nil {
		return err
	}
	picture := func(file ref.File) string { return fmt.Sprintf("%s/pieces/%d/pictures/%d", s.Base, id, file) }
	var data []byte
	kind := ""
	switch c.Param("as") {
	case "docx":
		kind = "application/vnd.openxmlformats-officedocument.wordprocessingml.document"
		if data, err = format.DOCX(row.Title, text, s.docxPicture(c, id)); err != nil {
			return err
		}
	case "md":
		kind = "text/markdown; charset=utf-8"
		data = []byte("# " + strings.Join(strings.Fields(row.Title), " ") + "\n\n" + format.Markdown(text, picture))
	case "html":
		kind = "text/html; charset=utf-8"
		data = []byte(format.HTMLPage(row.Title, text, picture))
	default:
		return newsroom.ErrNotFound
	}
	h := c.Response().Header()
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": newsroom.Slug(row.Title, row.Number) + "." + c.Param("as")}))
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	return c.Blob(http.StatusOK, kind, data)
}

// docxPicture gives the pictures of a copy for a document; one that cannot be read is none.
func (s *Section) docxPicture(c *echo.Context, id ref.Piece) func(ref.File) (format.Picture, bool) {
	return func(file ref.File) (format.Picture, bool) {
		f, err := s.Copyroom.Picture(c.Request().Context(), kit.Me(c).ID, id, file)
		return format.Picture{Name: f.Name, Type: f.Type, Data: f.Data}, err == nil
	}
}

// takeCopy brings a file into the copy of a piece.
func (s *Section) takeCopy(c *echo.Context) error {
	return s.OnPiece(c, func(id ref.Piece, form url.Values) (string, error) {
		text, err := readCopyFile(c)
		if err != nil {
			return "", err
		}
		return "The file is in the copy. What was there before is kept as a version.", s.Copyroom.TakeIn(c.Request().Context(), kit.Me(c).ID, id, text, form.Get("where") == "instead")
	})
}

// readCopyFile reads the words of a file that was sent: a word processor's document,
// Markdown, a page, or plain text.
func readCopyFile(c *echo.Context) (copy.Text, error) {
	name, b, err := kit.SentFile(c, "file", copyroom.MaxFile+1)
	if err != nil {
		return nil, err
	}
	switch {
	case len(b) == 0:
		return nil, kit.Input("file", "Choose a file: DOCX, Markdown, HTML or plain text.")
	case len(b) > copyroom.MaxFile:
		return nil, kit.Input("file", fmt.Sprintf("“%s” is larger than %d MB. Take the pictures out of it, or split it.", name, copyroom.MaxFile>>20))
	}
	var text copy.Text
	ending := strings.ToLower(path.Ext(name))
	if ending != ".docx" && (!utf8.Valid(b) || bytes.ContainsRune(b, 0)) {
		return nil, kit.Input("file", fmt.Sprintf("“%s” is not text in UTF-8. Save it as UTF-8, and send that.", name))
	}
	switch ending {
	case ".docx":
		text, err = format.FromDOCX(b)
	case ".md", ".markdown":
		text, err = format.FromMarkdown(b)
	case ".html", ".htm":
		text, err = format.FromHTML(b)
	case ".txt":
		text = copy.FromPlain(strings.ReplaceAll(string(b), "\r", ""))
	default:
		return nil, kit.Input("file", fmt.Sprintf("“%s” is of a kind that cannot be read here. Send DOCX, Markdown, HTML or plain text.", name))
	}
	if err != nil {
		return nil, &relay.Refusal{Reason: relay.ErrInput, Field: "file", Text: fmt.Sprintf("“%s” could not be read: %s. Save it again in the program it comes from, and send that.", name, err)}
	}
	return text, nil
}

// picture gives a picture in the copy of a piece.
func (s *Section) picture(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	file, err := strconv.ParseInt(c.Param("file"), 10, 64)
	if err != nil {
		return newsroom.ErrNotFound
	}
	f, err := s.Copyroom.Picture(c.Request().Context(), kit.Me(c).ID, id, ref.File(file))
	if err != nil {
		return err
	}
	return s.GiveFile(c, f)
}

// addPicture stores a picture for a copy and says which file it is.
func (s *Section) addPicture(c *echo.Context) error {
	id, err := kit.ID[ref.Piece](c)
	if err != nil {
		return err
	}
	file, err := kit.Upload(c, "picture")
	if err != nil {
		return err
	}
	picture, err := s.Copyroom.AddPicture(c.Request().Context(), kit.Me(c).ID, id, file)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"picture": fmt.Sprint(picture)})
}
