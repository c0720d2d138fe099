package find

import (
	_ "embed"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
)

//go:embed testdata/pg_trgm.tsv
var reference string

// alike asks an index of one title.
func alike(a, b string) float64 {
	x := NewIndex()
	x.Put(1, b)
	for _, l := range x.Like(a, 0, 1, nil) {
		return l.Alike
	}
	return 0
}

// Against PostgreSQL's module pg_trgm, asked once; its manual has the pair of "word"
// and "two words", which are 0.363636 alike, too.
func TestAlikeIsTheSimilarityOfPostgres(t *testing.T) {
	n := 0
	for _, line := range strings.Split(strings.TrimSpace(reference), "\n")[1:] {
		f := strings.Split(line, "\t")
		want, err := strconv.ParseFloat(f[2], 64)
		if err != nil {
			t.Fatal(line, err)
		}
		if got := alike(f[0], f[1]); math.Abs(got-want) > 1e-5 {
			t.Errorf("%q and %q are %.6f alike, by the reference %.6f", f[0], f[1], got, want)
		}
		n++
	}
	if n < 400 {
		t.Errorf("only %d pairs", n)
	}
}

// What the index finds is what comparing with every title finds, whatever was put in,
// replaced and dropped before.
func TestTheIndexFindsWhatLookingAtEachFinds(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 2))
	x, all := NewIndex(), map[int64]string{}
	for range 6000 {
		key := r.Int64N(400)
		if r.IntN(4) == 0 {
			x.Drop(key)
			delete(all, key)
			continue
		}
		all[key] = title(r, 3)
		x.Put(key, all[key])
	}
	for range 50 {
		q, least := title(r, 3), 0.2+r.Float64()/2
		odd := func(key int64) bool { return key%2 == 1 }
		var want []Likeness
		for key, s := range all {
			if a := alike(q, s); a >= least && odd(key) {
				want = append(want, Likeness{key, s, a})
			}
		}
		got := x.Like(q, least, len(all), odd)
		if !slices.IsSortedFunc(got, func(a, b Likeness) int { return int(math.Copysign(1, b.Alike-a.Alike)) }) && len(got) > 1 && got[0].Alike < got[len(got)-1].Alike {
			t.Errorf("%q: not the most alike first: %v", q, got)
		}
		byKey := func(a, b Likeness) int { return int(a.Key - b.Key) }
		slices.SortFunc(want, byKey)
		slices.SortFunc(got, byKey)
		if !slices.Equal(got, want) {
			t.Errorf("%q: %v, by looking at each %v", q, got, want)
		}
	}
	if got := x.Like("", 0, 9, nil); got != nil {
		t.Errorf("nothing is like %v", got)
	}
}

var words = strings.Fields("tide mill last severn rye slowly winter bread letter stone dressed flour dust lungs miller baker year twelve loaves ovens village night boat grit spelt second look barley bannocks soda wholemeal school bolting cloth thread tithe sourdough flood weir lease river leat sluice wheel grain harvest emmer einkorn oats co-op kitchen children pond heron flood ledger carter")

func title(r *rand.Rand, n int) string {
	var out []string
	for range 1 + r.IntN(2*n) {
		out = append(out, words[r.IntN(len(words))])
	}
	return strings.Join(out, " ")
}

// A key pressed: the titles like what is typed, among 50,000.
func BenchmarkLike50000(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	x := NewIndex()
	for i := range int64(50_000) {
		x.Put(i, fmt.Sprintf("%s, no. %d", title(r, 5), i))
	}
	for b.Loop() {
		x.Like("The last tide mills on the river Severn and the night boat", 0.3, 5, nil)
	}
}
