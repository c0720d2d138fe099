package inbox

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type postView struct {
	Mails []postLine
	To    string
	Older ref.Message
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

func (s *Section) postLine(b *newsroom.Setup, p store.Person, m store.Message) postLine {
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

func (s *Section) postRoom(c *echo.Context) error {
	ctx, p := c.Request().Context(), kit.Me(c)
	v := postView{To: c.QueryParam("to")}
	ms, err := s.Notify.PostRoom(ctx, p.ID, v.To, kit.Int[ref.Message](c.QueryParams(), "below"), kit.PerPage)
	if err != nil {
		return err
	}
	if v.Dead, err = s.Notify.DeadLetters(ctx, p.ID); err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	for _, m := range ms {
		v.Mails = append(v.Mails, s.postLine(b, p, m))
	}
	if len(ms) == kit.PerPage {
		v.Older = ms[len(ms)-1].ID
	}
	return s.Show(c, http.StatusOK, "post", "Outgoing mail", v)
}

func (s *Section) postRoomMail(c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return newsroom.ErrNotFound
	}
	m, err := s.Notify.PostRoomMail(c.Request().Context(), kit.Me(c).ID, ref.Message(id))
	if err != nil {
		return err
	}
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	one := s.postLine(b, kit.Me(c), m)
	if one.Hook {
		one.To = one.Subject
	}
	return s.Show(c, http.StatusOK, "post", m.Subject, postView{One: &one})
}
