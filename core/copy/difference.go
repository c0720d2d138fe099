package copy

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Difference gives a change that makes b of a, by words, with attributes.
func Difference(a, b Text) Change {
	x, y := tokens(a), tokens(b)
	words := func(ts []stretch) []string {
		out := make([]string, len(ts))
		for i, t := range ts {
			out[i] = t.Insert + t.Embed
		}
		return out
	}
	var c runs
	i, j := 0, 0
	to := func(m match) {
		for ; i < m.a; i++ {
			c.push(Op{Delete: x[i].Len()})
		}
		for ; j < m.b; j++ {
			c.push(y[j].Op)
		}
	}
	for _, m := range common(words(x), words(y)) {
		to(m)
		c.push(Op{Retain: x[i].Len(), Attributes: differ(x[i].Attributes, y[j].Attributes)})
		i, j = i+1, j+1
	}
	to(match{len(x), len(y)})
	return c.change().chop()
}

// KeepQueries gives a change that leaves on the words it keeps the marks of queries.
func (c Change) KeepQueries() Change {
	var out runs
	for _, o := range c {
		if o.Retain > 0 {
			o.Attributes = o.Attributes.keep(func(name string) bool { return !strings.HasPrefix(name, "query-") })
		}
		out.push(o)
	}
	return out.change().chop()
}

// tokens gives a text in words, spaces, signs, line breaks and pictures.
func tokens(t Text) []stretch {
	var out []stretch
	for _, s := range t.stretches() {
		if s.Embed != "" {
			out = append(out, s)
			continue
		}
		at := s.at
		for rest := s.Insert; rest != ""; {
			part := s
			part.Insert = rest[:token(rest)]
			part.at = at
			at += part.Len()
			rest = rest[len(part.Insert):]
			out = append(out, part)
		}
	}
	return out
}

// token gives the bytes of the first token of a text: a word, or one other character.
func token(s string) int {
	first, n := utf8.DecodeRuneInString(s)
	if !inWord(first) {
		return n
	}
	for i, r := range s {
		if !inWord(r) {
			return i
		}
	}
	return len(s)
}

func inWord(r rune) bool {
	return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) || r == '’' || r == '\''
}

// match says that a[m.a] goes together with b[m.b].
type match struct{ a, b int }

// common finds what two lists have in common, in order: what is there once in each
// first, and between those the longest common row where it is short enough to look for.
func common[T comparable](a, b []T) []match {
	return commonAt(a, b, 0, 0, nil)
}

// mostCells is up to how many pairs all common rows are looked at.
const mostCells = 1 << 20

func commonAt[T comparable](a, b []T, i, j int, out []match) []match {
	for len(a) > 0 && len(b) > 0 && a[0] == b[0] {
		out = append(out, match{i, j})
		a, b, i, j = a[1:], b[1:], i+1, j+1
	}
	tail := 0
	for tail < len(a) && tail < len(b) && a[len(a)-1-tail] == b[len(b)-1-tail] {
		tail++
	}
	end := match{i + len(a) - tail, j + len(b) - tail}
	a, b = a[:len(a)-tail], b[:len(b)-tail]
	if len(a) > 0 && len(b) > 0 {
		switch row := once(a, b); {
		case len(a)*len(b) <= mostCells:
			out = longest(a, b, i, j, out)
		case len(row) > 0:
			p, q := 0, 0
			for _, m := range append(row, match{len(a), len(b)}) {
				out = commonAt(a[p:m.a], b[q:m.b], i+p, j+q, out)
				if m.a < len(a) {
					out = append(out, match{i + m.a, j + m.b})
				}
				p, q = m.a+1, m.b+1
			}
		}
	}
	for k := range tail {
		out = append(out, match{end.a + k, end.b + k})
	}
	return out
}

// once finds the longest row of things that are there exactly once in each list.
func once[T comparable](a, b []T) []match {
	type count struct{ a, b, at, to int }
	seen := map[T]*count{}
	for i, x := range a {
		if seen[x] == nil {
			seen[x] = &count{}
		}
		seen[x].a++
		seen[x].at = i
	}
	for j, x := range b {
		if c := seen[x]; c != nil {
			c.b++
			c.to = j
		}
	}
	var row []match
	for i, x := range a {
		if c := seen[x]; c.a == 1 && c.b == 1 {
			row = append(row, match{i, c.to})
		}
	}
	// the longest rising row of b (patience sorting)
	var piles []int
	before := make([]int, len(row))
	for i, m := range row {
		p, _ := slices.BinarySearchFunc(piles, m.b, func(k, b int) int { return row[k].b - b })
		before[i] = -1
		if p > 0 {
			before[i] = piles[p-1]
		}
		if p == len(piles) {
			piles = append(piles, i)
		} else {
			piles[p] = i
		}
	}
	if len(piles) == 0 {
		return nil
	}
	out := make([]match, len(piles))
	for k, i := len(piles)-1, piles[len(piles)-1]; k >= 0; k, i = k-1, before[i] {
		out[k] = row[i]
	}
	return out
}

// longest finds the longest common row of two short lists.
func longest[T comparable](a, b []T, i, j int, out []match) []match {
	w := len(b) + 1
	best := make([]int32, (len(a)+1)*w)
	for x := len(a) - 1; x >= 0; x-- {
		for y := len(b) - 1; y >= 0; y-- {
			if a[x] == b[y] {
				best[x*w+y] = best[(x+1)*w+y+1] + 1
			} else {
				best[x*w+y] = max(best[(x+1)*w+y], best[x*w+y+1])
			}
		}
	}
	for x, y := 0, 0; x < len(a) && y < len(b); {
		switch {
		case a[x] == b[y]:
			out = append(out, match{i + x, j + y})
			x, y = x+1, y+1
		case best[(x+1)*w+y] >= best[x*w+y+1]:
			x++
		default:
			y++
		}
	}
	return out
}

// Fate is what became of a line, or of words in it, between two versions.
type Fate string

// The fates.
const (
	Same      Fate = "same"
	New       Fate = "new"
	Gone      Fate = "gone"
	Changed   Fate = "changed"    // a line of which some words are new or gone
	MovedAway Fate = "moved away" // a line that is elsewhere in the newer version, unchanged
	MovedHere Fate = "moved here"
	Reshaped  Fate = "reshaped" // the same words, set otherwise
)

// Compared is a line of a reading view of two versions.
type Compared struct {
	Fate  Fate
	Spans []ComparedSpan
	Line  Attributes // of the newer version, or of the older one where the line is gone
}

// ComparedSpan is a stretch of words in it.
type ComparedSpan struct {
	Fate Fate
	Op
}

// leastMoved is from how many words on an equal line elsewhere counts as moved.
const leastMoved = 4

// Compare gives a reading view of what is different between two versions: by lines, and
// within lines that are alike by words. A line that is gone in one place and new in
// another, unchanged, was moved.
func Compare(was, is Text) []Compared {
	a, b := was.Lines(), is.Lines()
	x, y := plainLines(a), plainLines(b)
	matches := append(common(x, y), match{len(a), len(b)})
	var gone, come []int // lines without a partner
	i, j := 0, 0
	for _, m := range matches {
		for ; i < m.a; i++ {
			gone = append(gone, i)
		}
		for ; j < m.b; j++ {
			come = append(come, j)
		}
		i, j = m.a+1, m.b+1
	}
	moved := func(text string, among []int, in []string) bool {
		return len(strings.Fields(text)) >= leastMoved && slices.ContainsFunc(among, func(k int) bool { return in[k] == text })
	}
	var out []Compared
	i, j = 0, 0
	for _, m := range matches {
		out = append(out, compareGap(a[i:m.a], b[j:m.b], func(l Line) bool { return moved(l.plain(), come, y) }, func(l Line) bool { return moved(l.plain(), gone, x) })...)
		if m.a < len(a) {
			out = append(out, reshaped(a[m.a], b[m.b]))
		}
		i, j = m.a+1, m.b+1
	}
	return out
}

func plainLines(ls []Line) []string {
	out := make([]string, len(ls))
	for i, l := range ls {
		out[i] = l.plain()
	}
	return out
}

func (l Line) plain() string {
	var b strings.Builder
	for _, s := range l.Spans {
		b.WriteString(s.Insert + s.Embed)
	}
	return b.String()
}

func reshaped(a, b Line) Compared {
	same := slices.Equal(a.Attributes, b.Attributes) && slices.EqualFunc(a.Spans, b.Spans, Op.equal)
	if same {
		return whole(b, Same)
	}
	return whole(b, Reshaped)
}

func whole(l Line, f Fate) Compared {
	c := Compared{Fate: f, Line: l.Attributes}
	for _, s := range l.Spans {
		c.Spans = append(c.Spans, ComparedSpan{f, s})
	}
	return c
}

// compareGap compares lines between two that are the same: each with the one most like
// it, in order.
func compareGap(a, b []Line, goes, comes func(Line) bool) []Compared {
	var out []Compared
	j := 0
	for _, l := range a {
		if goes(l) {
			out = append(out, whole(l, MovedAway))
			continue
		}
		best, share := -1, 0.4 // less in common is another line
		for k := j; k < len(b); k++ {
			if s := alike(l, b[k]); s > share && !comes(b[k]) {
				best, share = k, s
			}
		}
		if best < 0 {
			out = append(out, whole(l, Gone))
			continue
		}
		for ; j < best; j++ {
			out = append(out, arrived(b[j], comes))
		}
		out = append(out, byWords(l, b[best]))
		j++
	}
	for ; j < len(b); j++ {
		out = append(out, arrived(b[j], comes))
	}
	return out
}

func arrived(l Line, comes func(Line) bool) Compared {
	if comes(l) {
		return whole(l, MovedHere)
	}
	return whole(l, New)
}

// alike is the share of the words of two lines that they have in common.
func alike(a, b Line) float64 {
	x, y := strings.Fields(a.plain()), strings.Fields(b.plain())
	if len(x)+len(y) == 0 {
		return 0
	}
	return 2 * float64(len(common(x, y))) / float64(len(x)+len(y))
}

func byWords(a, b Line) Compared {
	out := Compared{Fate: Changed, Line: b.Attributes}
	add := func(f Fate, o Op) {
		if n := len(out.Spans); n > 0 && out.Spans[n-1].Fate == f && join(&out.Spans[n-1].Op, o) {
			return
		}
		out.Spans = append(out.Spans, ComparedSpan{f, o})
	}
	x, y := tokens(Text(a.Spans)), tokens(Text(b.Spans))
	key := func(ts []stretch) []string {
		ks := make([]string, len(ts))
		for i, t := range ts {
			ks[i] = t.Insert + t.Embed
		}
		return ks
	}
	i, j := 0, 0
	for _, m := range append(common(key(x), key(y)), match{len(x), len(y)}) {
		for ; i < m.a; i++ {
			add(Gone, x[i].Op)
		}
		for ; j < m.b; j++ {
			add(New, y[j].Op)
		}
		if m.a < len(x) {
			f := Same
			if !slices.Equal(x[i].Attributes, y[j].Attributes) {
				f = Reshaped
			}
			add(f, y[j].Op)
			i, j = i+1, j+1
		}
	}
	return out
}
