package web

import (
	"html/template"
	"net/url"
)

// address is that of a view: its path and what is chosen in it. Every choice is in the
// address, so that it can be shared, kept under a name and gone back to.
type address struct {
	path string
	q    url.Values
}

// with gives the address with parameters changed; an empty value takes one away.
func (a address) with(pairs ...string) string {
	q := url.Values{}
	for k, v := range a.q {
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
	return a.path + query(q)
}

func query(q url.Values) string {
	if len(q) == 0 {
		return ""
	}
	return "?" + q.Encode()
}

// setting is one of several things that a view can be switched to.
type setting struct {
	Name string
	Link string
	On   bool
}

// settings makes the switch of a parameter: values and names by turns, the first value
// being the usual one, which is left out of the address.
func (a address) settings(key, now string, pairs ...string) []setting {
	var out []setting
	for i := 0; i+1 < len(pairs); i += 2 {
		v := pairs[i]
		to := v
		if i == 0 {
			to = ""
		}
		out = append(out, setting{pairs[i+1], a.with(key, to), v == now})
	}
	return out
}

// Hidden are the parameters that a form with fields of its own carries along.
func (a address) Hidden(but ...string) template.HTML {
	q := url.Values{}
	for k, v := range a.q {
		q[k] = v
	}
	for _, k := range but {
		q.Del(k)
	}
	var out template.HTML
	for _, k := range sortedKeys(q) {
		for _, v := range q[k] {
			out += template.HTML(`<input type="hidden" name="` + template.HTMLEscapeString(k) + `" value="` + template.HTMLEscapeString(v) + `">`)
		}
	}
	return out
}

// oneOf gives the value of a parameter if it is one of those offered, else the first.
func oneOf(q url.Values, key string, values ...string) string {
	for _, v := range values {
		if q.Get(key) == v {
			return v
		}
	}
	return values[0]
}
