// Package brief knows what a writer is told before writing: the parts of a brief, which
// of them a format asks for, what is missing and what changed, and the outline with
// which a copy begins.
package brief

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/copy"
	"greenbaton/core/english"
	"greenbaton/core/figure"
	"greenbaton/core/relay"
)

// Kind is how a part of a brief is answered.
type Kind string

// The kinds of answers.
const (
	Line   Kind = "line"   // in a few words
	Text   Kind = "text"   // in some sentences
	List   Kind = "list"   // an entry a line
	Links  Kind = "links"  // an address a line
	Number Kind = "number" // how many
)

// Part is something a brief can say.
type Part struct {
	Key, Name string
	Kind      Kind
	Help      string // shown while it is empty, unless the format says it in its own words
}

// Parts lists what a brief can say beside its words and what the piece is about, in the
// order in which it is read.
var Parts = []Part{
	{"angle", "Angle", Text, "What this piece says that the others do not."},
	{"audience", "Audience", Line, "For whom it is, and what they know already."},
	{"goal", "Goal", Line, "What a reader should know, feel or do after it."},
	{"headings", "Headings", Number, "How many at least."},
	{"items", "Items", Number, "How many, where it is a list."},
	{"phrase", "Search phrase", Line, "What somebody types who needs this piece."},
	{"musts", "Must be in it", List, "Facts, names and places it cannot do without."},
	{"call", "Call to action", Line, "What a reader is asked to do."},
	{"next", "Where readers go next", List, "Pieces to point to, with their numbers."},
	{"like", "Pieces like it", List, "What to read before writing, with their numbers."},
	{"links", "Links", Links, "Sources and pages it rests on."},
}

// PartOf finds a part by its key.
func PartOf(key string) (Part, bool) {
	i := slices.IndexFunc(Parts, func(p Part) bool { return p.Key == key })
	if i < 0 {
		return Part{}, false
	}
	return Parts[i], true
}

// Asked is a part that a format asks for.
type Asked struct {
	Key  string `json:"key"`
	Must bool   `json:"must,omitempty"` // it is there before the writing begins
	Help string `json:"help,omitempty"` // in the words of the format
}

// Form is what a format asks of a brief, in order.
type Form []Asked

// UsualForm asks for every part and insists on none.
func UsualForm() Form {
	var f Form
	for _, p := range Parts {
		f = append(f, Asked{Key: p.Key})
	}
	return f
}

// ReadForm reads a form as it is stored; nothing stored is the usual form.
func ReadForm(stored string) (Form, error) {
	if stored == "" {
		return UsualForm(), nil
	}
	var f Form
	if err := json.Unmarshal([]byte(stored), &f); err != nil {
		return nil, fmt.Errorf("read the form of a brief: %w", err)
	}
	return f, nil
}

// Check puts a form in the order of Parts. A *relay.Refusal names what is wrong.
func (f Form) Check() (Form, error) {
	var out Form
	for _, p := range Parts {
		for _, a := range f {
			if a.Key != p.Key {
				continue
			}
			a.Help = strings.TrimSpace(a.Help)
			if len([]rune(a.Help)) > 200 {
				return f, refuse("help-"+a.Key, "Keep the help text for “%s” under 200 characters.", p.Name)
			}
			out = append(out, a)
			break
		}
	}
	return out, nil
}

// Brief is what is said of one piece.
type Brief struct {
	WordsFrom int               `json:"from"`
	WordsTo   int               `json:"to"`
	About     string            `json:"about"`   // what it is about, in free words
	Answers   map[string]string `json:"answers"` // by the key of the part; nothing for an empty one
}

const maxAnswer = 4_000

// Check reads what was typed into the form in which it is kept. A *relay.Refusal names
// the part that is wrong and what to do.
func (b Brief) Check() (Brief, error) {
	out := b
	out.About, out.Answers = strings.TrimSpace(b.About), map[string]string{}
	for _, p := range Parts {
		v := strings.TrimSpace(strings.ReplaceAll(b.Answers[p.Key], "\r\n", "\n"))
		if p.Kind == Line || p.Kind == Number {
			v = strings.Join(strings.Fields(v), " ")
		}
		switch n := len([]rune(v)); {
		case v == "":
			continue
		case n > maxAnswer, p.Kind == Line && n > 300:
			return b, refuse(p.Key, "“%s” has %d characters; keep it shorter, and put the rest into the notes of the research.", p.Name, n)
		}
		switch p.Kind {
		case Number:
			n, err := figure.Whole(v)
			if err != nil || n < 0 || n > 1_000 {
				return b, refuse(p.Key, "“%s” is a whole number up to 1,000, like 4.", p.Name)
			}
			if n == 0 {
				continue
			}
			v = strconv.Itoa(n)
		case List, Links:
			v = strings.Join(Lines(v), "\n")
		}
		if p.Kind == Links {
			for _, l := range Lines(v) {
				if !copy.SafeLink(l) {
					return b, refuse(p.Key, "“%s” is not an address. Begin it with https://, one address a line.", english.Cut(l, 60))
				}
			}
		}
		out.Answers[p.Key] = v
	}
	return out, nil
}

func refuse(field, text string, args ...any) error {
	return &relay.Refusal{Reason: relay.ErrInput, Field: field, Text: fmt.Sprintf(text, args...)}
}

// Lines gives the entries of an answer, without empty ones.
func Lines(answer string) []string {
	var out []string
	for l := range strings.Lines(answer) {
		if l = strings.TrimSpace(l); l != "" {
			out = append(out, l)
		}
	}
	return out
}

// Missing gives the names of the parts that a format asks for and a brief does not
// answer: those that must be there before the writing begins, and the others.
func (f Form) Missing(b Brief) (must, rest []string) {
	for _, a := range f {
		p, ok := PartOf(a.Key)
		if !ok || b.Answers[a.Key] != "" {
			continue
		}
		if a.Must {
			must = append(must, p.Name)
		} else {
			rest = append(rest, p.Name)
		}
	}
	return must, rest
}

// Change is a part of a brief that was changed.
type Change struct{ Name, Was, Is string }

// Gone gives the lines that were taken away, of a list its entries.
func (c Change) Gone() []string { return without(Lines(c.Was), Lines(c.Is)) }

// Come gives the lines that were added.
func (c Change) Come() []string { return without(Lines(c.Is), Lines(c.Was)) }

func without(xs, ys []string) []string {
	return slices.DeleteFunc(xs, func(x string) bool { return slices.Contains(ys, x) })
}

// Changes gives what differs between two versions of a brief, in reading order.
func Changes(was, is Brief) []Change {
	var out []Change
	note := func(name, x, y string) {
		if x != y {
			out = append(out, Change{name, x, y})
		}
	}
	note("Words", was.Words(), is.Words())
	note("About", was.About, is.About)
	for _, p := range Parts {
		note(p.Name, was.Answers[p.Key], is.Answers[p.Key])
	}
	return out
}

// Words says the words asked for: "900 to 1200", "at least 900", or nothing.
func (b Brief) Words() string {
	switch {
	case b.WordsFrom == 0 && b.WordsTo == 0:
		return ""
	case b.WordsTo == 0:
		return fmt.Sprintf("at least %d", b.WordsFrom)
	case b.WordsFrom == 0:
		return fmt.Sprintf("at most %d", b.WordsTo)
	}
	return fmt.Sprintf("%d to %d", b.WordsFrom, b.WordsTo)
}

// Writing gives the key of the leg of a piece in which its copy is written: the first
// that asks for the words, otherwise the first for writers, otherwise none.
func Writing(p *relay.Piece) string {
	for _, is := range []func(l *relay.Leg) bool{
		func(l *relay.Leg) bool { return l.Words },
		func(l *relay.Leg) bool { return l.Role == "write" },
	} {
		for i := range p.Legs {
			if l := &p.Legs[i]; is(l) && l.State != relay.Skipped {
				return l.Key
			}
		}
	}
	return ""
}

// Begun reports whether the writing of a piece has begun, from when on its brief keeps
// every version.
func Begun(p *relay.Piece) bool {
	l := p.Leg(Writing(p))
	return l != nil && (l.State == relay.Running || l.State == relay.Passed || l.Run > 0)
}

// Before reports whether a leg leads to the writing, or is the writing: what must be
// there before the writing begins is asked for when it is passed.
func Before(p *relay.Piece, leg string) bool {
	w := Writing(p)
	return w != "" && (leg == w || p.Before(w)[leg])
}

// Lacks says in phrases what must be there before the writing of a piece begins and is
// not, for a leg that leads to it: parts of its brief, and, where the format wants one,
// a chosen title.
func (f Form) Lacks(p *relay.Piece, leg string, b Brief, titled, chosen bool) []string {
	if !Before(p, leg) {
		return nil
	}
	var out []string
	must, _ := f.Missing(b)
	for _, name := range must {
		out = append(out, "the brief does not say “"+name+"”")
	}
	if titled && !chosen {
		out = append(out, "no title is chosen")
	}
	return out
}

// shape are the parts that are about the shape of a piece, not about its words.
var shape = []string{"audience", "goal", "headings", "items", "call"}

// Shape gives what of a brief holds for another piece like it.
func Shape(b Brief) Brief {
	out := Brief{WordsFrom: b.WordsFrom, WordsTo: b.WordsTo, Answers: map[string]string{}}
	for _, k := range shape {
		if v := b.Answers[k]; v != "" {
			out.Answers[k] = v
		}
	}
	return out
}
