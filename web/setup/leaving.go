package setup

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/web/kit"
)

// endAccess ends somebody's access at once, or gives it back.
func (s *Section) endAccess(c *echo.Context) error {
	id, form, err := kit.Sent[ref.Person](c)
	if err != nil {
		return err
	}
	ended := form.Get("do") == "end"
	if !ended && form.Get("do") != "back" {
		return newsroom.ErrNotFound
	}
	err = s.Account.EndAccess(c.Request().Context(), kit.Me(c).ID, kit.Here(c), id, ended)
	said := map[bool]string{true: "Their access is ended. What they still have is listed; give it to others.", false: "They can sign in again."}[ended]
	return s.Answered(c, err, said, fmt.Sprintf("/people/%d", id), func(status int, r *relay.Refusal) error { return s.showPerson(c, status, r, nil) })
}

// standIn says who stands in for somebody during days off.
func (s *Section) standIn(c *echo.Context) error {
	id, form, err := kit.Sent[int64](c)
	if err != nil {
		return err
	}
	err = s.Review.SetStandIn(c.Request().Context(), kit.Me(c).ID, kit.Int[ref.Absence](form, "absence"), kit.Int[ref.Person](form, "standin"))
	return s.Answered(c, err, "It is noted.", fmt.Sprintf("/people/%d", id), func(status int, r *relay.Refusal) error { return s.showPerson(c, status, r, nil) })
}
