// Package copy holds the text of a piece as a sequence of inserts with
// attributes, the open rich-text operation format in which the editor speaks
// too: {"insert": "words", "attributes": {"bold": true}}. Attributes of a whole
// line (header, list, blockquote) sit on the line break that ends it.
//
// An edit is a Change: go over so many characters, insert, delete. Changes are
// composed, transformed over each other, inverted and found between two texts
// (change.go, difference.go). What somebody proposes, and what a query is about, is
// marked on the text itself (marks.go, propose.go), so that it travels with it.
package copy

import (
	"errors"
	"net/url"
	"strings"
	"unicode"
)

// MaxBytes is the largest stored copy, about 300,000 words.
const MaxBytes = 2 << 20

// Text is a whole copy: a change that only inserts.
type Text []Op

// Parse reads a copy written as JSON, either {"ops": [...]} or the bare list.
// Attributes that a copy does not know are dropped; anything but inserted text and
// pictures is an error. The result always ends with a line break.
func Parse(b []byte) (Text, error) {
	raw, err := readOps(b)
	if err != nil {
		return nil, err
	}
	var c runs
	for _, r := range raw {
		o, err := r.op()
		if err != nil {
			return nil, err
		}
		if !o.inserts() && o.Len() > 0 {
			return nil, errors.New("a copy consists of inserted text only")
		}
		if o.Embed != "" && Picture(o) == 0 {
			return nil, errors.New("the copy holds an object that is no picture")
		}
		c.push(o)
	}
	return endedText(fit(c.change())), nil
}

// endedText gives a text that ends with a line break.
func endedText(t Text) Text {
	if n := len(t); n == 0 || !strings.HasSuffix(t[n-1].Insert, "\n") {
		t = Text(Change(t).push(Op{Insert: "\n"}))
	}
	return t
}

// FromPlain makes a copy of plain text, a paragraph for each line.
func FromPlain(s string) Text {
	return Text{{Insert: strings.TrimRight(s, "\n") + "\n"}}
}

// SafeLink reports whether an address may be linked to: web, mail and relative ones.
func SafeLink(s string) bool {
	u, err := url.Parse(strings.TrimSpace(s))
	if err != nil || strings.ContainsAny(s, "\x00\n\r\t") {
		return false
	}
	switch u.Scheme {
	case "", "http", "https", "mailto":
		return s != ""
	}
	return false
}

// JSON writes the copy as the bare list of operations.
func (t Text) JSON() []byte { return Change(t).JSON() }

// MarshalJSON writes the bare list of operations.
func (t Text) MarshalJSON() ([]byte, error) { return t.JSON(), nil }

// Len is the length of the copy in UTF-16 code units.
func (t Text) Len() int { return Change(t).Len() }

// Plain gives the text without its attributes and pictures.
func (t Text) Plain() string {
	var b strings.Builder
	for _, op := range t {
		b.WriteString(op.Insert)
	}
	return b.String()
}

// Words counts the words: stretches between spaces that hold a letter or a
// digit (common practice, no source).
func (t Text) Words() int {
	n := 0
	for _, f := range strings.Fields(t.Plain()) {
		if strings.ContainsFunc(f, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
			n++
		}
	}
	return n
}

// Line is one line of a copy: its stretches and the attributes of the whole.
type Line struct {
	Spans []Op
	Attributes
}

// Lines splits the copy into its lines.
func (t Text) Lines() []Line {
	var out []Line
	var cur Line
	for _, op := range t {
		if op.Embed != "" {
			cur.Spans = append(cur.Spans, op)
		}
		rest := op.Insert
		for {
			i := strings.IndexByte(rest, '\n')
			if i < 0 {
				break
			}
			if i > 0 {
				cur.Spans = append(cur.Spans, Op{Insert: rest[:i], Attributes: op.Attributes})
			}
			cur.Attributes = op.Attributes
			out, cur, rest = append(out, cur), Line{}, rest[i+1:]
		}
		if rest != "" {
			cur.Spans = append(cur.Spans, Op{Insert: rest, Attributes: op.Attributes})
		}
	}
	if len(cur.Spans) > 0 {
		out = append(out, cur)
	}
	return out
}
