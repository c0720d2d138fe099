// Package words fills named fields into messages that people wrote: "{holder} has
// had {leg} since {since}". A field is a name in braces; two braces stand for one.
package words

import (
	"fmt"
	"greenbaton/core/english"
	"strings"
	"unicode"
)

// Field is a name that may stand in braces, and what it says.
type Field struct{ Name, Says string }

// part is a stretch of text, or a field.
type part struct {
	text  string
	field bool
}

// parse splits a text into what stands there and the fields in it. An error says
// what is wrong and at which words.
func parse(text string) ([]part, error) {
	var out []part
	var plain strings.Builder
	flush := func() {
		if plain.Len() > 0 {
			out = append(out, part{plain.String(), false})
			plain.Reset()
		}
	}
	for rest := text; rest != ""; {
		i := strings.IndexAny(rest, "{}")
		if i < 0 {
			plain.WriteString(rest)
			break
		}
		plain.WriteString(rest[:i])
		c := rest[i]
		rest = rest[i+1:]
		if rest != "" && rest[0] == c { // doubled
			plain.WriteByte(c)
			rest = rest[1:]
			continue
		}
		if c == '}' {
			return nil, fmt.Errorf("there is a } without a { before it; write }} for a brace")
		}
		end := strings.IndexAny(rest, "{}")
		if end < 0 || rest[end] != '}' {
			return nil, fmt.Errorf("the { before “%s” is not closed; write {{ for a brace", english.Cut(rest, 21))
		}
		flush()
		out = append(out, part{strings.TrimSpace(rest[:end]), true})
		rest = rest[end+1:]
	}
	flush()
	return out, nil
}

// Check refuses a text with a field that is not among those there are.
func Check(text string, fields []Field) error {
	parts, err := parse(text)
	if err != nil {
		return err
	}
	for _, p := range parts {
		if p.field && !known(fields, p.text) {
			var names []string
			for _, f := range fields {
				names = append(names, "{"+f.Name+"}")
			}
			return fmt.Errorf("there is no field {%s}; there are %s", english.Cut(p.text, 21), strings.Join(names, ", "))
		}
	}
	return nil
}

func known(fields []Field, name string) bool {
	for _, f := range fields {
		if f.Name == name {
			return true
		}
	}
	return false
}

// Fill puts values into a text; a field without a value leaves nothing. What is put
// in is text only: braces in it mean nothing, and signs that would steer a mail or a
// terminal become spaces. A text that is not well formed stays as it is.
func Fill(text string, values map[string]string) string {
	parts, err := parse(text)
	if err != nil {
		return text
	}
	var b strings.Builder
	for _, p := range parts {
		if p.field {
			b.WriteString(OneLine(values[p.text]))
		} else {
			b.WriteString(p.text)
		}
	}
	return b.String()
}

// OneLine makes a value safe for a subject or a sentence: line breaks and control
// characters become single spaces.
func OneLine(s string) string {
	s = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || r == '\u2028' || r == '\u2029' {
			return ' '
		}
		return r
	}, s)
	return strings.Join(strings.Fields(s), " ")
}
