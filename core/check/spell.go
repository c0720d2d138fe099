package check

import (
	"bytes"
	"compress/gzip"
	"embed"
	"greenbaton/core/english"
	"io"
	"slices"
	"strings"
	"sync"
	"unicode"
)

//go:embed words/*.txt.gz
var lists embed.FS

// Languages are those whose spelling can be checked, as codes of BCP 47.
var Languages = []string{"en-GB"}

// lexicons reads a word list when it is first asked for.
var lexicons = func() map[string]func() map[string]bool {
	out := map[string]func() map[string]bool{}
	for _, l := range Languages {
		out[l] = sync.OnceValue(func() map[string]bool { return readList(l) })
	}
	return out
}()

// readList reads a word list that ships with the program.
func readList(language string) map[string]bool {
	words := map[string]bool{}
	b, err := lists.ReadFile("words/" + language + ".txt.gz")
	if err != nil {
		return words
	}
	z, err := gzip.NewReader(bytes.NewReader(b))
	if err != nil {
		return words
	}
	text, err := io.ReadAll(z)
	if err != nil {
		return words
	}
	for w := range strings.Lines(string(text)) {
		words[strings.TrimSpace(w)] = true
	}
	return words
}

// Speller knows the words of a language, and those of a desk.
type Speller struct {
	words map[string]bool
	own   map[string]bool // in small letters
}

// NewSpeller makes a speller for a language with a desk's own words; nil for a language
// that no list ships for.
func NewSpeller(language string, own []string) *Speller {
	list := lexicons[language]
	if list == nil {
		return nil
	}
	s := &Speller{words: list(), own: map[string]bool{}}
	for _, w := range own {
		s.own[strings.ToLower(straight(w))] = true
	}
	return s
}

func straight(w string) string { return strings.ReplaceAll(w, "’", "'") }

// Knows reports whether a word is spelt as the list or the desk has it. Words with
// figures in them, in capitals, and names, which is what begins with a capital within a
// sentence, are taken as they are.
func (s *Speller) Knows(word string, begins bool) bool {
	w := straight(word)
	if strings.ContainsFunc(w, unicode.IsDigit) || w == strings.ToUpper(w) {
		return true
	}
	if r := []rune(w); unicode.IsUpper(r[0]) && !begins {
		return true
	}
	for part := range strings.SplitSeq(w, "-") {
		if part != "" && !s.has(part) {
			return s.has(w)
		}
	}
	return true
}

func (s *Speller) has(w string) bool {
	low := strings.ToLower(w)
	if s.words[w] || s.words[low] || s.own[low] {
		return true
	}
	for _, end := range []string{"'s", "'", "'ll", "'d", "'ve", "'re"} {
		if stem, ok := strings.CutSuffix(low, end); ok && stem != "" && (s.words[stem] || s.own[stem] || s.words[english.UpperFirst(stem)]) {
			return true
		}
	}
	return s.words[english.UpperFirst(low)] && w != low
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
		if x != "" && (s.words[x] || s.own[x]) && !slices.Contains(out, x) {
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
