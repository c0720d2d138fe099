package check

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"greenbaton/core/copy"
)

// Kind is something that is looked for in a copy.
type Kind string

// What is looked for.
const (
	Words       Kind = "words"       // as many as the brief asks for, and not many more
	Headings    Kind = "headings"    // as many as the brief asks for
	Sections    Kind = "sections"    // those of the format's outline
	Spelling    Kind = "spelling"    // by the word list and the desk's own words
	Style       Kind = "style"       // the desk's list of words to say otherwise
	Links       Kind = "links"       // their form
	Reachable   Kind = "reachable"   // whether what they lead to answers
	Pictures    Kind = "pictures"    // their text alternatives
	Title       Kind = "title"       // its length
	Description Kind = "description" // its length
	Phrase      Kind = "phrase"      // the search phrase: there, and not too often
	Ease        Kind = "ease"        // how easy it is to read
	Pairs       Kind = "pairs"       // quotation marks and brackets closed
	Doubled     Kind = "doubled"     // words and spaces
	Queries     Kind = "queries"     // settled
	Proposals   Kind = "proposals"   // decided
)

// Kinds lists them in the order in which they are shown, with their names.
var Kinds = []struct {
	Kind Kind
	Name string
	Help string
}{
	{Queries, "Queries", "No query on the copy is open."},
	{Proposals, "Proposed changes", "Every one is taken or left."},
	{Words, "Words", "Between those the brief asks for."},
	{Headings, "Headings", "As many as the brief asks for."},
	{Sections, "Sections", "Every section of the format's outline."},
	{Title, "Length of the title", "So that it is not cut off where it is listed."},
	{Description, "Description", "There, and of a length that is shown whole."},
	{Phrase, "Search phrase", "In the title, the opening and a heading, and not too often."},
	{Spelling, "Spelling", "By the word list, and the desk's own words."},
	{Style, "House style", "Words this desk says otherwise."},
	{Pairs, "Quotation marks and brackets", "What is opened is closed."},
	{Doubled, "Doubled words and spaces", ""},
	{Links, "Links", "Whether they can be links."},
	{Reachable, "Links answer", "Whether what they lead to answers."},
	{Pictures, "Pictures described", "Each has words for who does not see it."},
	{Ease, "Reading ease", "By Flesch's formula."},
}

// The measures a copy is held against where no desk says otherwise (common practice, no
// source).
const (
	MostTitle       = 65   // characters
	LeastDesc       = 70   // characters
	MostDesc        = 165  // characters
	MostPhraseShare = 0.03 // of the words
	OpeningWords    = 100
	LeastEase       = 50 // Flesch: fairly difficult below
)

// Say is a line of the house style: say this, not that.
type Say struct {
	Not, Say, Why string
}

// Asked is what a copy is held against.
type Asked struct {
	Title, Description string
	WordsFrom, WordsTo int      // 0 asks for none
	Headings           int      // at least; 0 asks for none
	Sections           []string // headings that are to be there
	Phrase             string
	Style              []Say
	Speller            *Speller // nil checks no spelling
	Dead               []string // addresses that did not answer
	Untried            int      // links nobody has tried
	Queries            int      // open ones
	Proposals          int      // undecided ones
}

// Finding is something a check found: a sentence, and where in the copy it is.
type Finding struct {
	Kind    Kind
	Text    string
	At, Len int      // in the copy; Len 0 is nowhere in particular
	Instead []string // what could be there
	Word    string   // that is in no word list
}

// mostOfAKind is how many findings of a kind are told, and mostWords how many words that are in no list.
const mostOfAKind, mostWords = 100, 2000

// Copy holds a copy against what is asked, with proposals left. What it finds comes in
// the order of Kinds, and within a kind in that of the copy.
func Copy(t copy.Text, a Asked) []Finding {
	c := checker{asked: a, paragraphs: paragraphs(t), text: t}
	var out []Finding
	for _, k := range Kinds {
		c.kind, c.found = k.Kind, nil
		c.look()
		slices.SortStableFunc(c.found, func(x, y Finding) int { return x.At - y.At })
		most := mostOfAKind
		if c.kind == Spelling {
			most = mostWords
		}
		out = append(out, c.found[:min(len(c.found), most)]...)
	}
	return out
}

type checker struct {
	asked      Asked
	text       copy.Text
	paragraphs []paragraph
	kind       Kind
	found      []Finding
}

func (c *checker) say(format string, args ...any) {
	c.found = append(c.found, Finding{Kind: c.kind, Text: fmt.Sprintf(format, args...)})
}

func (c *checker) at(p *paragraph, from, to int, instead []string, format string, args ...any) {
	if c.full() {
		return
	}
	at := p.place(from)
	c.found = append(c.found, Finding{Kind: c.kind, Text: fmt.Sprintf(format, args...), At: at, Len: p.place(to) - at, Instead: instead})
}

// full reports whether as much of a kind was found as is shown.
func (c *checker) full() bool { return len(c.found) >= mostOfAKind }

func (c *checker) look() {
	switch c.kind {
	case Queries:
		if n := c.asked.Queries; n > 0 {
			c.say("%s open", count(n, "query is", "queries are"))
		}
	case Proposals:
		if n := c.asked.Proposals; n > 0 {
			c.say("%s undecided", count(n, "proposed change is", "proposed changes are"))
		}
	case Words:
		switch n := c.text.Left().Words(); {
		case n < c.asked.WordsFrom:
			c.say("the copy has %s, %d are asked for", count(n, "word", "words"), c.asked.WordsFrom)
		case c.asked.WordsTo > 0 && n > c.asked.WordsTo:
			c.say("the copy has %s, %d more than the most that is asked for", count(n, "word", "words"), n-c.asked.WordsTo)
		}
	case Headings:
		n := 0
		for _, p := range c.paragraphs {
			n += b2i(p.header != 0 && strings.TrimSpace(p.text) != "")
		}
		if n < c.asked.Headings {
			c.say("the copy has %s, %d are asked for", count(n, "heading", "headings"), c.asked.Headings)
		}
	case Sections:
		c.sections()
	case Title:
		if n := len([]rune(c.asked.Title)); n > MostTitle {
			c.say("the title has %d characters, and is cut off after about %d where it is listed", n, MostTitle)
		}
	case Description:
		c.description()
	case Phrase:
		c.phrase()
	case Spelling:
		c.spelling()
	case Ease:
		if r := Read(c.text); r.Words >= 100 && r.Ease < LeastEase && c.prose() {
			c.say("its reading ease is %.0f, which is hard to read; shorter sentences and words bring it above %d", r.Ease, LeastEase)
		}
	case Pictures:
		at := 0
		for _, o := range c.text {
			if copy.Picture(o) != 0 && !o.Attributes.Has("alt") && !o.Attributes.Has("put") {
				c.found = append(c.found, Finding{Kind: c.kind, Text: "a picture has no words for who does not see it", At: at, Len: 1})
			}
			at += o.Len()
		}
	case Reachable:
		if c.asked.Untried > 0 {
			c.say("%s not been tried", count(c.asked.Untried, "link has", "links have"))
		}
		fallthrough
	default:
		for i := range c.paragraphs {
			c.paragraph(&c.paragraphs[i])
		}
	}
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func (c *checker) sections() {
	have := map[string]bool{}
	for _, p := range c.paragraphs {
		if p.header != 0 {
			have[fold(p.text)] = true
		}
	}
	for _, s := range c.asked.Sections {
		if !have[fold(s)] {
			c.say("the section “%s” is missing", s)
		}
	}
}

func fold(s string) string { return strings.ToLower(strings.Join(strings.Fields(straight(s)), " ")) }

func (c *checker) description() {
	switch n := len([]rune(c.asked.Description)); {
	case n == 0:
		c.say("there is no description yet")
	case n < LeastDesc:
		c.say("the description has %d characters, which is short; %d to %d are shown whole", n, LeastDesc, MostDesc)
	case n > MostDesc:
		c.say("the description has %d characters, and is cut off after about %d", n, MostDesc)
	}
}

// phrase looks for the search phrase: in the title, in the opening, in a heading, and how
// much of the words it is.
func (c *checker) phrase() {
	phrase := fold(c.asked.Phrase)
	if phrase == "" {
		return
	}
	long := len(strings.Fields(phrase))
	times, total, opening, heading := 0, 0, false, false
	for _, p := range c.paragraphs {
		ws := words(p.text)
		for i := range ws {
			if !phraseAt(ws[i:], phrase, long) {
				continue
			}
			times++
			heading = heading || p.header != 0
			opening = opening || p.header == 0 && total+i < OpeningWords
		}
		total += len(ws)
	}
	if !inWords(c.asked.Title, phrase, long) {
		c.say("“%s” is not in the title", c.asked.Phrase)
	}
	if !opening {
		c.say("“%s” is not in the opening", c.asked.Phrase)
	}
	if !heading {
		c.say("“%s” is in no heading", c.asked.Phrase)
	}
	if total > 0 && times > 2 && float64(times*long)/float64(total) > MostPhraseShare {
		c.say("“%s” is there %d times, more than readers take kindly", c.asked.Phrase, times)
	}
}

func inWords(s, phrase string, long int) bool {
	ws := words(s)
	for i := range ws {
		if phraseAt(ws[i:], phrase, long) {
			return true
		}
	}
	return false
}

func phraseAt(ws []word, phrase string, long int) bool {
	if len(ws) < long {
		return false
	}
	parts := make([]string, long)
	for i := range long {
		parts[i] = strings.ToLower(straight(ws[i].text))
	}
	return strings.Join(parts, " ") == phrase
}

// linkProblem says why an address cannot be a link; "" if it can.
func linkProblem(to string) string {
	u, err := url.Parse(strings.TrimSpace(to))
	switch {
	case err != nil:
		return "cannot be read as an address"
	case strings.ContainsAny(to, " \t"):
		return "has a space in it"
	case u.Scheme == "mailto" && !strings.Contains(u.Opaque, "@"):
		return "is no mail address"
	case u.Scheme == "mailto", strings.HasPrefix(to, "/"), strings.HasPrefix(to, "#"):
		return ""
	case strings.Count(to, "://") > 1:
		return "holds two addresses"
	case u.Scheme == "":
		return "does not begin with https://"
	case u.Hostname() == "":
		return "has no name of a site"
	case !strings.Contains(u.Hostname(), ".") || strings.Contains(u.Hostname(), "..") || strings.HasSuffix(u.Hostname(), "."):
		return "has no whole name of a site"
	}
	return ""
}

// LinksOf gives the addresses outside that a copy links to, each once.
func LinksOf(t copy.Text) []string {
	var out []string
	for _, p := range paragraphs(t) {
		for _, l := range p.links {
			if u, err := url.Parse(l.to); err == nil && (u.Scheme == "http" || u.Scheme == "https") && linkProblem(l.to) == "" && !slices.Contains(out, l.to) {
				out = append(out, l.to)
			}
		}
	}
	return out
}
