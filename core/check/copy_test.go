package check

import (
	"fmt"
	"math"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing"

	"github.com/rivo/uniseg"

	"greenbaton/core/copy"
)

func parse(t *testing.T, s string) copy.Text {
	t.Helper()
	x, err := copy.Parse([]byte(s))
	if err != nil {
		t.Fatal(err)
	}
	return x
}

// found writes the findings of one kind, each with the words it points at.
func found(t copy.Text, a Asked, k Kind) string {
	var out []string
	for _, f := range Copy(t, a) {
		if f.Kind == k {
			s := f.Text
			if f.Len > 0 {
				s += " [" + t.Read(copy.Place{At: f.At, Len: f.Len}) + "]"
			}
			if len(f.Instead) > 0 {
				s += " → " + strings.Join(f.Instead, ", ")
			}
			out = append(out, s)
		}
	}
	return strings.Join(out, "; ")
}

func TestWhatIsFoundInACopy(t *testing.T) {
	en := NewSpeller("en-GB", []string{"Skelder", "leat"})
	for name, x := range map[string]struct {
		text  string
		asked Asked
		kind  Kind
		want  string
	}{
		"spelling":           {`[{"insert":"The 🌾 leat recieves water, and Joan’s sluice too. Teh end at Blorft.\n"}]`, Asked{Speller: en}, Spelling, "“recieves” is in no word list [recieves] → receives, relieves; “Teh” is in no word list [Teh] → the, eh, meh"},
		"a name alone":       {`[{"insert":"Old Blorft re-opened in 1742 under NRFTA rules.\n"}]`, Asked{Speller: en}, Spelling, ""},
		"no list":            {`[{"insert":"Melin lanw\n"}]`, Asked{Speller: NewSpeller("cy", nil)}, Spelling, ""},
		"proposals are left": {`[{"insert":"The "},{"insert":"wrnog","attributes":{"put":"1.a"}},{"insert":"rihgt","attributes":{"cut-1.a":true}},{"insert":" mill\n"}]`, Asked{Speller: en}, Spelling, "“rihgt” is in no word list [rihgt] → right"},
		"style":              {`[{"insert":"It’s very unique. Uniquely so, utilize it: don't.\n"}]`, Asked{Style: []Say{{"very unique", "unique", ""}, {"utilize", "use", "shorter"}, {"don’t", "", ""}}}, Style, "say “unique”, not “very unique” [very unique] → unique; say “use”, not “utilize”: shorter [utilize] → use; do not say “don’t” [don't]"},
		"pairs":              {`[{"insert":"“One (two.\n“It goes on\n“and ends.” 1) one a) two [x] y]\n"}]`, Asked{}, Pairs, "( is not closed [(]; ] closes nothing []]"},
		"doubled":            {`[{"insert":"The the mill  had had it. It. It is is.  \n"}]`, Asked{}, Doubled, "“The the” is there twice [The the] → The; there are 2 spaces in a row [  ] →  ; “is is” is there twice [is is] → is"},
		"links":              {`[{"insert":"a","attributes":{"link":"www.x.example"}},{"insert":" "},{"insert":"b","attributes":{"link":"https://x.example/a"}},{"insert":"c","attributes":{"link":"https://localhost"}},{"insert":"d","attributes":{"link":"mailto:x"}},{"insert":"e","attributes":{"link":"https://https://x.example"}},{"insert":"\n"}]`, Asked{}, Links, "the link to www.x.example does not begin with https:// [a]; the link to https://localhost has no whole name of a site [c]; the link to mailto:x is no mail address [d]; the link to https://https://x.example holds two addresses [e]"},
		"dead":               {`[{"insert":"b","attributes":{"link":"https://x.example/a"}},{"insert":"\n"}]`, Asked{Dead: []string{"https://x.example/a"}, Untried: 2}, Reachable, "2 links have not been tried; https://x.example/a does not answer [b]"},
		"pictures":           {`[{"insert":"a"},{"insert":{"picture":"3"}},{"insert":{"picture":"4"},"attributes":{"alt":"A mill"}},{"insert":"\n"}]`, Asked{}, Pictures, "a picture has no words for who does not see it []"},
		"too few words":      {`[{"insert":"one "},{"insert":"two ","attributes":{"put":"1.a"}},{"insert":"three\n"}]`, Asked{WordsFrom: 3, WordsTo: 4}, Words, "the copy has 2 words, 3 are asked for"},
		"too many words":     {`[{"insert":"one two three\n"}]`, Asked{WordsFrom: 1, WordsTo: 2}, Words, "the copy has 3 words, 1 more than the most that is asked for"},
		"headings":           {`[{"insert":"One"},{"insert":"\n\n","attributes":{"header":2}}]`, Asked{Headings: 3}, Headings, "the copy has 1 heading, 3 are asked for"},
		"sections":           {`[{"insert":"What  it’s like"},{"insert":"\n","attributes":{"header":3}}]`, Asked{Sections: []string{"what it's like", "Who pays"}}, Sections, "the section “Who pays” is missing"},
		"title":              {`[{"insert":"\n"}]`, Asked{Title: strings.Repeat("ŵ", 66)}, Title, "the title has 66 characters, and is cut off after about 65 where it is listed"},
		"no description":     {`[{"insert":"\n"}]`, Asked{}, Description, "there is no description yet"},
		"short description":  {`[{"insert":"\n"}]`, Asked{Description: "A mill."}, Description, "the description has 7 characters, which is short; 70 to 165 are shown whole"},
		"phrase":             {`[{"insert":"Tide  mills\nA tide-mill and a Tide\nMill.\n"}]`, Asked{Title: "The last Tide Mill", Phrase: "tide mill"}, Phrase, "“tide mill” is not in the opening; “tide mill” is in no heading"},
		"stuffed":            {`[{"insert":"Tide mill"},{"insert":"\n","attributes":{"header":2}},{"insert":"A tide mill is a tide mill.\n"}]`, Asked{Title: "Tide mill", Phrase: "tide mill"}, Phrase, "“tide mill” is there 3 times, more than readers take kindly"},
		"queries":            {`[{"insert":"\n"}]`, Asked{Queries: 2}, Queries, "2 queries are open"},
		"proposals":          {`[{"insert":"\n"}]`, Asked{Proposals: 1}, Proposals, "1 proposed change is undecided"},
	} {
		if got := found(parse(t, x.text), x.asked, x.kind); got != x.want {
			t.Errorf("%s:\n got %s\nwant %s", name, got, x.want)
		}
	}
}

// Published worked examples of the Flesch reading ease and the Flesch–Kincaid grade, as
// they are given in the encyclopaedia article on the formulas (from memory): 116.145 for
// "The cat sat on the mat.", and 13 words with 24 syllables at 37.455 and grade 11.3.
func TestReadingEaseAgainstWorkedExamples(t *testing.T) {
	for _, x := range []struct {
		text        string
		words, syll int
		ease, grade float64
	}{
		{"The cat sat on the mat.", 6, 6, 116.145, -1.45},
		{"The Australian platypus is seemingly a hybrid of a mammal and reptilian creature.", 13, 24, 37.455, 11.265},
	} {
		r := ReadText(x.text)
		if r.Words != x.words || r.Sentences != 1 || math.Abs(float64(r.Syllables-x.syll)) > 2 {
			t.Errorf("%q: %+v, want %d words of %d syllables", x.text, r, x.words, x.syll)
		}
		r.Syllables = x.syll // the formulas themselves, to the digit
		if r = r.worked(); math.Abs(r.Ease-x.ease) > 0.01 || math.Abs(r.Grade-x.grade) > 0.01 {
			t.Errorf("%q: ease %.3f, grade %.3f", x.text, r.Ease, r.Grade)
		}
	}
	if n := sentences("Dr. Ames said: “No.” Then, e.g. at 4.30, St. Ives sank… Why? It was 3.5 m"); n != 4 {
		t.Errorf("%d sentences", n)
	}
}

// Syllables against the CMU Pronouncing Dictionary: at least nine words in ten, and all
// together within one in a hundred.
func TestSyllablesAgainstADictionary(t *testing.T) {
	b, err := os.ReadFile("testdata/cmudict.tsv")
	if err != nil {
		t.Fatal(err)
	}
	n, right, want, got := 0, 0, 0, 0
	for l := range strings.Lines(string(b)) {
		w, c, _ := strings.Cut(strings.TrimSpace(l), "\t")
		k, err := strconv.Atoi(c)
		if err != nil {
			t.Fatal(l)
		}
		s := Syllables(w)
		n, want, got = n+1, want+k, got+s
		right += b2i(s == k)
	}
	if n < 2900 || right*10 < n*9 || math.Abs(float64(got-want)) > float64(want)/100 {
		t.Errorf("%d of %d are right, %d syllables for %d", right, n, got, want)
	}
}

// Spelling against a published list of common misspellings: what is misspelt is found,
// what it should be is known, and for most it is proposed.
func TestSpellingAgainstCommonMisspellings(t *testing.T) {
	b, err := os.ReadFile("testdata/misspellings.tsv")
	if err != nil {
		t.Fatal(err)
	}
	s := NewSpeller("en-GB", nil)
	n, missed, unknown, proposed := 0, 0, 0, 0
	for l := range strings.Lines(string(b)) {
		wrong, right, _ := strings.Cut(strings.TrimSpace(l), "\t")
		n++
		missed += b2i(s.Knows(wrong, true))
		if !s.Knows(right, true) {
			unknown++ // words of trades and of other shores
			continue
		}
		proposed += b2i(strings.Contains(","+strings.Join(s.Nearest(wrong, 3), ",")+",", ","+right+","))
	}
	if n < 290 || missed > n/50 || unknown > n/5 || proposed < (n-unknown)*3/4 {
		t.Errorf("of %d: %d not found, %d not known when right, %d proposed", n, missed, unknown, proposed)
	}
}

var samples = []string{
	"Twice a day the river does the lifting.",
	"Don’t fight it, she says – you let it want to go, and you stand there.",
	"In 1747 the rent was £12 a year; the lease, re-let in 1831, says 14.",
	"Naïve ŵyr at Llanfair read “The miller’s tale” twice (and wept).",
}

// Words are counted as wc -w counts them, on texts in which every stretch between spaces
// is a word; and as the word boundaries of Unicode's annex 29 have them, by the package
// uniseg, where no word has a hyphen.
func TestWordsAreCountedAsOthersDo(t *testing.T) {
	for _, s := range samples {
		got := copy.FromPlain(s).Words()
		n, state, rest := 0, -1, s
		for rest != "" {
			var w string
			w, rest, state = uniseg.FirstWordInString(rest, state)
			if len(words(w)) > 0 {
				n++
			}
		}
		if hyphens := strings.Count(s, "re-"); got != n-hyphens {
			t.Errorf("%q: %d words, by the boundaries of Unicode %d", s, got, n-hyphens)
		}
		if strings.Contains(s, " – ") {
			continue
		}
		cmd := exec.Command("wc", "-w")
		cmd.Env = append(os.Environ(), "LC_ALL=C.UTF-8")
		cmd.Stdin = strings.NewReader(s)
		out, err := cmd.Output()
		if err != nil {
			t.Fatal("the texts could not be counted by wc: ", err)
		}
		if w := strings.TrimSpace(string(out)); w != fmt.Sprint(got) {
			t.Errorf("%q: %d words, wc says %s", s, got, w)
		}
	}
}

// Whatever the copy, every finding points at a place that is in it.
func FuzzCopy(f *testing.F) {
	f.Add(`[{"insert":"“the the 🌾  recieve"},{"insert":"\n","attributes":{"break-put":"1.a"}},{"insert":"(x\n"}]`)
	f.Add(`[{"insert":"İ don’t ſay","attributes":{"put":"1.a","link":"x y"}},{"insert":"don't\n"}]`)
	a := Asked{Title: "T", Phrase: "the mill", Style: []Say{{"don’t", "do not", ""}, {"ſay", "say", ""}}, Speller: NewSpeller("en-GB", nil), Sections: []string{"x"}}
	f.Fuzz(func(t *testing.T, s string) {
		x, err := copy.Parse([]byte(s))
		if err != nil {
			return
		}
		n := x.Len()
		for _, f := range Copy(x, a) {
			if f.At < 0 || f.Len < 0 || f.At+f.Len > n {
				t.Fatalf("%+v in %d characters", f, n)
			}
		}
	})
}

func BenchmarkCopyOfTenThousandWords(b *testing.B) {
	x := copy.FromPlain(strings.Repeat("Nothing in a tide mill happens when it suits you, and the stones recieve what they get.\n", 625))
	a := Asked{Title: "T", Phrase: "tide mill", Style: []Say{{"utilize", "use", ""}}, Speller: NewSpeller("en-GB", nil)}
	for b.Loop() {
		Copy(x, a)
	}
}

// Whatever is in a copy, it is checked in time of its length: one word without an end, and
// one line in which a word of the house style stands a hundred thousand times.
func TestACopyThatIsHardToCheckIsChecked(t *testing.T) {
	speller := NewSpeller("en-GB", nil)
	style, err := ReadStyle("color → colour")
	if err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{"one word": strings.Repeat("w", 400_000), "one line": strings.Repeat("color colour ", 100_000), "quotation marks": strings.Repeat("“(", 200_000), "the same words": strings.Repeat("the the ", 200_000), "apostrophes": strings.Repeat("a’", 200_000)} {
		found := Copy(copy.FromPlain(text), Asked{Speller: speller, Style: style})
		for kind, n := range byKind(found) {
			if n > mostOfAKind {
				t.Errorf("%s: %d of %s", name, n, kind)
			}
		}
		for _, f := range found {
			if len(f.Text) > 1000 {
				t.Errorf("%s: a finding of %d bytes", name, len(f.Text))
			}
		}
	}
}

func byKind(fs []Finding) map[Kind]int {
	out := map[Kind]int{}
	for _, f := range fs {
		out[f.Kind]++
	}
	return out
}
