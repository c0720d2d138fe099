package web

import (
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"
)

// what says in a few lines what a change would do, while a hand holds it.
func (s *Server) what(c *echo.Context) error {
	id, err := pieceID(c)
	if err != nil {
		return err
	}
	form := url.Values{}
	for k, v := range c.QueryParams() {
		form[k] = v
	}
	form.Set("piece", strconv.FormatInt(id, 10))
	v, status := s.previewOf(c, form)
	type line struct {
		Text string `json:"text"`
		Tone string `json:"tone"`
	}
	out := []line{{v.Title, "title"}}
	if v.Problem != "" {
		return c.JSON(status, map[string]any{"lines": []line{{v.Problem, "short"}}})
	}
	o := v.Options[0]
	for _, e := range o.Effects {
		if e.Was != e.Is {
			out = append(out, line{e.Is + ", instead of " + lowerFirst(e.Was), e.Tone})
		} else {
			out = append(out, line{e.Is, e.Tone})
		}
		var dates []string
		for _, d := range e.Dates {
			dates = append(dates, d.Leg+" "+d.To)
		}
		if dates != nil {
			out = append(out, line{"Due: " + strings.Join(dates, " · "), ""})
		}
		for _, m := range e.Misfits {
			out = append(out, line{m, "noroom"})
		}
	}
	if o.AlsoSays != "" {
		out = append(out, line{o.AlsoSays, ""})
	}
	for _, p := range o.People {
		out = append(out, line{p.Text, p.Tone})
	}
	for _, cl := range o.Clashes {
		text := cl.Text
		if cl.Free != "" {
			text += " Free: " + cl.Free + "."
		}
		out = append(out, line{text, "short"})
	}
	if o.Calm != "" {
		out = append(out, line{o.Calm, ""})
	}
	return c.JSON(http.StatusOK, map[string]any{"lines": out})
}
