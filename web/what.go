package web

import (
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/desk"
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
	lines := []sentence{{v.Problem, "short"}}
	if v.Problem == "" {
		lines = append([]sentence{{v.Title, "title"}}, inLines(v.Options[0])...)
	}
	return c.JSON(status, map[string]any{"lines": lines})
}

// inLines says a consequence in lines, the answer first.
func inLines(o consequence) []sentence {
	var out []sentence
	say := func(text, tone string) {
		if text != "" {
			out = append(out, sentence{text, tone})
		}
	}
	for _, e := range o.Effects {
		if e.Was != e.Is {
			say(e.Is+", instead of "+desk.LowerFirst(e.Was), e.Tone)
		} else {
			say(e.Is, e.Tone)
		}
		var dates []string
		for _, d := range e.Dates {
			dates = append(dates, d.Leg+" "+d.To)
		}
		if dates != nil {
			say("Due: "+strings.Join(dates, " · "), "")
		}
		for _, m := range e.Misfits {
			say(m, "noroom")
		}
	}
	say(o.AlsoSays, "")
	out = append(out, o.People...)
	for _, cl := range o.Clashes {
		if cl.Free != "" {
			cl.Text += " Free: " + cl.Free + "."
		}
		say(cl.Text, "short")
	}
	say(o.Calm, "")
	return out
}
