package web

import (
	"errors"
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
)

// refusalIn gives the refusal in an error, nil if there is none.
func refusalIn(err error) *relay.Refusal {
	var r *relay.Refusal
	errors.As(err, &r)
	return r
}

// sent gives the number in the address and the form that was sent there.
func sent(c *echo.Context) (int64, url.Values, error) {
	id, err := pieceID(c)
	if err != nil {
		return 0, nil, err
	}
	form, err := c.FormValues()
	return id, form, err
}

// answered goes on after a form was sent: to another page with a sentence, or back to
// the form with what was refused and typed.
func (s *Server) answered(c *echo.Context, err error, said, to string, again func(status int, r *relay.Refusal) error) error {
	var refusal *relay.Refusal
	if errors.As(err, &refusal) && wantsJSON(c) {
		return c.JSON(statusOf(refusal), map[string]any{"problem": refusal.Text, "field": refusal.Field})
	} else if errors.As(err, &refusal) && refusal.Reason != relay.ErrNotYours {
		return again(statusOf(refusal), refusal)
	} else if err != nil {
		return err
	}
	if wantsJSON(c) {
		return s.done(c, said)
	}
	if said != "" {
		s.say(c, "%s", said)
	}
	return c.Redirect(http.StatusSeeOther, to)
}
