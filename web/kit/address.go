package kit

import (
	"html/template"
	"net/url"
	"slices"
	"strings"
)

// Address is that of a view: its path and what is chosen in it. Every choice is in the
// address, so that it can be shared, kept under a name and gone back to.
type Address struct {
	Path string
	Q    url.Values
}

// With gives the address with parameters changed; an empty value takes one away.
func (a Address) With(pairs ...string) string {
	q := url.Values{}
	for k, v := range a.Q {
		if k != "page" {
			q[k] = v
		}
	}
	for i := 0; i+1 < len(pairs); i += 2 {
		if pairs[i+1] == "" {
			q.Del(pairs[i])
		} else {
			q.Set(pairs[i], pairs[i+1])
		}
	}
	return a.Path + query(q)
}

// AlsoAt gives the address of another view with what is chosen in this one.
func (a Address) AlsoAt(path string) Address { return Address{Path: path, Q: a.Q} }

func query(q url.Values) string {
	if len(q) == 0 {
		return ""
	}
	return "?" + q.Encode()
}

// Setting is one of several things that a view can be switched to.
type Setting struct {
	Name string
	Link string
	On   bool
}

// Settings makes the switch of a parameter: values and names by turns, the first value
// being the usual one, which is left out of the address.
func (a Address) Settings(key, now string, pairs ...string) []Setting {
	var out []Setting
	for i := 0; i+1 < len(pairs); i += 2 {
		v := pairs[i]
		to := v
		if i == 0 {
			to = ""
		}
		out = append(out, Setting{pairs[i+1], a.With(key, to), v == now})
	}
	return out
}

// Hidden are the parameters that a form with fields of its own carries along.
func (a Address) Hidden(but ...string) template.HTML {
	q := url.Values{}
	for k, v := range a.Q {
		q[k] = v
	}
	for _, k := range but {
		q.Del(k)
	}
	var out template.HTML
	for _, k := range SortedKeys(q) {
		for _, v := range q[k] {
			out += template.HTML(`<input type="hidden" name="` + template.HTMLEscapeString(k) + `" value="` + template.HTMLEscapeString(v) + `">`)
		}
	}
	return out
}

// OneOf gives the value of a parameter if it is one of those offered, else the first.
func OneOf(q url.Values, key string, values ...string) string {
	for _, v := range values {
		if q.Get(key) == v {
			return v
		}
	}
	return values[0]
}

// SortedKeys gives the keys of a map, by letter, capital or not.
func SortedKeys[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.SortFunc(out, func(a, b string) int { return strings.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return out
}
