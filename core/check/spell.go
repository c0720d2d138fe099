package check

import (
	"bytes"
	"compress/gzip"
	"embed"
	"io"
	"slices"
	"strings"
	"sync"
	"unicode"

	"greenbaton/core/english"
)

//go:embed words/*.txt.gz
var lists embed.FS

// also are words of newsrooms and of their day that the lists do not have yet.
//
//go:embed words/also.txt
var also string

// newsroomWords are those words.
var newsroomWords = sync.OnceValue(func() lexicon { return lexiconOf(also) })

// Languages are those whose spelling can be checked, as codes of BCP 47.
var Languages = []string{"en-GB", "en-US"}

// LanguageName says a language in English.
func LanguageName(code string) string {
	return map[string]string{"en-GB": "British English", "en-US": "American English"}[code]
}

// lexicon is a list of words, one a line and in order, with where each begins.
type lexicon struct {
	text   string
	begins []uint32
}

// lexicons reads a word list when it is first asked for.
var lexicons = func() map[string]func() lexicon {
	out := map[string]func() lexicon{}
	for _, l := range Languages {
		out[l] = sync.OnceValue(func() lexicon { return readList(l) })
	}
	return out
}()

// readList reads a word list that ships with the program.
func readList(language string) (l lexicon) {
	b, err := lists.ReadFile("words/" + language + ".txt.gz")
	if err != nil {
		return l
	}
	z, err := gzip.NewReader(bytes.NewReader(b))
	if err != nil {
		return l
	}
	text, err := io.ReadAll(z)
	if err != nil {
		return l
	}
	return lexiconOf(string(text))
}

// lexiconOf makes a lexicon of words in the order of their bytes, one a line.
func lexiconOf(text string) lexicon {
	l := lexicon{text: text}
	at := 0
	for w := range strings.Lines(text) {
		l.begins = append(l.begins, uint32(at))
		at += len(w)
	}
	return l
}

// has reports whether a word stands in the list.
func (l lexicon) has(w string) bool {
	_, found := slices.BinarySearchFunc(l.begins, w, func(at uint32, w string) int {
		rest := l.text[at:]
		if i := strings.IndexByte(rest[:min(len(rest), len(w)+1)], '\n'); i >= 0 {
			return strings.Compare(rest[:i], w)
		}
		if c := strings.Compare(rest[:min(len(rest), len(w))], w); c != 0 {
			return c
		}
		return 1 // it goes on
	})
	return found
}

// Speller knows the words of a language, and those of a desk.
type Speller struct {
	language string
	words    lexicon
	own      map[string]bool // in small letters
}

// NewSpeller makes a speller for a language with a desk's own words; nil for a language
// that no list ships for.
func NewSpeller(language string, own []string) *Speller {
	list := lexicons[language]
	if list == nil {
		return nil
	}
	s := &Speller{language: language, words: list(), own: map[string]bool{}}
	for _, w := range own {
		s.own[strings.ToLower(straight(w))] = true
	}
	return s
}

func straight(w string) string { return strings.ReplaceAll(w, "’", "'") }

// Knows reports whether a word is spelt as the list or the desk has it. Words with figures in them, in
// capitals or with a capital inside, and names, which is what begins with a capital within a sentence, are
// taken as they are.
func (s *Speller) Knows(word string, begins bool) bool {
	w := straight(word)
	if strings.ContainsFunc(w, unicode.IsDigit) || w == strings.ToUpper(w) || capitalInside(w) {
		return true
	}
	if r := []rune(w); unicode.IsUpper(r[0]) && !begins {
		return true
	}
	for i, part := range strings.Split(w, "-") {
		if part != "" && !s.has(part) && !(i == 0 && len(part) < len(w) && slices.Contains(before, strings.ToLower(part))) {
			return s.has(w)
		}
	}
	return true
}

// capitalInside reports whether a word has a capital after a small letter, as names in programs have.
func capitalInside(w string) bool {
	small := false
	for _, r := range w {
		if small && unicode.IsUpper(r) {
			return true
		}
		small = unicode.IsLower(r)
	}
	return false
}

// before are parts with which words are made that stand in no list. Common practice, no source.
var before = []string{"anti", "co", "counter", "cross", "de", "ex", "inter", "intra", "macro", "mega", "meta", "micro", "mid", "mini", "multi", "neo", "non", "over", "pan", "post", "pre", "pro", "proto", "pseudo", "quasi", "re", "semi", "sub", "super", "trans", "ultra", "un", "under", "vice"}

// behind are parts that end words which stand in no list.
var behind = []string{"'s", "'", "'ll", "'d", "'ve", "'re"}

// ends likewise, of words that are not short.
var ends = []string{"like", "less", "wise", "able", "ness", "s"}

// notShort is from how many letters on a part is not short: what is short is in too many slips of the hand,
// like "untill" and "reknown".
const notShort = 6

func (s *Speller) has(w string) bool {
	if s.known(w) {
		return true
	}
	low := strings.ToLower(w)
	for _, end := range behind {
		if stem, ok := strings.CutSuffix(low, end); ok && stem != "" && (s.known(stem) || s.words.has(english.UpperFirst(stem))) {
			return true
		}
	}
	for _, b := range before {
		if rest, ok := strings.CutPrefix(low, b); ok && len(rest) >= notShort && s.known(rest) {
			return true
		}
	}
	for _, e := range ends {
		if stem, ok := strings.CutSuffix(low, e); ok && len(stem) >= notShort && s.known(stem) && !strings.HasSuffix(stem, "s") {
			return true
		}
	}
	return false
}

// known reports whether a word, or its small letters, stand in the list, by another way of writing it where
// the language has two: in British English what the list has with s is written with z too (Oxford spelling).
func (s *Speller) known(w string) bool {
	low := strings.ToLower(w)
	if s.words.has(w) || s.words.has(low) || s.own[low] || newsroomWords().has(low) || w != low && s.words.has(english.UpperFirst(low)) {
		return true
	}
	if s.language != "en-GB" || !strings.Contains(low, "iz") {
		return false
	}
	i := strings.LastIndex(low, "iz")
	return i > 1 && s.words.has(low[:i]+"is"+low[i+2:])
}

// longestWord is how many letters a word may have for others near it to be looked for; no
// word in a list is longer, and it takes as long as the square of them.
const longestWord = 48

// Nearest gives up to n words that are one slip away from a word: a letter too many, one
// missing, one wrong, or two swapped.
func (s *Speller) Nearest(word string, n int) []string {
	if len(word) > 4*longestWord {
		return nil
	}
	w := []rune(strings.ToLower(straight(word)))
	if len(w) > longestWord {
		return nil
	}
	var out []string
	try := func(parts ...[]rune) {
		x := ""
		for _, p := range parts {
			x += string(p)
		}
		if x != "" && (s.words.has(x) || s.own[x]) && !slices.Contains(out, x) {
			out = append(out, x)
		}
	}
	const letters = "abcdefghijklmnopqrstuvwxyz'"
	for i := range w {
		if i+1 < len(w) {
			try(w[:i], []rune{w[i+1], w[i]}, w[i+2:])
		}
	}
	for i := range w {
		try(w[:i], w[i+1:])
	}
	for i := range len(w) + 1 {
		for _, c := range letters {
			if i < len(w) {
				try(w[:i], []rune{c}, w[i+1:])
			}
			try(w[:i], []rune{c}, w[i:])
		}
	}
	return out[:min(n, len(out))]
}
