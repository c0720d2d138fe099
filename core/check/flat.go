package check

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"greenbaton/core/copy"
)

// paragraph is a line of a copy as a reader has it, with proposals left, that knows where
// its words are in the copy.
type paragraph struct {
	text   string
	header int
	starts []start
	links  []link
}

// start says that from a byte of the text on the words are at a place of the copy.
type start struct{ at, place int }

type link struct {
	to      string
	at, end int // bytes
}

// place gives where a byte of the text is in the copy.
func (p *paragraph) place(at int) int {
	i, found := slices.BinarySearchFunc(p.starts, at, func(s start, at int) int { return s.at - at })
	if !found {
		i--
	}
	if i < 0 {
		return 0
	}
	return p.starts[i].place + copy.Units(p.text[p.starts[i].at:min(at, len(p.text))])
}

// paragraphs gives a copy as a reader has it, line by line.
func paragraphs(t copy.Text) []paragraph {
	var out []paragraph
	var b strings.Builder
	cur := paragraph{}
	at := 0
	for _, o := range t {
		n := o.Len()
		put := o.Attributes.Has("put") || o.Attributes.Has("break-put")
		if o.Embed != "" || put {
			if !put || !strings.Contains(o.Insert, "\n") {
				at += n
				continue
			}
		}
		rest, here := o.Insert, at
		for rest != "" {
			line, after, broken := strings.Cut(rest, "\n")
			if line != "" && !put {
				cur.starts = append(cur.starts, start{b.Len(), here})
				if to := o.Attributes.Text("link"); to != "" {
					cur.links = append(cur.links, link{to, b.Len(), b.Len() + len(line)})
				}
				b.WriteString(line)
			}
			here += copy.Units(line)
			if !broken {
				break
			}
			here++
			if !put {
				cur.text, cur.header = b.String(), o.Attributes.Header()
				out = append(out, cur)
				cur = paragraph{}
				b.Reset()
			}
			rest = after
		}
		at += n
	}
	return out
}

// word is a word of a text by its bytes.
type word struct {
	text    string
	at, end int
	begins  bool // a sentence
}

// words gives the words of a text: letters and digits, with apostrophes and hyphens inside.
func words(s string) []word {
	var out []word
	begins := true
	for i := 0; i < len(s); {
		end := wordEnd(s[i:])
		if end == 0 {
			r, n := utf8.DecodeRuneInString(s[i:])
			if strings.ContainsRune(".!?:…“‘\"(", r) {
				begins = true
			}
			i += n
			continue
		}
		out = append(out, word{s[i : i+end], i, i + end, begins})
		begins = false
		i += end
	}
	return out
}

func wordEnd(s string) int {
	end := 0
	for i, r := range s {
		switch {
		case unicode.IsLetter(r), unicode.IsDigit(r), unicode.IsMark(r):
			end = i + len(string(r))
		case end > 0 && end == i && (r == '’' || r == '\'' || r == '-'):
			// inside a word only: what follows has to be a letter
			rest := s[i+len(string(r)):]
			if next, _ := utf8.DecodeRuneInString(rest); !unicode.IsLetter(next) && !unicode.IsDigit(next) {
				return end
			}
			end = i + len(string(r))
		default:
			return end
		}
	}
	return end
}
