package find

import (
	"slices"
	"strings"
)

// trigram is three letters in a row of a word that has two spaces before it and one
// behind.
type trigram [3]rune

// key packs a trigram; letters have 21 bits at most.
func (t trigram) key() uint64 { return uint64(t[0])<<42 | uint64(t[1])<<21 | uint64(t[2]) }

// trigrams gives the trigrams of a text, each once, in order.
func trigrams(s string) []uint64 {
	var out []uint64
	for _, w := range Words(s) {
		t := trigram{' ', ' ', ' '}
		for _, r := range w {
			t[0], t[1], t[2] = t[1], t[2], r
			out = append(out, t.key())
		}
		t[0], t[1], t[2] = t[1], t[2], ' '
		out = append(out, t.key())
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Index finds the titles that are like another among very many. It is not for several
// goroutines at once.
type Index struct {
	at    map[int64]int32 // the place of a title by the key it was put under
	kept  []indexed
	lists map[uint64][]int32 // the places of the titles that have a trigram
	gone  int
}

type indexed struct {
	key   int64
	title string
	count int32 // its trigrams; 0 for one that was taken out
}

// Likeness is a title that is like another.
type Likeness struct {
	Key   int64
	Title string
	Alike float64 // of all their trigrams, the share that both have: the similarity of PostgreSQL's module pg_trgm
}

// NewIndex makes an index of nothing.
func NewIndex() *Index { return &Index{at: map[int64]int32{}, lists: map[uint64][]int32{}} }

// Put puts a title in under a key, in place of what was there.
func (x *Index) Put(key int64, title string) {
	if i, ok := x.at[key]; ok {
		if x.kept[i].title == title && x.kept[i].count > 0 {
			return
		}
		x.Drop(key)
	}
	i, ts := int32(len(x.kept)), trigrams(title)
	x.at[key] = i
	x.kept = append(x.kept, indexed{key, strings.Clone(title), int32(len(ts))})
	for _, t := range ts {
		x.lists[t] = append(x.lists[t], i)
	}
}

// Drop takes a title out.
func (x *Index) Drop(key int64) {
	i, ok := x.at[key]
	if !ok {
		return
	}
	delete(x.at, key)
	x.kept[i].count = 0
	if x.gone++; x.gone > 1000 && x.gone > len(x.at) {
		x.renew()
	}
}

// renew builds the index anew without what was taken out.
func (x *Index) renew() {
	fresh := NewIndex()
	for _, k := range x.kept {
		if k.count > 0 {
			fresh.Put(k.key, k.title)
		}
	}
	*x = *fresh
}

// Like gives the titles that are at least so much like a text, the most alike first, of
// equals the newest; at most so many. Keep, if there is one, says which count.
func (x *Index) Like(text string, least float64, most int, keep func(key int64) bool) []Likeness {
	ts := trigrams(text)
	if len(ts) == 0 {
		return nil
	}
	shared := make([]uint16, len(x.kept))
	for _, t := range ts {
		for _, i := range x.lists[t] {
			shared[i]++
		}
	}
	var out []Likeness
	for i, n := range shared {
		k := &x.kept[i]
		if n == 0 || k.count == 0 {
			continue
		}
		alike := float64(n) / float64(len(ts)+int(k.count)-int(n))
		if alike >= least && (keep == nil || keep(k.key)) {
			out = append(out, Likeness{k.key, k.title, alike})
		}
	}
	slices.SortFunc(out, func(a, b Likeness) int {
		if a.Alike != b.Alike {
			if a.Alike > b.Alike {
				return -1
			}
			return 1
		}
		return int(max(-1, min(1, b.Key-a.Key)))
	})
	return out[:min(most, len(out))]
}
