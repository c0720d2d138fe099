package kit

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/field"
	"greenbaton/newsroom/planning"
)

// AnswerView is an extra field of a piece with what is filled in or was typed.
type AnswerView struct {
	planning.Answer
	Shown   string
	Typed   string
	Input   string // its name among the fields of the form
	Options []OptionView
}

// OptionView is one of the answers to choose from.
type OptionView struct {
	Text string
	Is   bool
}

// NewAnswers shows the extra fields of a piece; with again, as they were typed.
func NewAnswers(s planning.Sheet, typed url.Values, again bool) []AnswerView {
	var out []AnswerView
	for _, a := range s.Answers {
		v := AnswerView{Answer: a, Shown: a.Value, Typed: a.Value, Input: "field-" + a.Key}
		chosen := strings.Split(a.Value, "\n")
		if name := fmt.Sprintf("field-%d", a.ID); again {
			chosen, v.Typed = typed[name], typed.Get(name)
		}
		if a.Kind == field.Yes && a.Value != "" {
			v.Shown = map[string]string{"yes": "Yes", "no": "No"}[a.Value]
		}
		if a.Kind == field.Date && a.Value != "" {
			if d, err := day.ParseDate(a.Value); err == nil {
				v.Shown = english.Date(d)
			}
		}
		for _, c := range a.Field.Field().Choices {
			v.Options = append(v.Options, OptionView{c, slices.Contains(chosen, c)})
		}
		out = append(out, v)
	}
	return out
}
