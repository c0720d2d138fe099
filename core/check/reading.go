package check

import (
	"math"
	"strings"
	"unicode"

	"greenbaton/core/copy"
)

// Reading says how long and how hard a text is to read.
type Reading struct {
	Words, Sentences, Syllables int
	Minutes                     int     // at 238 words a minute, rounded up
	Ease                        float64 // Flesch reading ease; the higher, the easier
	Grade                       float64 // Flesch–Kincaid grade level, in years of school
}

// WordsAMinute is how fast adults read non-fiction in silence: 238 words a minute
// (M. Brysbaert, How many words do we read per minute?, 2019; from memory).
const WordsAMinute = 238

// Read works out how long and how hard a copy is to read, by the formulas of R. Flesch
// (1948) and J. P. Kincaid et al. (1975) for English.
func Read(t copy.Text) Reading {
	var r Reading
	for _, p := range paragraphs(t) {
		r.add(p.text)
	}
	return r.worked()
}

// ReadText does the same for plain text.
func ReadText(s string) Reading {
	var r Reading
	for line := range strings.Lines(s) {
		r.add(line)
	}
	return r.worked()
}

func (r *Reading) add(line string) {
	n := 0
	for _, w := range words(line) {
		n++
		r.Syllables += Syllables(w.text)
	}
	if n == 0 {
		return
	}
	r.Words += n
	r.Sentences += max(1, sentences(line))
}

func (r Reading) worked() Reading {
	r.Minutes = int(math.Ceil(float64(r.Words) / WordsAMinute))
	if r.Words == 0 {
		return r
	}
	perSentence, perWord := float64(r.Words)/float64(r.Sentences), float64(r.Syllables)/float64(r.Words)
	r.Ease = 206.835 - 1.015*perSentence - 84.6*perWord
	r.Grade = 0.39*perSentence + 11.8*perWord - 15.59
	return r
}

// sentences counts the sentences of a line: stretches that end with a full stop, a
// question or exclamation mark or an ellipsis before a space or the end, where a full
// stop after a single letter or a usual short form ends none.
func sentences(s string) int {
	n, open := 0, false
	runes := []rune(s)
	for i, r := range runes {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			open = true
		}
		if !open || !strings.ContainsRune(".!?…", r) {
			continue
		}
		k := i + 1
		for k < len(runes) && strings.ContainsRune("”’\"')]", runes[k]) {
			k++
		}
		if k < len(runes) && !unicode.IsSpace(runes[k]) || r == '.' && k < len(runes) && shortForm(runes[:i], runes[k:]) {
			continue
		}
		n, open = n+1, false
	}
	if open {
		n++
	}
	return n
}

var shortForms = map[string]bool{"mr": true, "mrs": true, "ms": true, "dr": true, "st": true, "vs": true, "prof": true, "jr": true, "etc": true, "e.g": true, "i.e": true}

func shortForm(before, behind []rune) bool {
	i := len(before)
	for i > 0 && (unicode.IsLetter(before[i-1]) || before[i-1] == '.') {
		i--
	}
	w := strings.ToLower(string(before[i:]))
	if next := strings.TrimSpace(string(behind)); w == "no" && next != "" && unicode.IsDigit([]rune(next)[0]) {
		return true
	}
	return len([]rune(w)) == 1 && w != "i" && w != "a" || shortForms[w]
}

// Syllables counts the syllables of an English word by its vowels: groups of them, less a
// silent e and a silent ed at the end, more where two vowels are spoken apart. It is a
// rule of thumb (common practice, no source) that hits most words.
func Syllables(word string) int {
	w := strings.ToLower(straight(word))
	w = strings.TrimSuffix(w, "'s")
	n := 0
	for part := range strings.FieldsFuncSeq(w, func(r rune) bool { return !unicode.IsLetter(r) }) {
		n += max(1, syllables(part))
	}
	return max(1, n)
}

func syllables(w string) int {
	vowel := func(r rune) bool {
		return strings.ContainsRune("aeiouyàáâäèéêëìíîïòóôöùúûüŵŷ", r)
	}
	rs := []rune(w)
	n := 0
	for i, r := range rs {
		if vowel(r) && (i == 0 || !vowel(rs[i-1])) {
			n++
		}
	}
	for _, apart := range []string{"ia", "io", "eo", "ua", "iu", "uou", "ying", "eing", "oing", "ier", "ienc", "ient", "uous", "ism"} {
		if k := strings.Index(w, apart); k > 0 {
			n++
		}
	}
	for _, together := range []string{"tion", "sion", "cial", "tial", "cian", "gion", "cious", "tious", "geous", "gious", "qua", "gua", "people", "xious", "ceo", "geo", "sua", "dua", "cient", "tient", "llion", "riage",
		"ely", "ement", "eless", "eness", "eful", "ically"} { // an e is silent before an ending
		if k := strings.Index(w, together); k > 0 {
			n--
		}
	}
	before := func(k int) rune { // the letter k places from the end
		if len(rs) < k {
			return 0
		}
		return rs[len(rs)-k]
	}
	silent := func(k int) bool {
		return len(rs) > k && !vowel(before(k)) && !(before(k) == 'l' && len(rs) > k+1 && !vowel(before(k+1)) && before(k+1) != 'l')
	}
	switch {
	case strings.HasSuffix(w, "es") && !strings.ContainsRune("sxzcgh", before(3)) && silent(3),
		strings.HasSuffix(w, "ed") && !strings.ContainsRune("td", before(3)) && silent(3),
		strings.HasSuffix(w, "e") && silent(2):
		n--
	}
	return n
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}
