package web

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/desk"
	"greenbaton/store"
)

// perPage is how many lines the inbox, the logbooks and the post room show at once.
const perPage = 50

type inboxView struct {
	Items  []inboxItem
	Unread int
	Older  int64
}

type inboxItem struct {
	store.ItemWithTitle
	When string
}

func (s *Server) inbox(c *echo.Context) error {
	ctx, p := c.Request().Context(), me(c)
	items, err := s.House.Inbox(ctx, p.ID, int64At(c.QueryParams(), "below"), perPage)
	if err != nil {
		return err
	}
	b, err := s.House.Books(ctx)
	if err != nil {
		return err
	}
	var v inboxView
	for _, i := range items {
		v.Items = append(v.Items, inboxItem{i, when(b, p, i.At)})
	}
	if len(items) == perPage {
		v.Older = items[len(items)-1].ID
	}
	if v.Unread, err = s.House.Unread(ctx, p.ID); err != nil {
		return err
	}
	return s.show(c, http.StatusOK, "inbox", "Inbox", v)
}

// when writes a moment on the clocks of somebody's first desk.
func when(b *desk.Books, p store.Person, m day.Moment) string {
	if len(p.Desks) == 0 {
		return ""
	}
	return b.At(m, p.Desks[0])
}

// openItem marks a line read and goes to what it is about.
func (s *Server) openItem(c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return desk.ErrNotFound
	}
	i, err := s.House.OpenItem(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	if i.Link != "" {
		return c.Redirect(http.StatusSeeOther, i.Link)
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/pieces/%d", i.PieceID))
}

func (s *Server) readAll(c *echo.Context) error {
	if err := s.House.ReadAll(c.Request().Context(), me(c).ID); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/inbox")
}
