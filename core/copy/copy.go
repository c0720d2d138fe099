// Package copy holds the text of a piece as a sequence of inserts with
// attributes, the open rich-text operation format in which the editor speaks
// too: {"insert": "words", "attributes": {"bold": true}}. Attributes of a whole
// line (header, list, blockquote) sit on the line break that ends it.
package copy

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"strings"
	"unicode"
	"unicode/utf8"
)

// MaxBytes is the largest stored copy, about 300,000 words.
const MaxBytes = 2 << 20

// Attributes are the formats of a stretch of text or of the line it ends.
type Attributes struct {
	Bold       bool   `json:"bold,omitempty"`
	Italic     bool   `json:"italic,omitempty"`
	Link       string `json:"link,omitempty"`
	Header     int    `json:"header,omitempty"` // 2 to 4
	List       string `json:"list,omitempty"`   // "bullet" or "ordered"
	Blockquote bool   `json:"blockquote,omitempty"`
	Advice     string `json:"advice,omitempty"` // what an outline says of an empty paragraph; read by nobody but its writers
}

// Op inserts some text with its attributes.
type Op struct {
	Insert     string     `json:"insert"`
	Attributes Attributes `json:"attributes,omitzero"`
}

// Text is a whole copy.
type Text []Op

// Parse reads a copy written as JSON, either {"ops": [...]} or the bare list.
// Attributes that a copy does not know are dropped; anything but inserted text
// is an error. The result always ends with a line break.
func Parse(b []byte) (Text, error) {
	if len(b) > MaxBytes {
		return nil, fmt.Errorf("the copy is larger than %d MB; split the piece in two", MaxBytes>>20)
	}
	if trimmed := bytes.TrimSpace(b); len(trimmed) > 0 && trimmed[0] == '{' {
		var whole struct{ Ops json.RawMessage }
		if err := json.Unmarshal(b, &whole); err != nil {
			return nil, fmt.Errorf("the copy could not be read: %w", err)
		}
		b = whole.Ops
	}
	var raw []struct {
		Insert     *string
		Retain     json.RawMessage
		Delete     json.RawMessage
		Attributes map[string]any
	}
	if err := json.Unmarshal(b, &raw); err != nil {
		return nil, fmt.Errorf("the copy could not be read: %w", err)
	}
	t := Text{}
	for _, op := range raw {
		if op.Insert == nil || op.Retain != nil || op.Delete != nil {
			return nil, errors.New("a copy consists of inserted text only")
		}
		if !utf8.ValidString(*op.Insert) {
			return nil, errors.New("the copy holds bytes that are no text")
		}
		if *op.Insert != "" {
			t = t.add(Op{strings.ReplaceAll(*op.Insert, "\r", ""), attributes(op.Attributes)})
		}
	}
	if s := t.Plain(); !strings.HasSuffix(s, "\n") {
		t = t.add(Op{Insert: "\n"})
	}
	return t, nil
}

// FromPlain makes a copy of plain text, a paragraph for each line.
func FromPlain(s string) Text {
	return Text{{Insert: strings.TrimRight(s, "\n") + "\n"}}
}

func (t Text) add(op Op) Text {
	if n := len(t); n > 0 && t[n-1].Attributes == op.Attributes {
		t[n-1].Insert += op.Insert
		return t
	}
	return append(t, op)
}

func attributes(m map[string]any) Attributes {
	var a Attributes
	a.Bold, _ = m["bold"].(bool)
	a.Italic, _ = m["italic"].(bool)
	a.Blockquote, _ = m["blockquote"].(bool)
	if h, ok := m["header"].(float64); ok && h >= 1 && h <= 6 {
		a.Header = min(max(int(h), 2), 4)
	}
	if l, ok := m["list"].(string); ok && (l == "bullet" || l == "ordered") {
		a.List = l
	}
	if s, ok := m["advice"].(string); ok && len(s) <= 2_000 {
		a.Advice = s
	}
	if s, ok := m["link"].(string); ok && SafeLink(s) {
		a.Link = s
	}
	return a
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
func (t Text) JSON() []byte {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	if t == nil {
		t = Text{}
	}
	if err := enc.Encode(t); err != nil { // strings and booleans always encode
		return []byte("[]")
	}
	return bytes.TrimSpace(b.Bytes())
}

// Plain gives the text without its attributes.
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
		rest := op.Insert
		for {
			i := strings.IndexByte(rest, '\n')
			if i < 0 {
				break
			}
			if i > 0 {
				cur.Spans = append(cur.Spans, Op{rest[:i], op.Attributes})
			}
			cur.Attributes = op.Attributes
			out, cur, rest = append(out, cur), Line{}, rest[i+1:]
		}
		if rest != "" {
			cur.Spans = append(cur.Spans, Op{rest, op.Attributes})
		}
	}
	if len(cur.Spans) > 0 {
		out = append(out, cur)
	}
	return out
}
