package web

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/newsroom"
	"greenbaton/store"
)

type postView struct {
	Mails []postLine
	To    string
	Older int64
	One   *postLine
	Dead  int // given up, of all
}

type postLine struct {
	store.Message
	When  string
	State string
	Dead  bool
	Hook  bool
}

func (s *Server) postLine(b *newsroom.Setup, p store.Person, m store.Message) postLine {
	x := postLine{Message: m, When: when(b, p, m.At)}
	x.Dead, x.Hook = m.Dead(), m.Kind == store.KindHook
	switch {
	case x.Dead:
		x.State = fmt.Sprintf("given up after %d tries: %s", m.Tries, m.Problem)
	case m.SentAt != 0:
		x.State = "delivered"
	case m.Tries > 0:
		x.State = "failed, tried again " + when(b, p, m.NextAt) + ": " + m.Problem
	default:
		x.State = "waiting"
	}
	return x
}

func (s *Server) postRoom(c *echo.Context) error {
	ctx, p := c.Request().Context(), me(c)
	v := postView{To: c.QueryParam("to")}
	ms, err := s.Newsroom.Notify.PostRoom(ctx, p.ID, v.To, int64At(c.QueryParams(), "below"), perPage)
	if err != nil {
		return err
	}
	if v.Dead, err = s.Newsroom.Notify.DeadLetters(ctx, p.ID); err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	for _, m := range ms {
		v.Mails = append(v.Mails, s.postLine(b, p, m))
	}
	if len(ms) == perPage {
		v.Older = ms[len(ms)-1].ID
	}
	return s.show(c, http.StatusOK, "post", "Post room", v)
}

func (s *Server) postRoomMail(c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return newsroom.ErrNotFound
	}
	m, err := s.Newsroom.Notify.PostRoomMail(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	one := s.postLine(b, me(c), m)
	if one.Hook {
		one.To = one.Subject
	}
	return s.show(c, http.StatusOK, "post", m.Subject, postView{One: &one})
}
