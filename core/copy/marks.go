package copy

import (
	"encoding/json"
	"greenbaton/core/ref"
	"strconv"
	"strings"
)

// What is on the copy without being of it is marked on the text, and travels with it:
//
//	put          the words are proposed; its value is the proposal's key
//	cut-KEY      it is proposed to take the words away
//	set-KEY      it is proposed to set the words otherwise; its value is a text that
//	             holds the attributes as an object, null for one to be taken away
//	query-ID     a query is about the words
//
// On a line break the names of proposals begin with "break-": there they propose to
// begin a paragraph, to join two, and to make a line a heading or an item of a list.
// A key is the number of whoever proposes, a dot, and a token of their own.

// MarkKind is what a mark says.
type MarkKind string

// The kinds of marks.
const (
	Put   MarkKind = "put"
	Cut   MarkKind = "cut"
	Reset MarkKind = "set"
	Query MarkKind = "query"
)

// Mark is one mark on a stretch of text.
type Mark struct {
	Kind MarkKind
	Key  string    // of a proposal
	ID   ref.Query // of a query
	Line bool      // it is on a line break
	Sets Attributes
}

var wording = []string{"bold", "italic", "link", "alt", "caption", "focus"}

// isKey reports whether a text is a number, a dot, and a token of up to 16 small letters
// and digits.
func isKey(s string) bool {
	who, token, found := strings.Cut(s, ".")
	if !found || !isNumber(who) || token == "" || len(token) > 16 {
		return false
	}
	for i := range len(token) {
		if c := token[i]; (c < 'a' || c > 'z') && (c < '0' || c > '9') {
			return false
		}
	}
	return true
}

func isNumber(s string) bool {
	if s == "" || len(s) > 15 || s[0] == '0' {
		return false
	}
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return true
}

// By is who made a proposal, read from its key; 0 if it is none.
func By(key string) ref.Person {
	who, _, found := strings.Cut(key, ".")
	n, err := strconv.ParseInt(who, 10, 64)
	if !found || err != nil {
		return 0
	}
	return ref.Person(n)
}

// markOf reads an attribute as a mark; its Kind is "" if it is none.
func markOf(name, value string) Mark {
	m := Mark{}
	rest, line := strings.CutPrefix(name, "break-")
	m.Line = line
	kind, key, _ := strings.Cut(rest, "-")
	switch MarkKind(kind) {
	case Put:
		if rest != "put" || len(value) < 2 || value[0] != '"' {
			return Mark{}
		}
		m.Key = value[1 : len(value)-1] // a key has nothing that JSON writes otherwise
	case Cut:
		if m.Key = key; value != "true" {
			return Mark{}
		}
	case Reset:
		m.Key = key
		if m.Sets = setsOf(value, line); len(m.Sets) == 0 {
			return Mark{}
		}
	case Query:
		if line || value != "true" || !isNumber(key) {
			return Mark{}
		}
		n, _ := strconv.ParseInt(key, 10, 64) // its form was looked at
		m.ID = ref.Query(n)
		m.Kind = Query
		return m
	default:
		return Mark{}
	}
	if !isKey(m.Key) {
		return Mark{}
	}
	m.Kind = MarkKind(kind)
	return m
}

// setsOf reads what a proposal sets; nothing if that is not what words, or a line, can have.
func setsOf(value string, line bool) Attributes {
	var text string
	var a Attributes
	if json.Unmarshal([]byte(value), &text) != nil || json.Unmarshal([]byte(text), &a) != nil || string(a.append(nil)) != text {
		return nil
	}
	for _, x := range a {
		if !settable(x.Name, line) {
			return nil
		}
		if ok, _ := known(x.Name, x.Value); !ok && x.Value != null {
			return nil
		}
	}
	return a
}

// settable reports whether a proposal can be about an attribute.
func settable(name string, line bool) bool {
	if line {
		return lineKind(name) || name == "advice"
	}
	for _, p := range wording {
		if p == name {
			return true
		}
	}
	return false
}

func setName(key string, line bool) string { return prefix(line) + "set-" + key }
func cutName(key string, line bool) string { return prefix(line) + "cut-" + key }
func putName(line bool) string             { return prefix(line) + "put" }

func prefix(line bool) string {
	if line {
		return "break-"
	}
	return ""
}

// QueryName is the attribute with which a query is tied to words.
func QueryName(id ref.Query) string { return "query-" + strconv.FormatInt(int64(id), 10) }

// Marks reads the marks among attributes, in the order of their names.
func (a Attributes) Marks() []Mark {
	var out []Mark
	for _, x := range a {
		if !isMark(x.Name) {
			continue
		}
		if m := markOf(x.Name, x.Value); m.Kind != "" {
			out = append(out, m)
		}
	}
	return out
}

// isMark reports whether a name is one of a mark.
func isMark(name string) bool {
	name = strings.TrimPrefix(name, "break-")
	return name == "put" || strings.HasPrefix(name, "cut-") || strings.HasPrefix(name, "set-") || strings.HasPrefix(name, "query-")
}

// Author gives who proposed the words, 0 if they are not proposed.
func (o Op) Author() ref.Person {
	if k := o.Attributes.Text("put"); k != "" {
		return By(k)
	}
	return By(o.Attributes.Text("break-put"))
}
