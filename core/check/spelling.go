package check

import (
	"fmt"
	"regexp"
	"strings"
	"unicode"
)

// spelling finds the words of a copy that are spelt as nobody has them, each once, where it stands first.
func (c *checker) spelling() {
	s := c.asked.Speller
	if s == nil {
		return
	}
	names := c.names()
	first := map[string]int{} // where it stands among the findings
	count := map[string]int{}
	for i := range c.paragraphs {
		p := &c.paragraphs[i]
		for _, w := range s.foreign(p.text, plainWords(p.text)) {
			key := strings.ToLower(straight(w.text))
			if count[key] > 0 {
				count[key]++
				continue
			}
			if s.Knows(w.text, w.begins) || names[key] {
				continue
			}
			count[key]++
			at := p.place(w.at)
			first[key] = len(c.found)
			c.found = append(c.found, Finding{Kind: Spelling, At: at, Len: p.place(w.end) - at, Word: w.text})
		}
	}
	for key, i := range first {
		f := &c.found[i]
		if i < mostOfAKind { // which takes longer than all else
			f.Instead = s.Nearest(f.Word, 3)
		}
		f.Text = fmt.Sprintf("“%s” is in no word list", shortened(f.Word))
		if n := count[key]; n == 2 {
			f.Text += ", twice"
		} else if n > 2 {
			f.Text += fmt.Sprintf(", %d times", n)
		}
	}
}

// names gives the words that stand within sentences with a capital somewhere in the copy, in small letters:
// where such a word begins a sentence, or stands in small letters, it is a name as well.
func (c *checker) names() map[string]bool {
	out := map[string]bool{}
	for i := range c.paragraphs {
		p := &c.paragraphs[i]
		if p.header != 0 || headed(p.text) {
			continue // every word may have a capital there
		}
		for _, w := range plainWords(p.text) {
			if r := []rune(w.text); !w.begins && unicode.IsUpper(r[0]) {
				low := strings.ToLower(straight(w.text))
				out[low] = true
				out[strings.TrimSuffix(low, "'s")] = true
			}
		}
	}
	return out
}

// headed reports whether most of a line of several words has capitals, as titles have.
func headed(text string) bool {
	n, capitals := 0, 0
	for _, w := range words(text) {
		n++
		if unicode.IsUpper([]rune(w.text)[0]) {
			capitals++
		}
	}
	return n > 2 && capitals*2 > n
}

// prose reports whether a copy is in a language for which its reading ease is worked out, and is sentences: an
// outline or a list is no easier to read for being in short lines.
func (c *checker) prose() bool {
	if c.asked.Speller == nil {
		return false
	}
	n, sentences := 0, 0
	for _, p := range c.paragraphs {
		text := strings.TrimRight(p.text, " ”’\"')]")
		if p.header != 0 || text == "" {
			continue
		}
		n++
		if strings.HasSuffix(text, ".") || strings.HasSuffix(text, "!") || strings.HasSuffix(text, "?") || strings.HasSuffix(text, "…") {
			sentences++
		}
	}
	return sentences*2 > n
}

// address is what leads somewhere, or is written for a machine: it is no words.
var address = regexp.MustCompile(`(?i)^[("'“‘<\[]*(` +
	`\S*://\S+|(mailto|tel|doi|urn|isbn):\S+|www\.\S+|\S+@\S+|[@#]\S+|` + // addresses, of the web and of mail, and names as networks have them
	`[\w-]+(\.[\w-]+)*\.[a-z]{2,12}([/?#:]\S*)?|` + // of a site, or a file
	`[.~]?(/[\w.@%+~-]+){2,}/?|[\w.-]+(/[\w.-]+){2,}|` + // a path
	`--?[a-z][\w-]*(=\S*)?|\S*[_\\{}<>=$` + "`" + `|]\S*|\w+\(\))` + // of a command line, or of a program
	`[)"'”’>\],.;:!?]*$`)

// suspect reports whether something may be an address, which is looked at more closely then.
func suspect(s string) bool {
	dot := strings.IndexByte(s, '.')
	return dot >= 0 && dot < len(s)-1 || s[0] == '-' || strings.ContainsAny(s, "/@#:_\\{}<>=$`|(")
}

// plainWords gives the words of a text that are words, without those of addresses.
func plainWords(text string) []word {
	var out []word
	all := words(text)
	for at := 0; at < len(text); {
		i := strings.IndexFunc(text[at:], func(r rune) bool { return !unicode.IsSpace(r) })
		if i < 0 {
			break
		}
		at += i
		end := len(text)
		if k := strings.IndexFunc(text[at:], unicode.IsSpace); k >= 0 {
			end = at + k
		}
		skip := suspect(text[at:end]) && address.MatchString(text[at:end])
		for len(all) > 0 && all[0].at < end {
			if !skip {
				out = append(out, all[0])
			}
			all = all[1:]
		}
		at = end
	}
	return out
}

// Of a stretch in which at least so many words are of no list, and those are so large a part of it, it is
// said that it is of another language.
const (
	fewestForeign = 3
	mostlyForeign = 2 // of one in so many
)

// foreign gives the words of a text without those of sentences, or of what is quoted, that are of another
// language, or another script.
func (s *Speller) foreign(text string, ws []word) []word {
	var out []word
	for len(ws) > 0 {
		n := 1
		for n < len(ws) && !ws[n].begins && !strings.ContainsAny(text[ws[n-1].end:ws[n].at], "“”„\"«»()") {
			n++
		}
		unknown, all := 0, 0
		for _, w := range ws[:n] {
			if r := []rune(w.text); unicode.IsUpper(r[0]) && !w.begins {
				continue // a name is of every language
			}
			all++
			if !s.has(straight(w.text)) {
				unknown++
			}
		}
		if unknown < fewestForeign || unknown*mostlyForeign < all {
			for _, w := range ws[:n] {
				if latin(w.text) {
					out = append(out, w)
				}
			}
		}
		ws = ws[n:]
	}
	return out
}

// latin reports whether all letters of a word are of the script of the lists, and none is a sign of sounds.
func latin(w string) bool {
	for _, r := range w {
		if unicode.IsLetter(r) && (!unicode.Is(unicode.Latin, r) || r >= 0x250 && r <= 0x2AF) {
			return false
		}
	}
	return true
}
