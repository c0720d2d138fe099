package setup

import (
	"archive/zip"
	"errors"
	"fmt"
	"net/http"
	"os"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/english"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// outView is how much would go out.
type outView struct{ Answer string }

// outPage says what goes out when everything is taken.
func (s *Section) outPage(c *echo.Context) error {
	ctx := c.Request().Context()
	sum, err := s.Moving.Sum(ctx, kit.Me(c).ID, kit.Here(c))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	return s.Show(c, http.StatusOK, "out", "Moving out", outView{fmt.Sprintf("Everything of %s as one archive of open files: %s with their copies, %s (%s), %s of the logbook, and all that is set up.",
		b.Desk(kit.Here(c)).Name, english.Plural(sum.Pieces, "piece"), english.Plural(sum.Files, "file"), english.Size(sum.Bytes), english.Plural(sum.Entries, "line"))})
}

// takeOut gives everything of a desk as an archive. It is made whole before any of it is sent, so that a
// file that arrived is one that can be brought in.
func (s *Section) takeOut(c *echo.Context) (err error) {
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	if err := kit.TakesLonger(c.Response()); err != nil {
		return err
	}
	f, err := os.CreateTemp("", "greenbaton-out")
	if err != nil {
		return fmt.Errorf("make the archive: %w", err)
	}
	defer func() { err = errors.Join(err, f.Close(), os.Remove(f.Name())) }()
	z := zip.NewWriter(f)
	m, err := s.Moving.TakeOut(ctx, kit.Me(c).ID, kit.Here(c), z, s.WritePage)
	if err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("make the archive: %w", err)
	}
	name := fmt.Sprintf("%s-%s.zip", strings.TrimPrefix(newsroom.Slug(b.Desk(kit.Here(c)).Name, 0), "0-"), m.At.Format("2006-01-02"))
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	c.Response().Header().Set("Content-Type", "application/zip")
	http.ServeContent(c.Response(), c.Request(), name, m.At, f)
	return nil
}
