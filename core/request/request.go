// Package request knows how others ask a desk for something: forms that a lead builds of
// fields, and what of an answer goes where in the piece that is made of it.
package request

import (
	"fmt"
	"net/mail"
	"regexp"
	"slices"
	"strings"

	"greenbaton/core/brief"
	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
)

// Kind is how a field is answered.
type Kind string

// The kinds of answers.
const (
	Line   Kind = "line"
	Text   Kind = "text"
	Choice Kind = "choice"
	Yes    Kind = "yes"
	Files  Kind = "files"
)

// Kinds lists the kinds with what each is called.
var Kinds = []struct {
	Kind Kind
	Name string
}{{Line, "A line"}, {Text, "Some sentences"}, {Choice, "One of a list"}, {Yes, "Yes or no"}, {Files, "Files"}}

// Option is an entry of a list, and the format that it brings (0 for none).
type Option struct {
	Name   string     `json:"name"`
	Format ref.Format `json:"format,omitempty"`
}

// Field is something that a form asks.
type Field struct {
	Name    string   `json:"name"`
	Kind    Kind     `json:"kind"`
	Must    bool     `json:"must,omitempty"`
	Help    string   `json:"help,omitempty"`
	Into    string   `json:"into,omitempty"` // the part of the brief it answers, by key; none is what the piece is about
	Options []Option `json:"options,omitempty"`
}

// Form is how something is asked of a desk. Beside its fields it always asks who asks,
// for a title, and for the day that is wanted.
type Form struct {
	ID     ref.Form
	DeskID ref.Desk
	Slug   string // of its address
	Name   string
	Intro  string
	Fields []Field    `db:"-"`
	Format ref.Format // of the piece, unless an answer brings another; 0 leaves it to triage
	Anyone bool       // also who has no account
	Open   bool
}

// The most that is asked and typed.
const (
	MaxFields  = 30
	MaxOptions = 40
	MaxFiles   = 5
	maxText    = 8_000
	maxLine    = 400
)

var slug = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

func refuse(field, text string, args ...any) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: fmt.Sprintf(text, args...)}
}

// Check reads a form into the form in which it is kept: fields without a name are left
// out. A *relay.Refusal names what is wrong; its field is "field-2", counted from 0.
func (f Form) Check() (Form, error) {
	f.Name, f.Intro, f.Slug = strings.TrimSpace(f.Name), strings.TrimSpace(f.Intro), strings.ToLower(strings.TrimSpace(f.Slug))
	switch {
	case f.Name == "" || len([]rune(f.Name)) > 80:
		return f, refuse("name", "Give the form a name of up to 80 characters; it stands over it.")
	case len([]rune(f.Intro)) > 1_000:
		return f, refuse("intro", "Keep what stands above the form under 1,000 characters.")
	case !slug.MatchString(f.Slug) || len(f.Slug) > 60:
		return f, refuse("slug", "Write the end of its address in small letters and figures with hyphens, like a-piece-please.")
	}
	var fields []Field
	for i, x := range f.Fields {
		at := fmt.Sprintf("field-%d", i)
		x.Name, x.Help = strings.Join(strings.Fields(x.Name), " "), strings.TrimSpace(x.Help)
		if x.Name == "" {
			continue
		}
		_, part := brief.PartOf(x.Into)
		switch {
		case len([]rune(x.Name)) > 120 || len([]rune(x.Help)) > 300:
			return f, refuse(at, "Keep “%s” under 120 characters, and its help under 300.", x.Name)
		case !slices.ContainsFunc(Kinds, func(k struct {
			Kind Kind
			Name string
		}) bool {
			return k.Kind == x.Kind
		}):
			return f, refuse(at, "Choose how “%s” is answered.", x.Name)
		case slices.ContainsFunc(fields, func(y Field) bool { return strings.EqualFold(y.Name, x.Name) }):
			return f, refuse(at, "“%s” is asked twice. Name one of them otherwise.", x.Name)
		case x.Into != "" && !part:
			return f, refuse(at, "Choose where the answer to “%s” goes.", x.Name)
		}
		if x.Kind != Choice {
			x.Options = nil
		} else if len(x.Options) < 2 || len(x.Options) > MaxOptions {
			return f, refuse(at, "Write between two and %d choices for “%s”, a line each.", MaxOptions, x.Name)
		}
		if fields = append(fields, x); len(fields) > MaxFields {
			return f, refuse(at, "A form asks up to %d things. Whoever fills it in will thank you for fewer.", MaxFields)
		}
	}
	f.Fields = fields
	return f, nil
}

// ReadOptions reads choices as they are typed, a line each; "A recipe → Recipe" brings a
// format by its name, which formats finds.
func ReadOptions(text string, formats func(name string) ref.Format) ([]Option, error) {
	var out []Option
	for line := range strings.Lines(text) {
		line = strings.ReplaceAll(strings.ReplaceAll(strings.TrimSpace(line), "=>", "→"), "->", "→")
		if line == "" {
			continue
		}
		name, format, brings := strings.Cut(line, "→")
		o := Option{Name: strings.TrimSpace(name)}
		if brings {
			if o.Format = formats(strings.TrimSpace(format)); o.Format == 0 {
				return nil, refuse("options", "“%s” is not a format of the desk. Write its name as it is in the set-up behind the arrow.", strings.TrimSpace(format))
			}
		}
		if o.Name == "" || len([]rune(o.Name)) > 120 {
			return nil, refuse("options", "Write each choice in up to 120 characters, a line each.")
		}
		out = append(out, o)
	}
	return out, nil
}

// Answer is what somebody said to one field.
type Answer struct {
	Name  string `json:"name"`
	Into  string `json:"into,omitempty"`
	Value string `json:"value"`
}

// Asked is a request as it is typed.
type Asked struct {
	Name    string // who asks
	Mail    string
	Title   string
	Wanted  day.Date // none for whenever
	Answers []Answer
	Format  ref.Format // that the form or an answer brings
	Files   int        // how many come with it
}

// Read checks what was typed into a form, by "f0", "f1" and so on beside "who", "mail",
// "title" and "wanted". A *relay.Refusal names the field.
func (f Form) Read(get func(field string) string, files map[int]int, today day.Date) (Asked, error) {
	a := Asked{Name: strings.Join(strings.Fields(get("who")), " "), Mail: strings.TrimSpace(get("mail")), Title: strings.Join(strings.Fields(get("title")), " "), Format: f.Format}
	address, err := mail.ParseAddress(a.Mail)
	switch {
	case a.Name == "" || len([]rune(a.Name)) > 120:
		return a, refuse("who", "Write your name, so that we know whom to answer.")
	case err != nil || len(a.Mail) > 200 || address.Address != a.Mail:
		return a, refuse("mail", "Write your mail address like name@place.example; the answer goes there.")
	case a.Title == "":
		return a, refuse("title", "Say in a line what you ask for.")
	case len([]rune(a.Title)) > 200:
		return a, refuse("title", "Keep the line that says what you ask for under 200 characters; the rest has room below.")
	}
	if w := strings.TrimSpace(get("wanted")); w != "" {
		if a.Wanted, err = day.ParseDate(w); err != nil {
			return a, refuse("wanted", "Write the day like 2026-12-03, or leave it out.")
		}
		if a.Wanted <= today || a.Wanted > today+3*366 {
			return a, refuse("wanted", "The day lies in the past or very far ahead. Choose another, or leave it out.")
		}
	}
	for i, x := range f.Fields {
		key := fmt.Sprintf("f%d", i)
		if x.Kind == Files {
			a.Files += files[i]
			if x.Must && files[i] == 0 {
				return a, refuse(key, "“%s” is needed. Choose a file.", x.Name)
			}
			continue
		}
		v := strings.TrimSpace(strings.ReplaceAll(get(key), "\r\n", "\n"))
		switch n := len([]rune(v)); {
		case v == "" && x.Must:
			return a, refuse(key, "“%s” is needed.", x.Name)
		case v == "":
			continue
		case x.Kind == Text && n > maxText || x.Kind != Text && n > maxLine:
			return a, refuse(key, "“%s” has %d characters, which is too long. Keep what matters, and send the rest as a file.", x.Name, n)
		}
		switch x.Kind {
		case Line:
			v = strings.Join(strings.Fields(v), " ")
		case Yes:
			if v = "no"; get(key) == "yes" {
				v = "yes"
			}
		case Choice:
			at := slices.IndexFunc(x.Options, func(o Option) bool { return o.Name == v })
			if at < 0 {
				return a, refuse(key, "Choose “%s” from its list.", x.Name)
			}
			if x.Options[at].Format != 0 {
				a.Format = x.Options[at].Format
			}
		}
		a.Answers = append(a.Answers, Answer{x.Name, x.Into, v})
	}
	if a.Files > MaxFiles {
		return a, refuse("files", "Send up to %d files; links to more can stand in the text.", MaxFiles)
	}
	return a, nil
}

// Brief gives the brief of a piece that is made of a request: what goes into parts of it,
// and everything else, with its question, in what the piece is about.
func Brief(answers []Answer) (about string, parts map[string]string) {
	parts = map[string]string{}
	var rest []string
	for _, a := range answers {
		p, ok := brief.PartOf(a.Into)
		if !ok {
			rest = append(rest, a.Name+": "+a.Value)
			continue
		}
		one := brief.Brief{Answers: map[string]string{p.Key: strings.TrimSpace(parts[p.Key] + "\n" + a.Value)}}
		if is, err := one.Check(); err == nil {
			parts[p.Key] = is.Answers[p.Key]
			continue
		}
		rest = append(rest, a.Name+": "+a.Value) // it cannot stand there, and is not lost
	}
	return strings.Join(rest, "\n"), parts
}
