// Package digest makes short texts of a copy: whole sentences of it, chosen by the weight of
// their words, the same ones each time. No word comes that is not in the copy.
package digest

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
)

// sentence is a sentence of the copy, with what its words weigh.
type sentence struct {
	text   string
	at     int
	weight int
}

// Shorten gives the sentences of some paragraphs that weigh most and have room together in so
// many characters, in their order. Where not even one has, it is the beginning of the heaviest,
// up to a word, with an ellipsis. Nothing comes of no words or no room.
func Shorten(paragraphs []string, most int) string {
	all := weighed(paragraphs)
	if len(all) == 0 || most < 2 {
		return ""
	}
	heavy := slices.Clone(all)
	slices.SortStableFunc(heavy, func(x, y sentence) int { return cmp.Or(y.weight-x.weight, x.at-y.at) })
	var chosen []sentence
	left := most
	for _, s := range heavy {
		n := len([]rune(s.text))
		if len(chosen) > 0 {
			n++ // the space between
		}
		twice := slices.ContainsFunc(chosen, func(c sentence) bool { return c.text == s.text })
		if n <= left && !twice {
			chosen, left = append(chosen, s), left-n
		}
	}
	if len(chosen) == 0 {
		return cut(heavy[0].text, most)
	}
	slices.SortFunc(chosen, func(x, y sentence) int { return x.at - y.at })
	texts := make([]string, len(chosen))
	for i, s := range chosen {
		texts[i] = s.text
	}
	return strings.Join(texts, " ")
}

// cut gives the beginning of a text up to a word, with an ellipsis.
func cut(text string, most int) string {
	var out string
	for _, w := range strings.Fields(text) {
		next := strings.TrimSpace(out + " " + w)
		if len([]rune(next))+1 > most {
			break
		}
		out = next
	}
	if out == "" {
		return ""
	}
	return strings.TrimRight(out, ",;:–-") + "…"
}

// Titles gives up to n other titles that a copy has in it: its headings, and the beginnings of
// its heaviest sentences, each within so many characters (0 is any number) and not the one it has.
func Titles(title string, headings, paragraphs []string, most, n int) []string {
	var out []string
	add := func(t string) {
		t = strings.TrimRight(strings.TrimSpace(t), ".!:;,")
		fits := t != "" && (most == 0 || len([]rune(t)) <= most)
		if fits && len(out) < n && !strings.EqualFold(t, title) && !slices.ContainsFunc(out, func(o string) bool { return strings.EqualFold(o, t) }) {
			out = append(out, t)
		}
	}
	heavy := weighed(paragraphs)
	slices.SortStableFunc(heavy, func(x, y sentence) int { return cmp.Or(y.weight-x.weight, x.at-y.at) })
	for _, s := range heavy {
		if words := strings.Fields(s.text); len(words) <= 9 {
			add(s.text)
		}
		if len(out) >= (n+1)/2 {
			break
		}
	}
	for _, h := range headings {
		add(h)
	}
	return out
}

// Tags gives up to n words that a copy is about: those it says most often, and names of one word
// or two, but for those of a list.
func Tags(paragraphs []string, but []string, n int) []string {
	counts, first := count(paragraphs)
	var words []string
	for w := range counts {
		if counts[w] > 1 && !slices.ContainsFunc(but, func(b string) bool { return strings.EqualFold(b, w) }) {
			words = append(words, w)
		}
	}
	slices.SortFunc(words, func(x, y string) int { return cmp.Or(counts[y]-counts[x], first[x]-first[y]) })
	return words[:min(n, len(words))]
}

// Comment gives what could be said first under a page, in up to so many characters: the last
// question that a copy asks, or else the heaviest of its last words.
func Comment(paragraphs []string, most int) string {
	for _, p := range slices.Backward(paragraphs) {
		for _, s := range slices.Backward(split(p)) {
			if strings.HasSuffix(s, "?") && len([]rune(s)) <= most {
				return s
			}
		}
	}
	return Shorten(paragraphs[len(paragraphs)*2/3:], most)
}

// Pace is how many words a minute are spoken (common practice, no source).
const Pace = 150

// Part is a part of what is read aloud: its heading, none before the first one, and its words.
type Part struct {
	Heading string `json:"heading"`
	Words   int    `json:"words"`
}

// Starts gives after how many seconds each part begins in a recording of so many seconds, where
// the words are spoken evenly; 0 seconds is as long as they take at the usual pace.
func Starts(parts []Part, seconds int) []int {
	total := 0
	for _, p := range parts {
		total += p.Words
	}
	if seconds == 0 {
		seconds = total * 60 / Pace
	}
	out, before := make([]int, len(parts)), 0
	for i, p := range parts {
		if total > 0 {
			out[i] = int(int64(seconds) * int64(before) / int64(total))
		}
		before += p.Words
	}
	return out
}

// weighed gives the sentences of some paragraphs with their weights: how often the words of each
// are said in all, for each word of it, and more at the beginning.
func weighed(paragraphs []string) []sentence {
	counts, _ := count(paragraphs)
	var out []sentence
	for _, p := range paragraphs {
		for _, text := range split(p) {
			words := fields(text)
			sum, seen := 0, map[string]bool{}
			for _, w := range words {
				if !seen[w] {
					sum += counts[w]
				}
				seen[w] = true
			}
			if len(words) < 3 {
				continue
			}
			s := sentence{text: text, at: len(out)}
			s.weight = 1000 * sum / (len(words) + 4)
			s.weight += s.weight / (1 + s.at) // what a copy begins with it is about
			out = append(out, s)
		}
	}
	return out
}

// count says how often each telling word is said, and at which place first.
func count(paragraphs []string) (counts, first map[string]int) {
	counts, first = map[string]int{}, map[string]int{}
	at := 0
	for _, p := range paragraphs {
		for _, w := range fields(p) {
			at++
			if len([]rune(w)) < 4 || common[w] {
				continue
			}
			if counts[w]++; counts[w] == 1 {
				first[w] = at
			}
		}
	}
	return counts, first
}

func fields(text string) []string {
	return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '’' && r != '\'' })
}

// split parts a paragraph into its sentences: at a full stop, question or exclamation mark with
// what closes it, before a space and what begins with a capital or a figure.
func split(paragraph string) []string {
	var out []string
	text := []rune(strings.Join(strings.Fields(paragraph), " "))
	from := 0
	for i := 0; i < len(text); i++ {
		if !strings.ContainsRune(".!?", text[i]) {
			continue
		}
		end := i + 1
		for end < len(text) && strings.ContainsRune(".!?”’\")»", text[end]) {
			end++
		}
		if end < len(text) && (text[end] != ' ' || end+1 < len(text) && !begins(text[end+1])) {
			continue
		}
		out = append(out, string(text[from:end]))
		i, from = end, min(end+1, len(text))
	}
	if from < len(text) {
		out = append(out, string(text[from:]))
	}
	return out
}

func begins(r rune) bool {
	return unicode.IsUpper(r) || unicode.IsDigit(r) || strings.ContainsRune("“‘\"«(", r) || !unicode.IsLower(r) && unicode.IsLetter(r)
}

// common are English words that say nothing of what a copy is about (common practice, no source).
var common = func() map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(`about above after again against almost along also although always among another anybody anything around because been before being
		below between both came cannot come could does doing done down during each either else enough even ever every everybody everything from gave give goes going have
		having here hers herself himself however into itself just kept know less like made make many might more most much must myself near need neither never next nobody
		none nothing often once only onto other others ours over perhaps quite rather really said same says seem several shall should since some somebody something still
		such take takes tell than that their theirs them themselves then there these they thing things this those though through till together told took toward under until
		upon used very want wants well went were what whatever when where whether which while whom whose will with within without would your yours yourself`) {
		out[w] = true
	}
	return out
}()
