package kit

import (
	"net/url"

	"greenbaton/core/english"
	"greenbaton/newsroom/figures"
	"greenbaton/store"
)

// OutcomeView is how a piece or a campaign did, as somebody says, what was learnt, and the form in
// which it is said.
type OutcomeView struct {
	Said, Tone string // "" where nobody said it yet
	Learnt     string
	Action     string // where the form is sent to; none where it may not be said
	Form       url.Values
	Field      string // that was refused
	Opened     bool   // the form was sent and refused
}

// NewOutcome shows how something did.
func NewOutcome(o store.Outcome) OutcomeView {
	if o.ID == 0 {
		return OutcomeView{Form: url.Values{}}
	}
	return OutcomeView{Said: english.UpperFirst(figures.SayOutcome(o.Said)), Tone: OutcomeTone(o.Said), Learnt: o.Learnt, Form: url.Values{"said": {o.Said}, "learnt": {o.Learnt}}}
}

// OutcomeTone gives the colour of how something did.
func OutcomeTone(said string) string {
	return map[string]string{store.Worked: "good", store.Partly: "noroom", store.Failed: "short"}[said]
}

// Refused shows the form again with what was typed.
func (v *OutcomeView) Refused(form url.Values, field string) {
	v.Form, v.Field, v.Opened = form, field, true
}

// OutcomeTyped reads the form in which it is said how something did.
func OutcomeTyped(form url.Values) store.Outcome {
	return store.Outcome{Said: form.Get("said"), Learnt: form.Get("learnt")}
}
