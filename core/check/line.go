package check

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// paragraph does the checks that go through the words of one line.
func (c *checker) paragraph(p *paragraph) {
	switch c.kind {
	case Style:
		c.style(p)
	case Pairs:
		c.pairs(p)
	case Doubled:
		c.doubled(p)
	case Links:
		for _, l := range p.links {
			if problem := linkProblem(l.to); problem != "" {
				c.at(p, l.at, l.end, nil, "the link to %s %s", l.to, problem)
			}
		}
	case Reachable:
		for _, l := range p.links {
			if slices.Contains(c.asked.Dead, l.to) {
				c.at(p, l.at, l.end, nil, "%s does not answer", l.to)
			}
		}
	}
}

// shortened is a word as it is shown.
func shortened(w string) string {
	if r := []rune(w); len(r) > longestWord {
		return string(r[:longestWord]) + "…"
	}
	return w
}

func (c *checker) style(p *paragraph) {
	low := strings.ToLower(straight(p.text))
	if len(low) != len(straight(p.text)) { // a letter that is of another length in small
		low = straight(p.text)
	}
	for _, s := range c.asked.Style {
		not := strings.ToLower(straight(s.Not))
		for from := 0; not != "" && !c.full(); {
			i := strings.Index(low[from:], not)
			if i < 0 {
				break
			}
			at, end := from+i, from+i+len(not)
			from = end
			if wordBeside(low[:at], true) || wordBeside(low[end:], false) {
				continue
			}
			text := fmt.Sprintf("say “%s”, not “%s”", s.Say, s.Not)
			if s.Say == "" {
				text = fmt.Sprintf("do not say “%s”", s.Not)
			}
			if s.Why != "" {
				text += ": " + s.Why
			}
			a, b := unstraight(p.text, at), unstraight(p.text, end)
			instead := []string{s.Say}
			if s.Say == "" {
				instead = nil
			}
			c.at(p, a, b, instead, "%s", text)
		}
	}
}

// unstraight gives the byte of a text that is a byte of it with straight apostrophes.
func unstraight(s string, at int) int {
	n := 0
	for i, r := range s {
		if n >= at {
			return i
		}
		if r == '’' {
			n++
		} else {
			n += len(string(r))
		}
	}
	return len(s)
}

func wordBeside(s string, before bool) bool {
	rs := []rune(s)
	if len(rs) == 0 {
		return false
	}
	r := rs[0]
	if before {
		r = rs[len(rs)-1]
	}
	return unicode.IsLetter(r) || unicode.IsDigit(r)
}

var closes = map[rune]rune{'“': '”', '(': ')', '[': ']', '«': '»'}
var opens = map[rune]rune{'”': '“', ')': '(', ']': '[', '»': '«'}

// pairs looks for what is opened and not closed. A quotation that goes on over several
// paragraphs is opened in each and closed in the last.
func (c *checker) pairs(p *paragraph) {
	type open struct {
		r  rune
		at int
	}
	var stack []open
	for i, r := range p.text {
		if closes[r] != 0 {
			stack = append(stack, open{r, i})
			continue
		}
		o := opens[r]
		if o == 0 || r == ')' && listNumber(p.text[:i]) {
			continue
		}
		if n := len(stack); n > 0 && stack[n-1].r == o {
			stack = stack[:n-1]
		} else {
			c.at(p, i, i+len(string(r)), nil, "%c closes nothing", r)
		}
	}
	for _, o := range stack {
		if o.r == '“' && c.goesOn(p) {
			continue
		}
		c.at(p, o.at, o.at+len(string(o.r)), nil, "%c is not closed", o.r)
	}
}

// goesOn reports whether the next paragraph begins with an opening quotation mark.
func (c *checker) goesOn(p *paragraph) bool {
	for i := range c.paragraphs {
		if &c.paragraphs[i] == p && i+1 < len(c.paragraphs) {
			return strings.HasPrefix(strings.TrimSpace(c.paragraphs[i+1].text), "“")
		}
	}
	return false
}

// listNumber reports whether a line so far ends with the number of an item, as in "1)" or "a)".
func listNumber(s string) bool {
	s = s[strings.LastIndexAny(s, " (")+1:]
	return len(s) <= 2 && s != "" && strings.IndexFunc(s, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) < 0
}

// twice are words that are rightly said twice.
var twice = map[string]bool{"had": true, "that": true, "very": true, "so": true, "no": true, "never": true}

// quoted reports whether a part of a text is all that stands in quotation marks.
func quoted(text string, from, to int) bool {
	before, _ := utf8.DecodeLastRuneInString(text[:from])
	after, _ := utf8.DecodeRuneInString(text[to:])
	return strings.ContainsRune("“‘\"'«„", before) && strings.ContainsRune("”’\"'»“", after)
}

func (c *checker) doubled(p *paragraph) {
	ws := words(p.text)
	for i := 1; i < len(ws); i++ {
		a, b := ws[i-1], ws[i]
		alike := a.text == b.text || a.begins && strings.EqualFold(a.text, b.text) // “debug Debug” are two things
		if low := strings.ToLower(a.text); alike && !twice[low] && unicode.IsLetter([]rune(low)[0]) && strings.TrimSpace(p.text[a.end:b.at]) == "" && !quoted(p.text, a.at, b.end) {
			c.at(p, a.at, b.end, []string{a.text}, "“%s” is there twice", p.text[a.at:b.end])
		}
	}
	text := strings.TrimRight(p.text, " ")
	for i := 0; i < len(text); {
		k := strings.Index(text[i:], "  ")
		if k < 0 {
			return
		}
		at := i + k
		end := at
		for end < len(text) && text[end] == ' ' {
			end++
		}
		c.at(p, at, end, []string{" "}, "there are %d spaces in a row", end-at)
		i = end
	}
}
