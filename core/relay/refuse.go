package relay

import "errors"

// Why an act can be refused. A Refusal wraps one of these.
var (
	ErrNotYours = errors.New("not yours to do")
	ErrNotNow   = errors.New("cannot be done now")
	ErrUnmet    = errors.New("something is still to do")
	ErrChanged  = errors.New("changed meanwhile")
	ErrInput    = errors.New("not understood")
	ErrMachine  = errors.New("cannot be stored now") // nothing is wrong with what was asked
)

// Refusal says in a sentence why an act was not done and what to do instead.
type Refusal struct {
	Reason error
	Text   string
	Unmet  []string // what is still to do, for ErrUnmet
	Field  string   // the field of a form, for ErrInput
}

func (r *Refusal) Error() string { return r.Text }

// Unwrap gives the kind of the refusal.
func (r *Refusal) Unwrap() error { return r.Reason }

func notNow(text string) error { return &Refusal{Reason: ErrNotNow, Text: text} }
