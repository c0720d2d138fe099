// Package find says how well a title fits what somebody typed: whole words before
// parts of words, and words with a slip of the finger after both.
package find

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Words splits a text into its words, in small letters and without what stands between
// them.
func Words(s string) []string {
	return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// Scores of one word of a query; a title's score is the sum over all of them.
const (
	whole  = 8 // it is a word of the title
	begins = 6 // a word of the title begins with it
	within = 3 // it is somewhere in the title
	slip   = 2 // a word of the title is like it but for a slip
)

// Score gives how well a text in small letters fits the words of a query: 0 if one of
// them is not in it. Slips are words that one of the query may stand for, by its place.
func Score(query []string, low string, slips [][]string) int {
	sum := 0
	for i, q := range query {
		n := 0
		if at := strings.Index(low, q); at >= 0 {
			n = fit(low, q, at)
		} else if slips != nil {
			for _, w := range slips[i] {
				if strings.Contains(low, w) {
					n = slip
					break
				}
			}
		}
		if n == 0 {
			return 0
		}
		sum += n
	}
	return sum
}

// fit says how a word that is in a text, first at a place, fits there.
func fit(low, q string, at int) int {
	best := within
	for at >= 0 {
		before, _ := utf8.DecodeLastRuneInString(low[:at])
		after, _ := utf8.DecodeRuneInString(low[at+len(q):])
		if !inWord(before) {
			if !inWord(after) {
				return whole
			}
			best = begins
		}
		next := strings.Index(low[at+len(q):], q)
		if next < 0 {
			break
		}
		at += len(q) + next
	}
	return best
}

func inWord(r rune) bool { return r != utf8.RuneError && (unicode.IsLetter(r) || unicode.IsDigit(r)) }

// Slips gives for each word of a query the words of a vocabulary that are it but for a
// slip.
func Slips(query []string, vocabulary func(func(string) bool)) [][]string {
	out := make([][]string, len(query))
	for w := range vocabulary {
		for i, q := range query {
			if Near(q, w) {
				out[i] = append(out[i], w)
			}
		}
	}
	return out
}

// Near reports whether two words are the same but for a slip: one in words of four
// letters and more, two in those of eight and more. What is typed may be the beginning
// of the word only.
func Near(typed, word string) bool {
	a, b := []rune(typed), []rune(word)
	most := 0
	switch n := len(a); {
	case n >= 8:
		most = 2
	case n >= 4:
		most = 1
	}
	if most == 0 || len(b) < len(a)-most {
		return false
	}
	if len(b) > len(a)+most {
		b = b[:len(a)] // as far as it is typed
	}
	return Distance(a, b, most) <= most
}

// Distance gives how many letters are put in, left out, put for another, or changed
// with their neighbour between two words (the restricted distance of Damerau and
// Levenshtein); beyond a most it only says that it is more.
func Distance(a, b []rune, most int) int {
	if d := len(a) - len(b); d > most || -d > most {
		return most + 1
	}
	before, last, now := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for k := range last {
		last[k] = k
	}
	for i := 1; i <= len(a); i++ {
		now[0] = i
		least := i
		for k := 1; k <= len(b); k++ {
			cost := 1
			if a[i-1] == b[k-1] {
				cost = 0
			}
			now[k] = min(last[k]+1, now[k-1]+1, last[k-1]+cost)
			if i > 1 && k > 1 && a[i-1] == b[k-2] && a[i-2] == b[k-1] {
				now[k] = min(now[k], before[k-2]+1)
			}
			least = min(least, now[k])
		}
		if least > most {
			return most + 1
		}
		before, last, now = last, now, before
	}
	return last[len(b)]
}
