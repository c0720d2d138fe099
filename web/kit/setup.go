package kit

import (
	"errors"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
)

// SetUp carries out an act from a form of the set-up. Find finds what the address
// names, do carries the act out and says where to go, and a refusal is shown by show
// with what was typed. Whatever it changed, how every piece stands is worked out then.
func SetUp[T any](s *Server, c *echo.Context, find func(*echo.Context, *newsroom.Setup) (T, error),
	do func(*newsroom.Setup, T, url.Values) (to string, err error), show func(status int, r *relay.Refusal, typed url.Values) error) error {
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	b, err := s.Newsroom.Setup(ctx)
	if err != nil {
		return err
	}
	what, err := find(c, b)
	if err != nil {
		return err
	}
	to, err := do(b, what, form)
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return show(StatusOf(refusal), refusal, form)
	} else if err != nil {
		return err
	}
	if to == "" { // it was shown already
		return nil
	}
	s.Newsroom.Refresh(ctx)
	return c.Redirect(http.StatusSeeOther, to)
}
