package copy

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"greenbaton/core/ref"
)

// Op is one step of a change: it inserts text or an object, goes over so many
// characters, setting attributes on them, or deletes so many. Lengths are in UTF-16
// code units, which is what browsers count in; an object counts as one.
type Op struct {
	Insert     string
	Embed      string // JSON of an inserted object, such as a picture
	Retain     int
	Delete     int
	Attributes Attributes
}

// Change is a list of steps from the beginning of a text on. What follows the last
// step stays as it is.
type Change []Op

// ErrMisfit says that a change does not fit the text it is applied to.
var ErrMisfit = errors.New("the change does not fit the copy")

func misfit(text string) error { return fmt.Errorf("%w: %s", ErrMisfit, text) }

// Units counts a text in UTF-16 code units.
func Units(s string) int {
	n := len(s)
	for i := 0; i < len(s); i++ {
		if s[i] >= utf8.RuneSelf {
			n = 0
			for _, r := range s {
				n += utf16.RuneLen(r)
			}
			break
		}
	}
	return n
}

// Len is how many characters of the text before or after it a step is about.
func (o Op) Len() int {
	switch {
	case o.Delete > 0:
		return o.Delete
	case o.Retain > 0:
		return o.Retain
	case o.Embed != "":
		return 1
	}
	return Units(o.Insert)
}

func (o Op) inserts() bool { return o.Insert != "" || o.Embed != "" }

func (o Op) equal(p Op) bool {
	return o.Insert == p.Insert && o.Embed == p.Embed && o.Retain == p.Retain && o.Delete == p.Delete && slices.Equal(o.Attributes, p.Attributes)
}

// push appends a step in the one way it can be written: neighbours of a kind become
// one, and text is inserted before anything is deleted at the same place.
func (c Change) push(o Op) Change {
	if o.Len() == 0 {
		return c
	}
	n := len(c)
	if n == 0 {
		return append(c, o)
	}
	last := &c[n-1]
	if last.Delete > 0 {
		if o.Delete > 0 {
			last.Delete += o.Delete
			return c
		}
		if o.inserts() {
			if n == 1 || !join(&c[n-2], o) {
				return slices.Insert(c, n-1, o)
			}
			return c
		}
	}
	if join(last, o) {
		return c
	}
	return append(c, o)
}

// join makes one step of two that follow each other, where they are of a kind.
func join(last *Op, o Op) bool {
	if !slices.Equal(last.Attributes, o.Attributes) {
		return false
	}
	switch {
	case last.Insert != "" && o.Insert != "":
		last.Insert += o.Insert
	case last.Retain > 0 && o.Retain > 0:
		last.Retain += o.Retain
	default:
		return false
	}
	return true
}

// runs puts a change together step by step, as push does. Inserts that are alike are joined
// at once and not one by one, so that very many small ones take no longer than their length.
type runs struct {
	out  Change
	held Op     // an insert that is not in out yet
	more []byte // all of its text, once there is more than one
}

func (r *runs) push(o Op) {
	if o.Insert == "" {
		r.flush()
		r.out = r.out.push(o)
		return
	}
	switch {
	case r.held.Insert == "":
		r.held = o
	case !slices.Equal(r.held.Attributes, o.Attributes):
		r.flush()
		r.held = o
	case len(r.more) == 0:
		r.more = append(append(r.more, r.held.Insert...), o.Insert...)
	default:
		r.more = append(r.more, o.Insert...)
	}
}

func (r *runs) flush() {
	if r.held.Insert == "" {
		return
	}
	if len(r.more) > 0 {
		r.held.Insert, r.more = string(r.more), r.more[:0]
	}
	r.out, r.held = r.out.push(r.held), Op{}
}

// change gives what was put together.
func (r *runs) change() Change {
	r.flush()
	return r.out
}

// Builder puts a text together from its beginning, in time of its length.
type Builder struct {
	runs
	size int
}

// Put adds words or line breaks.
func (b *Builder) Put(s string, a Attributes) {
	s = strings.ToValidUTF8(s, "\uFFFD")
	b.size += len(s)
	b.push(Op{Insert: s, Attributes: a})
}

// PutPicture adds a stored picture, with what it says to who does not see it.
func (b *Builder) PutPicture(file ref.File, alt string) {
	o := Op{Embed: PictureOf(file)}
	if alt != "" {
		o.Attributes = Set("alt", alt)
	}
	b.push(o)
}

// Size is how many bytes of text were added.
func (b *Builder) Size() int { return b.size }

// Text gives the text in its one form, as Parse does; the builder is used up.
func (b *Builder) Text() Text { return endedText(fit(b.change())) }

// chop takes away what a change says of the end and does not change.
func (c Change) chop() Change {
	if n := len(c); n > 0 && c[n-1].Retain > 0 && len(c[n-1].Attributes) == 0 {
		return c[:n-1]
	}
	return c
}

// Keep, Put and Cut build a change step by step.

// Keep goes over n characters and changes their attributes.
func (c Change) Keep(n int, a Attributes) Change { return c.push(Op{Retain: n, Attributes: a}) }

// Put inserts text.
func (c Change) Put(s string, a Attributes) Change { return c.push(Op{Insert: s, Attributes: a}) }

// Cut deletes n characters.
func (c Change) Cut(n int) Change { return c.push(Op{Delete: n}) }

// reader walks through a change and gives its steps in pieces of any length.
type reader struct {
	ops  Change
	i    int
	byt  int // bytes of its text
	left int // units of the step at i that are not read; 0 if not known yet
	err  error
}

const endless = int(^uint(0) >> 1)

func (r *reader) more() bool { return r.i < len(r.ops) }

// rest is how long the step at hand still is.
func (r *reader) rest() int {
	if !r.more() {
		return endless
	}
	if r.left == 0 {
		r.left = r.ops[r.i].Len()
	}
	return r.left
}

func (r *reader) inserts() bool { return r.more() && r.ops[r.i].inserts() }
func (r *reader) deletes() bool { return r.more() && r.ops[r.i].Delete > 0 }

// next reads at most n units of the step at hand; behind the end everything is kept.
func (r *reader) next(n int) Op {
	if !r.more() {
		return Op{Retain: n}
	}
	o, rest := r.ops[r.i], r.rest()
	n = min(n, rest)
	switch {
	case o.Delete > 0:
		o = Op{Delete: n}
	case o.Retain > 0:
		o.Retain = n
	case o.Embed == "" && (n < rest || r.byt > 0):
		end := len(o.Insert)
		if n < rest {
			end = r.byt + r.cut(o.Insert[r.byt:], n)
		}
		o.Insert, r.byt = o.Insert[r.byt:end], end
	}
	r.left -= n
	if r.left == 0 {
		r.i, r.byt = r.i+1, 0
	}
	return o
}

// cut gives the bytes of the first n units of a text, and notes if that would split a
// character.
func (r *reader) cut(s string, n int) int {
	end := len(s)
	for i, c := range s {
		if n <= 0 {
			end = i
			break
		}
		n -= utf16.RuneLen(c)
	}
	if n < 0 {
		r.err = fmt.Errorf("%w: it would split a character in two", ErrMisfit)
	}
	return end
}

// Compose gives the one change that does first c and then b. An error says that b
// would split a character that c inserts.
func (c Change) Compose(b Change) (Change, error) {
	x, y := &reader{ops: c}, &reader{ops: b}
	out := runs{out: make(Change, 0, len(c)+len(b))}
	for x.more() || y.more() {
		switch {
		case y.inserts():
			out.push(y.next(endless))
			continue
		case x.deletes():
			out.push(x.next(endless))
			continue
		case !y.more(): // the rest stays as it is
			for x.more() {
				out.push(x.next(endless))
			}
			continue
		}
		n := min(x.rest(), y.rest())
		p, q := x.next(n), y.next(n)
		switch {
		case q.Retain > 0:
			p.Attributes = compose(p.Attributes, q.Attributes, p.Retain > 0)
			out.push(p)
		case p.Retain > 0:
			out.push(q)
		}
	}
	return out.change().chop(), errors.Join(x.err, y.err)
}

// Transform gives the change b, made on the same text as c, as it is to be applied
// after c. With first, c counts as made first: of texts inserted at the same place
// its own comes first, and of attributes both set its own hold.
func (c Change) Transform(b Change, first bool) Change {
	x, y := &reader{ops: c}, &reader{ops: b}
	out := runs{out: make(Change, 0, len(b)+2)}
	for x.more() || y.more() {
		switch {
		case x.inserts() && (first || !y.inserts()):
			out.push(Op{Retain: x.next(endless).Len()})
			continue
		case y.inserts():
			out.push(y.next(endless))
			continue
		case !x.more():
			for y.more() {
				out.push(y.next(endless))
			}
			continue
		case !y.more():
			return out.change().chop()
		}
		n := min(x.rest(), y.rest())
		p, q := x.next(n), y.next(n)
		switch {
		case p.Delete > 0:
		case q.Delete > 0:
			out.push(q)
		default:
			out.push(Op{Retain: n, Attributes: after(q.Attributes, p.Attributes, first)})
		}
	}
	return out.change().chop()
}

// Position carries a place in the text through the change. With stays, text inserted
// exactly there comes behind it.
func (c Change) Position(at int, stays bool) int {
	done := 0
	for _, o := range c {
		if done > at {
			break
		}
		n := o.Len()
		switch {
		case o.Delete > 0:
			at -= min(n, at-done)
			continue
		case o.inserts() && (done < at || !stays):
			at += n
		}
		done += n
	}
	return at
}

// Invert gives the change that takes c back, which was made on base.
func (c Change) Invert(base Change) (Change, error) {
	at := &reader{ops: base}
	var out runs
	for _, o := range c {
		if o.inserts() {
			out.push(Op{Delete: o.Len()})
			continue
		}
		for n := o.Len(); n > 0; {
			if !at.more() {
				return nil, fmt.Errorf("%w: it goes beyond the end", ErrMisfit)
			}
			b := at.next(n)
			m := b.Len()
			n -= m
			if o.Delete > 0 {
				out.push(b)
			} else {
				out.push(Op{Retain: m, Attributes: invert(o.Attributes, b.Attributes)})
			}
		}
	}
	return out.change().chop(), at.err
}

// Len is how long a text is, or what a change inserts, keeps and deletes together.
func (c Change) Len() int {
	n := 0
	for _, o := range c {
		n += o.Len()
	}
	return n
}

// reach is how much of a text a change needs.
func (c Change) reach() int {
	n := 0
	for _, o := range c {
		if !o.inserts() {
			n += o.Len()
		}
	}
	return n
}
