package copy

import (
	"encoding/json"
	"greenbaton/core/ref"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// What attributes hold at most, in bytes.
const (
	maxLink   = 2_000
	maxAdvice = 2_000
	maxWords  = 1_000 // a caption or an alternative of a picture
)

var focusForm = regexp.MustCompile(`^(100|\d{1,2}) (100|\d{1,2})$`)

// known reports whether a value may stand under a name, and whether the name is one of
// a line (on its break) or of words and pictures.
func known(name, value string) (ok, line bool) {
	text := func(most int) bool {
		var s string
		return json.Unmarshal([]byte(value), &s) == nil && s != "" && len(s) <= most && utf8.ValidString(s)
	}
	switch name {
	case "bold", "italic":
		return value == "true", false
	case "blockquote":
		return value == "true", true
	case "header":
		return value == "2" || value == "3" || value == "4", true
	case "list":
		return value == `"bullet"` || value == `"ordered"`, true
	case "advice":
		return text(maxAdvice), true
	case "link":
		var s string
		return text(maxLink) && json.Unmarshal([]byte(value), &s) == nil && SafeLink(s), false
	case "caption", "alt":
		return text(maxWords), false
	case "focus": // the point of a picture that stays in view, in hundredths from the left and from the top
		var s string
		return json.Unmarshal([]byte(value), &s) == nil && focusForm.MatchString(s), false
	}
	m := markOf(name, value)
	return m.Kind != "", m.Line
}

// kinds of a line of which it has one at most, the first of them that it is given.
var lineKinds = []string{"header", "list", "blockquote"}

// fitAttributes keeps of attributes what belongs on words, or on a line break.
func fitAttributes(a Attributes, line bool) Attributes {
	if line {
		if h := a.Raw("header"); h == "1" {
			a = a.with("header", "2")
		} else if h == "5" || h == "6" {
			a = a.with("header", "4")
		}
	}
	a = a.keep(func(name string) bool {
		ok, is := known(name, a.Raw(name))
		return ok && is == line
	})
	has := false
	for _, k := range lineKinds {
		if a.Has(k) && has {
			a = a.keep(func(n string) bool { return n != k })
		}
		has = has || a.Has(k)
	}
	return a
}

// fit puts a text into its one form: on words only what belongs on words, on a line
// break only what belongs to a line, and a line of one kind.
func fit(c Change) Text {
	out := runs{out: make(Change, 0, len(c))}
	for _, o := range c {
		if len(o.Attributes) == 0 {
			out.push(o)
			continue
		}
		for _, s := range (Text{o}).stretches() {
			s.Attributes = fitAttributes(s.Attributes, s.line)
			out.push(s.Op)
		}
	}
	return Text(out.change())
}

// Picture gives the file that a step inserts as a picture, or 0.
func Picture(o Op) ref.File {
	var p struct{ Picture string }
	if o.Embed == "" || json.Unmarshal([]byte(o.Embed), &p) != nil {
		return 0
	}
	n, err := strconv.ParseInt(p.Picture, 10, 64)
	if err != nil || n < 1 || o.Embed != PictureOf(ref.File(n)) {
		return 0
	}
	return ref.File(n)
}

// Pictures gives the files that a change inserts as pictures.
func (c Change) Pictures() []ref.File {
	var out []ref.File
	for _, o := range c {
		if file := Picture(o); file != 0 {
			out = append(out, file)
		}
	}
	return out
}

// WithPictures gives a text without the pictures that it may not hold.
func (t Text) WithPictures(may func(file ref.File) bool) Text {
	return slices.DeleteFunc(slices.Clone(t), func(o Op) bool {
		file := Picture(o)
		return file != 0 && !may(file)
	})
}

// PictureOf gives the object that stands for a stored picture in a text.
func PictureOf(file ref.File) string {
	return `{"picture":"` + strconv.FormatInt(int64(file), 10) + `"}`
}

// Apply does a change to a copy. The result is in its one form. ErrMisfit says that
// the change reaches beyond the end, splits a character, inserts what a copy does not
// hold, or takes away the last line break.
func (t Text) Apply(c Change) (Text, error) {
	for _, o := range c {
		if o.Embed != "" && Picture(o) == 0 {
			return nil, misfit("it inserts something that is no picture")
		}
	}
	if c.reach() > t.Len() {
		return nil, misfit("it goes beyond the end")
	}
	raw, err := Change(t).Compose(c)
	if err != nil {
		return nil, err
	}
	if n := len(raw); n == 0 || !strings.HasSuffix(raw[n-1].Insert, "\n") {
		return nil, misfit("it takes away the last line break")
	}
	return fit(raw), nil
}

// Sound gives a change as a copy takes it. What it sets and no copy knows is dropped, and
// of what is on its inserts whatever does not belong there.
// Whatever says one thing of the kind of a line says all of it: made a heading, it is no
// item of a list. Of two people who make a line two things at once one then prevails,
// on all screens the same.
func (c Change) Sound() Change {
	var out runs
	for _, o := range c {
		if o.inserts() && len(o.Attributes) > 0 {
			for _, s := range fit(Change{o}) {
				out.push(s)
			}
			continue
		}
		if o.Retain > 0 {
			o.Attributes = wholeKind(o.Attributes.keep(func(name string) bool {
				v := o.Attributes.Raw(name)
				ok, _ := known(name, v)
				return ok || v == null
			}))
		}
		out.push(o)
	}
	return out.change().chop()
}

func wholeKind(a Attributes) Attributes {
	named, given := false, ""
	for _, k := range lineKinds {
		if v := a.Raw(k); v != "" {
			named = true
			if ok, _ := known(k, v); ok && given == "" {
				given = k
			}
		}
	}
	if !named {
		return a
	}
	for _, k := range lineKinds {
		if k != given {
			a = a.with(k, null)
		}
	}
	return a
}

func lineKind(name string) bool { return slices.Contains(lineKinds, name) }
