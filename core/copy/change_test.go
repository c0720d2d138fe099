package copy

import (
	"compress/gzip"
	"encoding/json"
	"errors"
	"greenbaton/core/ref"
	"math/rand/v2"
	"os"
	"slices"
	"testing"
)

// The algebra agrees with the reference library of the operation format, quill-delta
// 5.1.0, on 14,000 generated results; testdata/vectors.mjs made them.
func TestTheAlgebraAgreesWithTheReferenceLibrary(t *testing.T) {
	f, err := os.Open("testdata/delta.json.gz")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	var cases []struct {
		Doc, A, B, Then                            Change
		At, Stays, Goes                            int
		Applied, Composed, First, Second, Inverted Change
	}
	if err := json.NewDecoder(z).Decode(&cases); err != nil {
		t.Fatal(err)
	}
	if len(cases) != 2000 {
		t.Fatalf("%d cases", len(cases))
	}
	for i, x := range cases {
		is := func(what string, want Change, f func() (Change, error)) {
			t.Helper()
			if got, err := f(); err != nil || string(got.JSON()) != string(want.JSON()) {
				t.Errorf("case %d, %s: %s, want %s (%v)\n%s on %s", i, what, got.JSON(), want.JSON(), err, x.A.JSON(), x.Doc.JSON())
			}
		}
		is("applied", x.Applied, func() (Change, error) { return x.Doc.Compose(x.A) })
		is("composed", x.Composed, func() (Change, error) { return x.A.Compose(x.Then) })
		is("transformed, first", x.First, func() (Change, error) { return x.A.Transform(x.B, true), nil })
		is("transformed, second", x.Second, func() (Change, error) { return x.A.Transform(x.B, false), nil })
		is("inverted", x.Inverted, func() (Change, error) { return x.A.Invert(x.Doc) })
		if got := x.A.Position(x.At, true); got != x.Stays {
			t.Errorf("case %d: %d stays at %d, want %d", i, x.At, got, x.Stays)
		}
		if got := x.A.Position(x.At, false); got != x.Goes {
			t.Errorf("case %d: %d goes to %d, want %d", i, x.At, got, x.Goes)
		}
	}
}

// dice makes random copies and edits; the same numbers make the same ones.
type dice struct{ *rand.Rand }

func roll(seed uint64) dice { return dice{rand.New(rand.NewPCG(seed, 7))} }

func (d dice) pick(s ...string) string { return s[d.IntN(len(s))] }

func (d dice) words() string {
	s := ""
	for range 1 + d.IntN(3) {
		s += d.pick("flour", " ", "\n", "mill", "é", "🌾", "ŵy", "a", "stone\n", "“tide”", "\n\n", "水車")
	}
	return s
}

func (d dice) attributes(change bool) Attributes {
	var a Attributes
	for _, x := range []Attr{{"bold", "true"}, {"italic", "true"}, {"link", `"https://a.example/"`}, {"header", "2"}, {"list", `"bullet"`}, {"blockquote", "true"}} {
		if d.IntN(5) > 0 {
			continue
		}
		if change && d.IntN(3) == 0 {
			x.Value = null
		}
		a = a.with(x.Name, x.Value)
	}
	return a
}

func (d dice) insert() Op {
	if d.IntN(8) == 0 {
		return Op{Embed: PictureOf(ref.File(1 + d.IntN(3)))}
	}
	return Op{Insert: d.words(), Attributes: d.attributes(false)}
}

func (d dice) text() Text {
	var c Change
	for range d.IntN(7) {
		c = c.push(d.insert())
	}
	return fit(c.push(Op{Insert: "\n"}))
}

// edit makes a change that fits a text, and leaves its last line break.
func (d dice) edit(t Text) Change {
	var units []int
	for _, o := range t {
		if o.Embed != "" {
			units = append(units, 1)
		}
		for _, r := range o.Insert {
			units = append(units, Units(string(r)))
		}
	}
	units = units[:len(units)-1]
	take := func() (n int) {
		for range min(1+d.IntN(5), len(units)) {
			n += units[0]
			units = units[1:]
		}
		return n
	}
	var c Change
	for range 1 + d.IntN(6) {
		switch d.IntN(4) {
		case 0:
			c = c.push(d.insert())
		case 1:
			c = c.push(Op{Delete: take()})
		case 2:
			c = c.push(Op{Retain: take()})
		default:
			c = c.push(Op{Retain: take(), Attributes: d.attributes(true)})
		}
	}
	return c.Sound().chop()
}

func apply(t *testing.T, x Text, c Change) Text {
	t.Helper()
	out, err := x.Apply(c)
	if err != nil {
		t.Fatalf("%s on %s: %v", c.JSON(), x.JSON(), err)
	}
	return out
}

// Three people edit at once; the server puts each edit behind those that came before.
// All end with what the server has, whatever the order in which edits arrive.
func TestThreeWhoEditAtOnceEndEqual(t *testing.T) {
	for seed := range uint64(3000) {
		d := roll(seed)
		start := d.text()
		var log []Change
		type person struct {
			doc           Text
			seen          int
			sent, pending Change
			at            int // how much of the log was there when sent was made
		}
		people := [3]person{{doc: start}, {doc: start}, {doc: start}}
		server := start
		hear := func(p *person, own int) { // everything up to the end of the log
			for ; p.seen < len(log); p.seen++ {
				r := log[p.seen]
				if p.seen == own {
					p.sent = nil
					continue
				}
				r2 := p.sent.Transform(r, false)
				p.sent = r.Transform(p.sent, true)
				r3 := p.pending.Transform(r2, false)
				p.pending = r2.Transform(p.pending, true)
				p.doc = apply(t, p.doc, r3)
			}
		}
		own := [3]int{-1, -1, -1}
		for range 12 {
			i := d.IntN(3)
			p := &people[i]
			switch d.IntN(3) {
			case 0:
				e := d.edit(p.doc)
				p.doc = apply(t, p.doc, e)
				c, err := p.pending.Compose(e)
				if err != nil {
					t.Fatal(err)
				}
				p.pending = c
			case 1:
				if p.sent == nil && len(p.pending) > 0 {
					p.sent, p.pending, p.at = p.pending, nil, p.seen
					c := p.sent
					for _, r := range log[p.at:] {
						c = r.Transform(c, true)
					}
					after, err := server.Apply(c)
					if err != nil {
						t.Fatal(err)
					}
					server = after
					own[i] = len(log)
					log = append(log, c)
				}
			default:
				hear(p, own[i])
			}
		}
		for i := range people {
			p := &people[i]
			hear(p, own[i])
			if len(p.pending) > 0 {
				own[i] = len(log)
				after, err := server.Apply(p.pending)
				if err != nil {
					t.Fatal(err)
				}
				server, log, p.sent, p.pending = after, append(log, p.pending), p.pending, nil
			}
		}
		for i := range people {
			hear(&people[i], own[i])
			if string(people[i].doc.JSON()) != string(server.JSON()) {
				t.Fatalf("seed %d: %d has %s, the server %s", seed, i, people[i].doc.JSON(), server.JSON())
			}
		}
	}
}

func TestLaws(t *testing.T) {
	for seed := range uint64(4000) {
		d := roll(seed)
		x := d.text()
		a := d.edit(x)
		after := apply(t, x, a)
		inv, err := a.Invert(Change(x))
		if err != nil {
			t.Fatal(err)
		}
		raw, err := Change(x).Compose(a)
		if err != nil {
			t.Fatal(err)
		}
		if back, err := raw.Compose(inv); err != nil || string(back.JSON()) != string(x.JSON()) {
			t.Fatalf("seed %d: inverted it is %s, was %s", seed, back.JSON(), x.JSON())
		}
		b := d.edit(after)
		c, err := a.Compose(b)
		if err != nil {
			t.Fatal(err)
		}
		if one, two := apply(t, x, c), apply(t, after, b); one.Plain() != two.Plain() {
			t.Fatalf("seed %d: composed %s, one after the other %s", seed, one.JSON(), two.JSON())
		}
		diff := Difference(x, after)
		if got := apply(t, x, diff); string(got.JSON()) != string(after.JSON()) {
			t.Fatalf("seed %d: the difference %s of %s makes %s, not %s", seed, diff.JSON(), x.JSON(), got.JSON(), after.JSON())
		}
	}
}

// What is read from a comparison is all of the older and all of the newer version.
func TestAComparisonHoldsBothVersions(t *testing.T) {
	for seed := range uint64(2000) {
		d := roll(seed)
		x := d.text()
		y := apply(t, x, d.edit(x))
		var was, is []string
		for _, l := range Compare(x, y) {
			a, b := "", ""
			for _, s := range l.Spans {
				if s.Fate != New && s.Fate != MovedHere {
					a += s.Insert + s.Embed
				}
				if s.Fate != Gone && s.Fate != MovedAway {
					b += s.Insert + s.Embed
				}
			}
			if l.Fate != New && l.Fate != MovedHere {
				was = append(was, a)
			}
			if l.Fate != Gone && l.Fate != MovedAway {
				is = append(is, b)
			}
		}
		if !slices.Equal(was, plainLines(x.Lines())) || !slices.Equal(is, plainLines(y.Lines())) {
			t.Fatalf("seed %d: %q and %q from %q and %q", seed, was, is, x.Plain(), y.Plain())
		}
	}
}

func TestAMovedParagraphIsRecognised(t *testing.T) {
	x := FromPlain("The wheel takes a breath before it turns.\nJoan opens it with her boot.\nNothing happens when it suits you.")
	y := FromPlain("Joan opens it with her left boot.\nNothing happens when it suits you.\nThe wheel takes a breath before it turns.")
	var got []string
	for _, l := range Compare(x, y) {
		s := string(l.Fate) + ":"
		for _, p := range l.Spans {
			if p.Fate != Same || l.Fate == Changed {
				s += " " + string(p.Fate) + "=" + p.Insert
			}
		}
		got = append(got, s)
	}
	want := []string{"moved away: moved away=The wheel takes a breath before it turns.", "changed: same=Joan opens it with her  new=left  same=boot.", "same:", "moved here: moved here=The wheel takes a breath before it turns."}
	if !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}

func TestWhatDoesNotFitIsRefused(t *testing.T) {
	x := FromPlain("Tide 🌾")
	for _, bad := range []string{
		`[{"delete":8}]`, `[{"retain":9},{"insert":"x"}]`, `[{"retain":6},{"insert":"x"}]`, `[{"retain":5},{"delete":1}]`, `[{"retain":7},{"delete":1}]`,
		`[{"insert":{"video":"x"}}]`, `[{"insert":{"picture":"x"}}]`, `[{"insert":{"picture":1}}]`, `[{"insert":{"picture":"1","x":2}}]`,
	} {
		c, err := ParseChange([]byte(bad))
		if err != nil {
			t.Errorf("%s: %v", bad, err)
		}
		if got, err := x.Apply(c); err == nil {
			t.Errorf("%s makes %s", bad, got.JSON())
		}
	}
	// also at the end of a run, behind which others begin
	runs, err := Parse([]byte(`[{"insert":"🌾","attributes":{"bold":true}},{"insert":"🌾","attributes":{"italic":true}},{"insert":"\n"}]`))
	if err != nil {
		t.Fatal(err)
	}
	for _, bad := range []string{`[{"retain":1},{"insert":"x"}]`, `[{"delete":1}]`, `[{"retain":1,"attributes":{"bold":null}}]`, `[{"retain":1},{"delete":2}]`, `[{"retain":3},{"delete":1}]`, `[{"retain":2},{"retain":1,"attributes":{"bold":true}}]`} {
		c, err := ParseChange([]byte(bad))
		if err != nil {
			t.Fatal(err)
		}
		if got, err := runs.Apply(c); !errors.Is(err, ErrMisfit) {
			t.Errorf("%s makes %s, %v", bad, got.JSON(), err)
		}
		if _, err := c.Invert(Change(runs)); !errors.Is(err, ErrMisfit) {
			t.Errorf("%s is turned round: %v", bad, err)
		}
		if err := runs.Admits(c, Hand{By: 2, Writes: true}); !errors.Is(err, ErrMisfit) {
			t.Errorf("%s is admitted: %v", bad, err)
		}
	}
	for _, bad := range []string{``, `{`, `[{"retain":0}]`, `[{"retain":-1}]`, `[{"delete":99999999}]`, `[{"insert":"a","delete":1}]`, `[{}]`, `[{"insert":3}]`, `[{"retain":1.5}]`, `[{"retain":{"a":1}}]`, `[{"insert":"a","attributes":3}]`} {
		if c, err := ParseChange([]byte(bad)); err == nil {
			t.Errorf("%s is read as %s", bad, c.JSON())
		}
	}
}

// Whatever a change inserts is cleaned before it is stored, as what it sets is.
func TestASoundChangeHoldsOnlyWhatACopyKnows(t *testing.T) {
	for in, want := range map[string]string{
		`[{"insert":"x","attributes":{"onclick":"y","bold":true,"link":"javascript:x"}}]`:                                       `[{"insert":"x","attributes":{"bold":true}}]`,
		`[{"insert":"x\ny","attributes":{"header":7,"bold":true,"put":"1.a"}}]`:                                                 `[{"insert":"x","attributes":{"bold":true,"put":"1.a"}},{"insert":"\n"},{"insert":"y","attributes":{"bold":true,"put":"1.a"}}]`,
		`[{"insert":"\n","attributes":{"header":2,"list":"bullet","advice":"Say it","break-put":"1.a","bold":null}}]`:           `[{"insert":"\n","attributes":{"advice":"Say it","break-put":"1.a","header":2}}]`,
		`[{"insert":{"picture":"3"},"attributes":{"alt":"A mill","list":"bullet","query-0":true}}]`:                             `[{"insert":{"picture":"3"},"attributes":{"alt":"A mill"}}]`,
		`[{"retain":3,"attributes":{"style":"x"}}]`:                                                                             `[]`,
		`[{"retain":3},{"insert":"x","attributes":{"color":"red"}},{"retain":2,"attributes":{"onclick":"y"}}]`:                  `[{"retain":3},{"insert":"x"}]`,
		`[{"insert":"x","attributes":{"cut-1.a":true,"set-1.b":"{\"bold\":true}","query-4":true,"cut-x":true,"set-1.c":true}}]`: `[{"insert":"x","attributes":{"cut-1.a":true,"query-4":true,"set-1.b":"{\"bold\":true}"}}]`,
	} {
		c, err := ParseChange([]byte(in))
		if err != nil {
			t.Fatal(err)
		}
		if got := string(c.Sound().JSON()); got != want {
			t.Errorf("%s\n is %s\nwant %s", in, got, want)
		}
	}
}

// Whatever is read as a change is written and read back the same, and applied to any
// text it fits or is refused.
func FuzzChange(f *testing.F) {
	f.Add([]byte(`[{"retain":1,"attributes":{"bold":true}},{"insert":"a\nb","attributes":{"header":1}},{"delete":2}]`), uint64(1))
	f.Add([]byte(`[{"retain":1,"attributes":{"cut-2.a":true}},{"insert":{"picture":"3"},"attributes":{"alt":"A mill"}}]`), uint64(2))
	f.Fuzz(func(t *testing.T, b []byte, seed uint64) {
		c, err := ParseChange(b)
		if err != nil {
			return
		}
		again, err := ParseChange(c.JSON())
		if err != nil || string(again.JSON()) != string(c.JSON()) {
			t.Fatalf("%s reads back as %s: %v", c.JSON(), again.JSON(), err)
		}
		x := roll(seed).text()
		out, err := x.Apply(c)
		if err != nil {
			return
		}
		if p, err := Parse(out.JSON()); err != nil || string(p.JSON()) != string(out.JSON()) {
			t.Fatalf("%s is stored and reads back as %s: %v", out.JSON(), p.JSON(), err)
		}
		if c.reach() > x.Len() {
			t.Fatalf("%s is applied to %d characters", c.JSON(), x.Len())
		}
	})
}

func BenchmarkTransformOverAThousand(b *testing.B) {
	d := roll(1)
	x := d.text()
	var later []Change
	for range 1000 {
		later = append(later, Change{}.Keep(d.IntN(5000)+1, nil).Put("a", nil))
	}
	c := Change{}.Keep(x.Len(), nil).Put("word", nil)
	for b.Loop() {
		o := c
		for _, l := range later {
			o = l.Transform(o, true)
		}
	}
}

func BenchmarkKeystrokeInTenThousandWords(b *testing.B) {
	var c Change
	d := roll(1)
	for i := range 10_000 {
		a := Attributes(nil)
		if i%33 == 0 {
			a = Set("put", "2.k")
		}
		c = c.Put(d.pick("mill ", "water ", "stone.\n"), a)
	}
	x := fit(c.Put("\n", nil))
	stroke := Change{}.Keep(30_000, nil).Put("a", nil)
	for b.Loop() {
		if _, err := x.Apply(stroke); err != nil {
			b.Fatal(err)
		}
	}
}
