package web

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"greenbaton/core/day"
	"greenbaton/core/field"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
)

// answerView is an extra field of a piece with what is filled in or was typed.
type answerView struct {
	planning.Answer
	Shown   string
	Typed   string
	Input   string // its name among the fields of the form
	Options []optionView
}

type optionView struct {
	Text string
	Is   bool
}

// newAnswers shows the extra fields of a piece; with again, as they were typed.
func newAnswers(s planning.Sheet, typed url.Values, again bool) []answerView {
	var out []answerView
	for _, a := range s.Answers {
		v := answerView{Answer: a, Shown: a.Value, Typed: a.Value, Input: "field-" + a.Key}
		chosen := strings.Split(a.Value, "\n")
		if name := fmt.Sprintf("field-%d", a.ID); again {
			chosen, v.Typed = typed[name], typed.Get(name)
		}
		if a.Kind == field.Yes && a.Value != "" {
			v.Shown = map[string]string{"yes": "Yes", "no": "No"}[a.Value]
		}
		if a.Kind == field.Date && a.Value != "" {
			if d, err := day.ParseDate(a.Value); err == nil {
				v.Shown = newsroom.Short(d)
			}
		}
		for _, c := range a.Field.Field().Choices {
			v.Options = append(v.Options, optionView{c, slices.Contains(chosen, c)})
		}
		out = append(out, v)
	}
	return out
}

// fields fills in extra fields of a piece.
func (s *Server) fields(c *echo.Context) error {
	return s.onPiece(c, func(id int64, form url.Values) (string, error) {
		typed := map[int64][]string{}
		for k := range form {
			if f, ok := strings.CutPrefix(k, "field-"); ok {
				if n, err := strconv.ParseInt(f, 10, 64); err == nil {
					typed[n] = form[k]
				}
			}
		}
		return "The fields are saved.", s.Newsroom.Planning.Fill(c.Request().Context(), me(c).ID, id, version(form), typed)
	})
}
