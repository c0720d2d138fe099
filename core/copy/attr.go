package copy

import (
	"bytes"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
)

// Attr is one attribute of a stretch of text.
type Attr struct {
	Name  string
	Value string // JSON; in a change "null" takes the attribute away
}

// Attributes are the formats of a stretch of text, or in a change what becomes of
// them; sorted by name, each name once.
type Attributes []Attr

const null = "null"

// With gives attributes that have a value under a name: true, a text, a figure, or nil,
// which in a change takes the attribute away.
func (a Attributes) With(name string, value any) Attributes {
	return a.with(name, string(appendJSON(nil, value)))
}

func (a Attributes) with(name, value string) Attributes {
	i, found := slices.BinarySearchFunc(a, name, func(x Attr, n string) int { return strings.Compare(x.Name, n) })
	if found {
		out := slices.Clone(a)
		out[i].Value = value
		return out
	}
	return slices.Insert(slices.Clone(a), i, Attr{name, value})
}

// Set gives attributes of one name and value.
func Set(name string, value any) Attributes { return Attributes(nil).With(name, value) }

// Raw gives the value under a name as JSON; "" if there is none.
func (a Attributes) Raw(name string) string {
	for _, x := range a {
		if x.Name == name {
			return x.Value
		}
	}
	return ""
}

// Has reports whether there is something under a name.
func (a Attributes) Has(name string) bool { v := a.Raw(name); return v != "" && v != null }

// Text gives the value under a name where it is a text.
func (a Attributes) Text(name string) string {
	var s string
	if v := a.Raw(name); v == "" || json.Unmarshal([]byte(v), &s) != nil {
		return ""
	}
	return s
}

// Bold reports whether words are set in bold.
func (a Attributes) Bold() bool { return a.Raw("bold") == "true" }

// Italic reports whether words are set in italics.
func (a Attributes) Italic() bool { return a.Raw("italic") == "true" }

// Quote reports whether a line is quoted.
func (a Attributes) Quote() bool { return a.Raw("blockquote") == "true" }

// Header is the level of a heading, 2 to 4, or 0.
func (a Attributes) Header() int {
	n, err := strconv.Atoi(a.Raw("header"))
	if err != nil {
		return 0
	}
	return n
}

// keep gives the attributes whose names pass.
func (a Attributes) keep(pass func(name string) bool) Attributes {
	if !slices.ContainsFunc(a, func(x Attr) bool { return !pass(x.Name) }) {
		return a
	}
	var out Attributes
	for _, x := range a {
		if pass(x.Name) {
			out = append(out, x)
		}
	}
	return out
}

// merge walks through two sorted lists; f gets a name with both values, "" where one
// has none, and gives the value to keep, "" for none.
func merge(a, b Attributes, f func(x, y string) string) Attributes {
	var out Attributes
	put := func(name, v string) {
		if v != "" {
			out = append(out, Attr{name, v})
		}
	}
	for len(a) > 0 || len(b) > 0 {
		switch {
		case len(b) == 0 || len(a) > 0 && a[0].Name < b[0].Name:
			put(a[0].Name, f(a[0].Value, ""))
			a = a[1:]
		case len(a) == 0 || b[0].Name < a[0].Name:
			put(b[0].Name, f("", b[0].Value))
			b = b[1:]
		default:
			put(a[0].Name, f(a[0].Value, b[0].Value))
			a, b = a[1:], b[1:]
		}
	}
	return out
}

// compose gives attributes after a change; with keep what is taken away stays named, as
// it has to where the result is itself a change.
func compose(a, b Attributes, keep bool) Attributes {
	if len(b) == 0 && keep {
		return a
	}
	return merge(a, b, func(x, y string) string {
		switch {
		case y == "":
			return x
		case y == null && !keep:
			return ""
		}
		return y
	})
}

// differ gives the change that makes b of a.
func differ(a, b Attributes) Attributes {
	return merge(a, b, func(x, y string) string {
		switch {
		case x == y:
			return ""
		case y == "":
			return null
		}
		return y
	})
}

// invert gives the change that takes a change back, on text that had base.
func invert(change, base Attributes) Attributes {
	return merge(change, base, func(x, y string) string {
		switch {
		case x == "" || x == y:
			return ""
		case y == "":
			return null
		}
		return y
	})
}

// after gives a change of attributes as it is after another one; where both change the
// same, the other one holds if it was first.
func after(b, other Attributes, otherFirst bool) Attributes {
	if !otherFirst || len(other) == 0 {
		return b
	}
	return merge(other, b, func(x, y string) string {
		if x != "" {
			return ""
		}
		return y
	})
}

// MarshalJSON writes attributes as an object.
func (a Attributes) MarshalJSON() ([]byte, error) { return a.append(nil), nil }

func (a Attributes) append(b []byte) []byte {
	b = append(b, '{')
	for i, x := range a {
		if i > 0 {
			b = append(b, ',')
		}
		b = appendString(b, x.Name)
		b = append(b, ':')
		b = append(b, x.Value...)
	}
	return append(b, '}')
}

// UnmarshalJSON reads an object of attributes.
func (a *Attributes) UnmarshalJSON(b []byte) error {
	var m map[string]json.RawMessage
	if err := json.Unmarshal(b, &m); err != nil {
		return err
	}
	*a = nil
	for name, v := range m {
		c, err := canonical(v)
		if err != nil {
			return err
		}
		*a = append(*a, Attr{name, c})
	}
	slices.SortFunc(*a, func(x, y Attr) int { return strings.Compare(x.Name, y.Name) })
	return nil
}

// canonical writes JSON so that equal values are equal texts.
func canonical(v json.RawMessage) (string, error) {
	var x any
	dec := json.NewDecoder(bytes.NewReader(v))
	dec.UseNumber()
	if err := dec.Decode(&x); err != nil {
		return "", err
	}
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(x); err != nil {
		return "", err
	}
	return strings.TrimSpace(b.String()), nil
}

func appendString(b []byte, s string) []byte { return appendJSON(b, s) }

// appendJSON writes a value in the one form in which it is compared: no sign in it is
// escaped that need not be. What cannot be written, which no caller has, is null.
func appendJSON(b []byte, value any) []byte {
	var w bytes.Buffer
	enc := json.NewEncoder(&w)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(value); err != nil {
		return append(b, null...)
	}
	return append(b, bytes.TrimSpace(w.Bytes())...)
}
