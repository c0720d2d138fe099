package copy

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"testing"
)

// Take-all makes the edited text and leave-all the text before it, to the character and
// the attribute, for any edit; left, it is the text before after any number of them.
func TestTakenIsTheEditAndLeftIsTheTextBefore(t *testing.T) {
	for seed := range uint64(6000) {
		d := roll(seed)
		x := d.text()
		e := d.edit(x)
		is, want := apply(t, x, x.Propose(e, "7.a1")), apply(t, x, e)
		if got := is.Taken(); string(got.JSON()) != string(want.JSON()) {
			t.Fatalf("seed %d: taken %s, edited %s\nfrom %s\nmarked %s", seed, got.JSON(), want.JSON(), x.JSON(), is.JSON())
		}
		for n := range 3 {
			if got := is.Left(); string(got.JSON()) != string(x.JSON()) {
				t.Fatalf("seed %d: left %s, was %s\nmarked %s", seed, got.JSON(), x.JSON(), is.JSON())
			}
			is = apply(t, is, is.Propose(d.edit(is), fmt.Sprintf("7.a%d", n+2)))
		}
	}
}

// Proposals of several people, in any order, over each other, and edits of the copy
// itself between them: whoever takes and leaves them one by one, in any order, comes to
// the same as whoever decides on all at once; and no mark is left.
func TestDecidingOneByOneIsDecidingOnAll(t *testing.T) {
	for seed := range uint64(4000) {
		d := roll(seed)
		x := d.text()
		keys := []string{"1.a", "2.b", "3.c"}
		for range 4 {
			k := keys[d.IntN(3)]
			if e := d.edit(x); d.IntN(5) == 0 {
				x = apply(t, x, e)
			} else {
				p := x.Propose(e, k)
				if err := x.Admits(p, Hand{By: By(k)}); err != nil {
					t.Fatalf("seed %d: %s is not admitted: %v", seed, p.JSON(), err)
				}
				x = apply(t, x, p)
			}
		}
		if len(x.Proposals()) == 0 && strings.Contains(string(x.JSON()), "cut-") {
			t.Fatalf("seed %d: no proposal is read from %s", seed, x.JSON())
		}
		d.Shuffle(3, func(i, j int) { keys[i], keys[j] = keys[j], keys[i] })
		y := x
		for _, k := range keys {
			y = apply(t, y, y.Decide(false, func(s string) bool { return s == k }))
		}
		if string(y.JSON()) != string(x.Left().JSON()) {
			t.Fatalf("seed %d: one by one %s, all at once %s", seed, y.JSON(), x.Left().JSON())
		}
		if s := string(x.Taken().JSON()) + string(y.JSON()); strings.Contains(s, "put") || strings.Contains(s, "cut-") || strings.Contains(s, "set-") {
			t.Fatalf("seed %d: marks are left in %s", seed, s)
		}
		p := x.Taken().Plain()
		if q := x.Decide(true, everything); apply(t, x, q).Plain() != p {
			t.Fatalf("seed %d", seed)
		}
	}
}

// A proposer's change never alters what the copy is when all proposals are left.
func FuzzAdmits(f *testing.F) {
	f.Add([]byte(`[{"insert":"x","attributes":{"put":"2.a"}},{"retain":2,"attributes":{"cut-2.a":true}},{"delete":1}]`), uint64(1))
	f.Add([]byte(`[{"retain":3,"attributes":{"put":null}},{"retain":1,"attributes":{"put":"2.a","header":2}}]`), uint64(3))
	f.Add([]byte(`[{"retain":4,"attributes":{"set-2.a":"{\"bold\":true}","break-cut-2.b":true,"bold":null}}]`), uint64(5))
	f.Fuzz(func(t *testing.T, b []byte, seed uint64) {
		c, err := ParseChange(b)
		if err != nil {
			return
		}
		d := roll(seed)
		x := d.text()
		x = apply(t, x, x.Propose(d.edit(x), "1.a"))
		x = apply(t, x, x.Propose(d.edit(x), "2.b"))
		if x.Admits(c.Sound(), Hand{By: 2}) != nil {
			return
		}
		y, err := x.Apply(c.Sound())
		if err != nil {
			return
		}
		if string(y.Left().JSON()) != string(x.Left().JSON()) {
			t.Fatalf("%s on %s makes %s, which left is %s and was %s", c.JSON(), x.JSON(), y.JSON(), y.Left().JSON(), x.Left().JSON())
		}
		theirs := func(t Text) (out []string) {
			for _, p := range t.Decide(true, func(k string) bool { return By(k) == 1 }) {
				if p.Delete > 0 || len(p.Attributes) > 0 {
					out = append(out, string(Change{p}.JSON()))
				}
			}
			return out
		}
		if a, b := strings.Join(theirs(x), ""), strings.Join(theirs(y), ""); len(a) > 0 && len(b) == 0 {
			t.Fatalf("%s takes away what another proposed: %s", c.JSON(), a)
		}
	})
}

func TestProposalsReadAsOne(t *testing.T) {
	x := FromPlain("The river falls away, and the pond is full.\nJoan opens it.")
	// "falls away" becomes "drops", typed in two goes; the comma is cut by somebody else
	x = apply(t, x, x.Propose(Change{}.Keep(10, nil).Put("dr", nil).Cut(10), "5.k1"))
	x = apply(t, x, x.Propose(Change{}.Keep(22, nil).Put("ops", nil), "5.k2"))
	x = apply(t, x, x.Propose(Change{}.Keep(25, nil).Cut(1), "6.k1"))
	x = apply(t, x, x.Propose(Change{}.Keep(0, nil).Keep(3, Set("italic", true)), "5.k3"))
	x = apply(t, x, x.Propose(Change{}.Keep(48, nil).Cut(1).Put(" ", nil), "5.k4")) // two paragraphs become one
	var got []string
	for _, p := range x.Proposals() {
		got = append(got, fmt.Sprintf("%d %d+%d %v %q→%q", p.By, p.At, p.Len, p.Keys, p.Was(), p.Becomes()))
	}
	want := `5 0+3 [5.k3] ""→""; 5 10+15 [5.k1 5.k2] "falls away"→"drops"; 6 25+1 [6.k1] ","→""; 5 48+2 [5.k4] "\n"→" "`
	if s := strings.Join(got, "; "); s != want {
		t.Errorf("%s\nwant %s", s, want)
	}
	if s := x.Taken().Plain(); s != "The river drops and the pond is full. Joan opens it.\n" {
		t.Errorf("taken %q", s)
	}
	if s := string(x.Left().JSON()); s != string(FromPlain("The river falls away, and the pond is full.\nJoan opens it.").JSON()) {
		t.Errorf("left %s", s)
	}
	one := apply(t, x, x.Decide(true, func(k string) bool { return k == "5.k1" || k == "5.k2" }))
	if s := one.Left().Plain(); s != "The river drops, and the pond is full.\nJoan opens it.\n" {
		t.Errorf("one taken %q", s)
	}
}

func TestEditingInsideAProposal(t *testing.T) {
	x := FromPlain("Mill.")
	x = apply(t, x, x.Propose(Change{}.Keep(4, nil).Put(" and weir", nil), "1.a"))
	y := apply(t, x, x.Propose(Change{}.Keep(8, nil).Put(" old", nil), "2.b")) // somebody else, inside it
	if s := y.Decide(false, func(k string) bool { return k == "1.a" }); apply(t, y, s).Taken().Plain() != "Mill old.\n" {
		t.Errorf("their words went with it: %s", apply(t, y, s).JSON())
	}
	y = apply(t, x, x.Propose(Change{}.Keep(5, nil).Cut(3), "2.b")) // and cuts a part of it
	if s := y.Taken().Plain(); s != "Mill  weir.\n" {
		t.Errorf("%q", s)
	}
	if s := y.Left().Plain(); s != "Mill.\n" {
		t.Errorf("%q", s)
	}
	own := apply(t, x, x.Propose(Change{}.Keep(5, nil).Cut(4), "1.c")) // one's own words go without a trace
	if s := own.Plain(); s != "Mill weir.\n" {
		t.Errorf("%q", s)
	}
	gone := apply(t, x, Change{}.Cut(13)) // the words are deleted by a writer: so is what was proposed on them
	if p := gone.Proposals(); len(p) != 0 {
		t.Errorf("%+v", p)
	}
}

func (d dice) pickStretch(x Text) stretch { all := x.stretches(); return all[d.IntN(len(all))] }

// The words a query is about keep their mark through edits around and inside, and
// through what others do at the same time.
func TestAnchorsStayOnTheirWords(t *testing.T) {
	for seed := range uint64(3000) {
		d := roll(seed)
		x := d.text()
		x = apply(t, x, Change{}.Keep(d.pickStretch(x).at, nil).Put("sluice", Set(QueryName(4), true)))
		e := d.edit(x)
		deleted := false
		at := &reader{ops: Change(x)}
		for _, o := range e {
			for n := o.Len(); !o.inserts() && n > 0; {
				b := at.next(n)
				n -= b.Len()
				deleted = deleted || o.Delete > 0 && b.Attributes.Has("query-4")
			}
		}
		y := apply(t, x, e)
		var on strings.Builder
		for _, o := range y {
			if o.Attributes.Has("query-4") {
				on.WriteString(o.Insert)
			}
		}
		if s := on.String(); !deleted && s != "sluice" || deleted && len(s) >= 6 {
			t.Fatalf("seed %d: the query is about %q in %s", seed, s, y.JSON())
		}
		if p := y.Places()[4]; len(p) == 0 && on.Len() > 0 {
			t.Fatalf("seed %d: it is nowhere", seed)
		}
	}
}

func TestWhatIsNotAdmitted(t *testing.T) {
	x := FromPlain("Mill and weir.")
	x = apply(t, x, x.Propose(Change{}.Keep(4, nil).Put(" pond", nil), "1.a"))
	x = apply(t, x, x.Propose(Change{}.Keep(10, nil).Put("old ", nil).Cut(3), "2.b"))
	none := func(Mark) bool { return false }
	for name, c := range map[string]string{
		"writes":                 `[{"insert":"x"}]`,
		"deletes":                `[{"delete":1}]`,
		"deletes another's":      `[{"retain":4},{"delete":1}]`,
		"sets":                   `[{"retain":2,"attributes":{"bold":true}}]`,
		"forges put":             `[{"insert":"x","attributes":{"put":"1.a"}}]`,
		"forges cut":             `[{"retain":2,"attributes":{"cut-1.a":true}}]`,
		"marks the copy as put":  `[{"retain":2,"attributes":{"put":"2.z"}}]`,
		"decides":                `[{"retain":4},{"retain":5,"attributes":{"put":null}}]`,
		"takes their own":        `[{"retain":13},{"retain":4,"attributes":{"put":null}}]`,
		"asks without asking":    `[{"retain":2,"attributes":{"query-3":true}}]`,
		"writes with an advice":  `[{"insert":"\n","attributes":{"advice":"x"}}]`,
		"makes a heading":        `[{"retain":24,"attributes":{"header":2}}]`,
		"inserts an empty put":   `[{"insert":"x","attributes":{"put":""}}]`,
		"puts only on its words": `[{"insert":"x\n","attributes":{"put":"2.z"}}]`,
	} {
		p, err := ParseChange([]byte(c))
		if err != nil {
			t.Fatal(err)
		}
		if err := x.Admits(p, Hand{By: 2, Known: none}); err == nil {
			t.Errorf("%s: admitted", name)
		}
	}
	for name, c := range map[string]string{
		"withdraws a cut": `[{"retain":9},{"retain":7,"attributes":{"cut-2.b":null}}]`,
		"nothing":         `[{"retain":3}]`,
	} {
		p, err := ParseChange([]byte(c))
		if err != nil {
			t.Fatal(err)
		}
		if err := x.Admits(p, Hand{By: 2, Known: none}); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	// moved words keep what is on them, and no more
	for name, c := range map[string]struct {
		change string
		ok     bool
	}{
		"words with a query and what others propose of them": {`[{"insert":"weir","attributes":{"put":"2.z","query-3":true,"cut-1.a":true,"set-1.a":"{\"bold\":true}"}}]`, true},
		"words that somebody else proposes":                  {`[{"insert":"weir","attributes":{"put":"1.a"}}]`, false},
		"words of the copy":                                  {`[{"insert":"weir","attributes":{"query-3":true}}]`, false},
		"a line":                                             {`[{"insert":"\n","attributes":{"break-put":"2.z","break-cut-1.a":true}}]`, true},
		"a line of the copy":                                 {`[{"insert":"\n","attributes":{"break-cut-1.a":true}}]`, false},
	} {
		p, err := ParseChange([]byte(c.change))
		if err != nil {
			t.Fatal(err)
		}
		if err := x.Admits(p, Hand{By: 2, Known: func(Mark) bool { return true }}); (err == nil) != c.ok {
			t.Errorf("%s: %v", name, err)
		}
		if err := x.Admits(p, Hand{By: 2, Known: none}); err == nil {
			t.Errorf("%s, with marks that never were on the copy: admitted", name)
		}
	}
	for name, c := range map[string]string{"forges put": `[{"insert":"x","attributes":{"put":"1.z"}}]`, "forges cut": `[{"retain":2,"attributes":{"cut-1.z":true}}]`, "makes a query": `[{"retain":2,"attributes":{"query-3":true}}]`} {
		p, _ := ParseChange([]byte(c))
		if err := x.Admits(p, Hand{By: 2, Writes: true, Known: none}); err == nil {
			t.Errorf("a writer %s: admitted", name)
		}
	}
}

// What is proposed here is what a page makes of it: both are held to the same cases, the
// page in web/assets/test/proposal.test.js. UPDATE=1 writes them anew.
func TestProposalsAreThoseThePageIsHeldTo(t *testing.T) {
	type made struct {
		Old  Text   `json:"old"`
		Edit Change `json:"edit"`
		Key  string `json:"key"`
		Want Change `json:"want"`
	}
	var cases []made
	for seed := range uint64(250) {
		d := roll(seed)
		x := d.text()
		for n := range 4 {
			m := made{Old: x, Edit: d.edit(x).Sound(), Key: fmt.Sprintf("%d.k%d", 1+d.IntN(2), n)}
			m.Want = x.Propose(m.Edit, m.Key)
			cases = append(cases, m)
			x = apply(t, x, m.Want.Sound())
		}
	}
	now, err := json.Marshal(cases)
	if err != nil {
		t.Fatal(err)
	}
	const name = "testdata/propose.json.gz"
	if os.Getenv("UPDATE") != "" {
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		if _, err := z.Write(now); err != nil {
			t.Fatal(err)
		}
		if err := errors.Join(z.Close(), os.WriteFile(name, b.Bytes(), 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	b, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	z, err := gzip.NewReader(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	was, err := io.ReadAll(z)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(now, was) {
		t.Errorf("what is proposed is not what %s has; if that is meant, write it anew with UPDATE=1", name)
	}
}

// Taking proposals one by one, in any order, comes to the same as taking all: where two set the same, the one
// that was made later wins, also where both say of what kind a line is.
func TestTakingOneByOneIsTakingAll(t *testing.T) {
	differ, n := 0, uint64(20_000)
	for seed := range n {
		d := roll(seed)
		x := d.text()
		var keys []string
		for i := range 2 { // twice two people at the same time, who do not see each other's
			k, l := fmt.Sprintf("%d.a%d", 1+d.IntN(2), 2*i), fmt.Sprintf("%d.a%d", 3+d.IntN(2), 2*i+1)
			p, q := x.Propose(d.edit(x), k), x.Propose(d.edit(x), l)
			for key, c := range map[string]Change{k: p, l: q} {
				if err := x.Admits(c, Hand{By: By(key)}); err != nil {
					t.Fatalf("seed %d: %s is not admitted: %v", seed, c.JSON(), err)
				}
			}
			x, keys = apply(t, apply(t, x, p), p.Transform(q, true)), append(keys, k, l)
		}
		d.Shuffle(len(keys), func(i, j int) { keys[i], keys[j] = keys[j], keys[i] })
		y := x
		for n := 0; n < len(keys); { // singly, or two at once
			some := keys[n:min(len(keys), n+1+d.IntN(2))]
			n += len(some)
			y = apply(t, y, y.Decide(true, func(s string) bool { return slices.Contains(some, s) }))
		}
		if string(y.JSON()) != string(x.Taken().JSON()) {
			if differ++; differ < 4 {
				t.Errorf("seed %d, %v\n%s\none by one %s\nall at once %s", seed, keys, x.JSON(), y.JSON(), x.Taken().JSON())
			}
		}
	}
	if differ > 0 {
		t.Errorf("%d of %d differ", differ, n)
	}
}
