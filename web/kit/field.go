package kit

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/field"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
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

// Priorities are those of a piece, the highest first.
var Priorities = []relay.Priority{relay.First, relay.High, relay.Usual, relay.CanWait}

// priorities are the same, as they are chosen from.
var priorities = func() []Option {
	var out []Option
	for _, p := range Priorities {
		out = append(out, Option{Value: strconv.Itoa(int(p)), Name: newsroom.SayPriority(p)})
	}
	return out
}()

// PriorityOf reads a priority that was chosen; nil for none.
func PriorityOf(form url.Values) *relay.Priority {
	n, err := strconv.Atoi(form.Get("priority"))
	if err != nil {
		return nil
	}
	p := relay.Priority(n)
	return &p
}

// Asked shows the extra fields of a format as a form asks for them: with what was typed, or,
// where nothing was, with what its pieces begin with.
func Asked(b *newsroom.Setup, f store.Format, typed url.Values) []AnswerView {
	usual, form := f.UsualAnswers(), url.Values{}
	var s planning.Sheet
	for _, x := range b.FieldsOf(f.ID) {
		name := "field-" + Str(x.ID)
		if form[name] = typed[name]; !typed.Has(name) {
			form[name] = strings.Split(usual[x.ID], "\n")
		}
		s.Answers = append(s.Answers, planning.Answer{Field: x})
	}
	return NewAnswers(s, form, true)
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
