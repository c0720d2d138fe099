package copy

import (
	"cmp"
	"greenbaton/core/ref"
	"slices"
	"strings"
)

// stretch is a part of a text within which nothing changes: words, a picture, or a
// line break.
type stretch struct {
	Op
	at   int
	line bool
}

// stretches gives a text in parts that are either words or line breaks.
func (t Text) stretches() []stretch {
	out := make([]stretch, 0, 2*len(t))
	at := 0
	for _, o := range t {
		rest := o
		for rest.Insert != "" || rest.Embed != "" {
			part := rest
			line := rest.Embed == "" && rest.Insert[0] == '\n'
			if i := strings.IndexFunc(rest.Insert, func(r rune) bool { return (r == '\n') != line }); i > 0 {
				part.Insert = rest.Insert[:i]
			}
			rest.Embed, rest.Insert = "", rest.Insert[len(part.Insert):]
			out = append(out, stretch{part, at, line})
			at += part.Len()
		}
	}
	return out
}

// Propose turns an edit of a text into a proposal of it under a key: what it inserts is
// put, what it deletes is cut, what it sets is proposed to be set, and the text itself
// stays. What the same person had proposed to put is changed itself. Words are put
// behind those they are to replace.
func (t Text) Propose(edit Change, key string) Change {
	p := proposer{key: key, by: By(key), base: &reader{ops: Change(t)}, last: t.Len() - 1}
	for _, o := range edit {
		switch {
		case o.inserts():
			p.held = append(p.held, o)
		case o.Delete > 0:
			p.each(o.Delete, p.cut)
		case len(o.Attributes) == 0:
			p.put()
			p.base.skip(o.Retain)
			p.at += o.Retain
			p.out = p.out.push(Op{Retain: o.Retain})
		default:
			p.put()
			p.each(o.Retain, func(s stretch) Op { return p.set(s, o.Attributes) })
		}
	}
	p.put()
	return p.out.chop()
}

type proposer struct {
	key  string
	by   ref.Person
	base *reader
	at   int
	last int  // where the last line break of the text is
	held []Op // what is inserted at this place, behind what is cut here
	out  Change
}

// each goes over n characters of the text in stretches.
func (p *proposer) each(n int, f func(stretch) Op) {
	for n > 0 && p.base.more() {
		o := p.base.next(n)
		n -= o.Len()
		for _, s := range (Text{o}).stretches() {
			s.at = p.at
			p.at += s.Len()
			p.out = p.out.push(f(s))
		}
	}
}

func (r *reader) skip(n int) {
	for n > 0 && r.more() {
		n -= r.next(n).Len()
	}
}

func (p *proposer) put() {
	for _, o := range p.held {
		for _, s := range (Text{o}).stretches() {
			s.Attributes = s.Attributes.keep(func(n string) bool { return !isMark(n) }).With(putName(s.line), p.key)
			p.out = p.out.push(s.Op)
		}
	}
	p.held = nil
}

func (p *proposer) cut(s stretch) Op {
	if s.Author() == p.by {
		return Op{Delete: s.Len()}
	}
	keep := Op{Retain: s.Len()}
	own := slices.ContainsFunc(s.Attributes.Marks(), func(m Mark) bool { return m.Kind == Cut && By(m.Key) == p.by })
	if !own && (!s.line || s.at+s.Len() <= p.last) {
		keep.Attributes = Set(cutName(p.key, s.line), true)
	}
	return keep
}

func (p *proposer) set(s stretch, a Attributes) Op {
	if s.Author() == p.by {
		return Op{Retain: s.Len(), Attributes: a}
	}
	a = a.keep(func(n string) bool { return settable(n, s.line) })
	name, alone := setName(p.key, s.line), true
	for _, m := range s.Attributes.Marks() {
		switch {
		case m.Kind != Reset:
		case m.Key == p.key:
			a = compose(m.Sets, a, true)
		default:
			alone = false
		}
	}
	if alone { // what is set already needs no proposal
		a = a.keep(func(n string) bool {
			v := s.Attributes.Raw(n)
			return a.Raw(n) != v && (a.Raw(n) != null || v != "")
		})
	}
	o := Op{Retain: s.Len()}
	switch {
	case len(a) > 0:
		o.Attributes = Set(name, string(a.append(nil)))
	case s.Attributes.Has(name):
		o.Attributes = Set(name, nil)
	}
	return o
}

// Decide gives the change that takes, or leaves, the proposals with keys that are
// picked. What is taken is of the text from then on; what is left never was.
func (t Text) Decide(take bool, pick func(key string) bool) Change {
	var out Change
	all := t.stretches()
	kept := false // a line break would be the last of what is kept
	for i, s := range all {
		o := decide(s, take, pick)
		if last := i == len(all)-1; last && o.Delete > 0 {
			if n := s.Len(); !kept && n > 0 { // the last line break stays
				var a Attributes
				for _, m := range s.Attributes.Marks() {
					a = a.With(m.name(), nil)
				}
				out = out.push(Op{Delete: n - 1}).push(Op{Retain: 1, Attributes: a})
				continue
			}
		}
		if o.Delete == 0 {
			kept = s.line
		}
		out = out.push(o)
	}
	return out.Sound()
}

func (m Mark) name() string {
	switch m.Kind {
	case Put:
		return putName(m.Line)
	case Cut:
		return cutName(m.Key, m.Line)
	case Reset:
		return setName(m.Key, m.Line)
	}
	return QueryName(m.ID)
}

func decide(s stretch, take bool, pick func(string) bool) Op {
	marks := s.Attributes.Marks()
	slices.SortStableFunc(marks, func(x, y Mark) int { return compareKeys(x.Key, y.Key) })
	o := Op{Retain: s.Len()}
	for i, m := range marks {
		switch {
		case m.Kind == Query || !pick(m.Key):
			continue
		case take && m.Kind == Cut, !take && m.Kind == Put:
			return Op{Delete: s.Len()}
		case take && m.Kind == Reset:
			o.Attributes = compose(o.Attributes, wholeKind(m.Sets), true)
			for k := range marks[:i] {
				if e := &marks[k]; e.Kind == Reset && !pick(e.Key) && e.outdone(m) {
					o.Attributes = o.Attributes.with(e.name(), e.setting())
				}
			}
		}
		o.Attributes = o.Attributes.with(m.name(), null)
	}
	return o
}

// outdone makes a proposal to set something set no more what one that was made later and is taken sets, so
// that the later one wins, whichever is taken first; it reports whether that changes it. A line has one kind:
// whoever sets it sets all of it.
func (m *Mark) outdone(later Mark) bool {
	sets, n := wholeKind(later.Sets), len(m.Sets)
	m.Sets = m.Sets.keep(func(name string) bool { return sets.Raw(name) == "" })
	return len(m.Sets) < n
}

// setting is the value of the attribute that is the mark of a proposal to set something; null where it sets
// nothing any more.
func (m *Mark) setting() string {
	if len(m.Sets) == 0 {
		return null
	}
	return Set(m.name(), string(m.Sets.append(nil))).Raw(m.name())
}

// compareKeys orders proposals by when they were made, which their tokens begin with.
func compareKeys(x, y string) int {
	_, a, _ := strings.Cut(x, ".")
	_, b, _ := strings.Cut(y, ".")
	return cmp.Or(cmp.Compare(len(a), len(b)), strings.Compare(a, b), strings.Compare(x, y))
}

func everything(string) bool { return true }

// Taken is the copy as it would be with all proposals taken.
func (t Text) Taken() Text { return t.decided(true) }

// Left is the copy as it would be with all proposals left.
func (t Text) Left() Text { return t.decided(false) }

func (t Text) decided(take bool) Text {
	if !slices.ContainsFunc(t, func(o Op) bool { return len(o.Attributes.Marks()) > 0 }) {
		return t
	}
	raw, err := Change(t).Compose(t.Decide(take, everything))
	if err != nil { // a decision goes by whole stretches and splits nothing
		return t
	}
	return fit(raw)
}

// Clean is the copy for readers: proposals left, and no query on it.
func (t Text) Clean() Text {
	var out runs
	for _, o := range t.Left() {
		o.Attributes = o.Attributes.keep(func(n string) bool { return !isMark(n) && n != "advice" })
		out.push(o)
	}
	return Text(out.change())
}

// Proposal is what one person proposes at one place: neighbouring marks of theirs read
// as one.
type Proposal struct {
	By      ref.Person
	Keys    []string // in the order they were made
	At, Len int      // where it is in the copy
	Parts   []Part
}

// Part is a stretch of a proposal.
type Part struct {
	Kind MarkKind // Put, Cut or Reset
	Op
	Sets Attributes // of Reset
}

// Was is the wording that would be replaced, Becomes what would come in its place.
func (p Proposal) Was() string { return p.text(Cut) }

// Becomes is what would be put.
func (p Proposal) Becomes() string { return p.text(Put) }

func (p Proposal) text(kind MarkKind) string {
	var b strings.Builder
	for _, x := range p.Parts {
		if x.Kind == kind {
			b.WriteString(x.Insert)
		}
	}
	return b.String()
}

// Proposals reads the proposals on a copy, in the order of their places.
func (t Text) Proposals() []Proposal {
	var out []Proposal
	open := map[ref.Person]int{} // by person the proposal that ends here
	at := 0
	for _, o := range t {
		n := o.Len()
		for _, m := range o.Attributes.Marks() {
			if m.Kind == Query {
				continue
			}
			by := By(m.Key)
			i, found := open[by]
			if !found || out[i].At+out[i].Len < at {
				out = append(out, Proposal{By: by, At: at})
				i = len(out) - 1
				open[by] = i
			}
			p := &out[i]
			p.Len = at + n - p.At
			if !slices.Contains(p.Keys, m.Key) {
				p.Keys = append(p.Keys, m.Key)
			}
			p.Parts = append(p.Parts, Part{m.Kind, o, m.Sets})
		}
		at += n
	}
	for i := range out {
		slices.SortFunc(out[i].Keys, compareKeys)
	}
	return out
}

// Place is where something is in a copy.
type Place struct{ At, Len int }

// Read gives the words at a place.
func (t Text) Read(p Place) string {
	var b strings.Builder
	at := &reader{ops: Change(t)}
	at.skip(max(0, p.At))
	for n := p.Len; n > 0 && at.more(); {
		o := at.next(n)
		n -= o.Len()
		b.WriteString(o.Insert)
	}
	return b.String()
}

// Place finds words within a copy, the first time they are there; Len is 0 if they are not.
func (t Text) Place(words string) Place {
	at := 0
	for _, o := range t {
		if i := strings.Index(o.Insert, words); i >= 0 && words != "" {
			return Place{at + Units(o.Insert[:i]), Units(words)}
		}
		at += o.Len()
	}
	return Place{}
}

// Find gives where a picture is in a copy, -1 if it is not there.
func (t Text) Find(file ref.File) int {
	at := 0
	for _, o := range t {
		if Picture(o) == file {
			return at
		}
		at += o.Len()
	}
	return -1
}

// Places gives where the words are that queries are about, by query.
func (t Text) Places() map[ref.Query][]Place {
	out := map[ref.Query][]Place{}
	at := 0
	for _, o := range t {
		n := o.Len()
		for _, m := range o.Attributes.Marks() {
			if m.Kind != Query {
				continue
			}
			ps := out[m.ID]
			if k := len(ps); k > 0 && ps[k-1].At+ps[k-1].Len == at {
				ps[k-1].Len += n
			} else {
				out[m.ID] = append(ps, Place{at, n})
			}
		}
		at += n
	}
	return out
}

// FromLeft gives the place in the copy of a place in what is left of it when all
// proposals are: what is proposed to be put is stepped over.
func (t Text) FromLeft(p Place) Place {
	end := p.At + p.Len
	from, to, left, here := -1, -1, 0, 0
	for _, o := range t {
		n := o.Len()
		if !slices.ContainsFunc(o.Attributes.Marks(), func(m Mark) bool { return m.Kind == Put }) {
			if from < 0 && p.At < left+n {
				from = here + p.At - left
			}
			if to < 0 && end <= left+n {
				to = here + end - left
			}
			left += n
		}
		here += n
	}
	if from < 0 {
		from = here
	}
	return Place{At: from, Len: max(0, max(to, from)-from)}
}
