package kit

import (
	"net/url"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// StepsView is a list of steps that belong to no leg, with the form of another one.
type StepsView struct {
	Lines  []StepLine
	Back   string         // where one is led to after a tick
	Add    string         // where another one is sent to; none where it may not be
	Only   bool           // what is to be done, without taking away
	None   string         // said where there are none
	People []store.Person // who could do another
	Typed  url.Values
	Field  string // that was refused
	Opened bool   // the form was sent and refused
}

// StepLine is one of them.
type StepLine struct {
	ID              ref.OwnStep
	Text, Says      string // what is to be done; by whom and when
	On, Link        string // what it belongs to, where that is not the page it is on
	Done, Late, May bool
}

// Chosen reports whether somebody was chosen in a form that was refused.
func (v StepsView) Chosen(who ref.Person) bool { return v.Typed.Get("person") == Str(who) }

// NewSteps shows steps that belong to no leg.
func NewSteps(b *newsroom.Setup, all []planning.OwnStep, back string) StepsView {
	v := StepsView{Back: back, Typed: url.Values{}}
	for _, s := range all {
		x := StepLine{ID: s.ID, Text: s.Text, On: s.On, Link: s.Link, Done: s.DoneAt != 0, Late: s.Late, May: s.May}
		var says []string
		switch {
		case x.Done:
			says = append(says, newsroom.First(b.Name(s.DoneBy)), "done")
		default:
			if s.PersonID != 0 && s.On == "" {
				says = append(says, newsroom.First(b.Name(s.PersonID)))
			}
			if s.Day != 0 {
				says = append(says, english.Date(s.Day))
			}
			if s.Minutes != 0 {
				says = append(says, english.Hours(s.Minutes))
			}
		}
		x.Says = strings.Join(says, " · ")
		v.Lines = append(v.Lines, x)
	}
	return v
}

// StepTyped reads the form of a step that belongs to no leg.
func StepTyped(form url.Values) (store.OwnStep, error) {
	s := store.OwnStep{Text: form.Get("text"), PersonID: Int[ref.Person](form, "person")}
	var err error
	if s.Day, err = DateOf(form, "day", "the day"); err != nil {
		return s, err
	}
	if s.Minutes, err = HoursTyped(form.Get("hours")); err != nil {
		return s, newsroom.Invalid("hours", "Write the hours like 3, 1.5 or 1½.")
	}
	return s, nil
}
