package check

import (
	"compress/gzip"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/copy"
)

// prose reads a text of others, with the lines of a paragraph put together.
func prose(t testing.TB, file string) string {
	t.Helper()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	b, err := io.ReadAll(z)
	if err != nil {
		t.Fatal(err)
	}
	paragraphs := strings.Split(string(b), "\n\n")
	for i, p := range paragraphs {
		paragraphs[i] = strings.Join(strings.Fields(p), " ")
	}
	return strings.Join(paragraphs, "\n")
}

func spelling(text, language string, own ...string) []Finding {
	return slices.DeleteFunc(Copy(copy.FromPlain(text), Asked{Speller: NewSpeller(language, own)}), func(f Finding) bool { return f.Kind != Spelling })
}

// On texts that nobody here wrote (see testdata/README.md) at most three findings in 1,000 words are false,
// where all are taken as false; and of slips put into them, by a published list, nearly all are found.
func TestSpellingOfProse(t *testing.T) {
	files, err := filepath.Glob("testdata/prose/*.gz")
	if err != nil || len(files) < 3 {
		t.Fatal(err, files)
	}
	b, err := os.ReadFile("testdata/misspellings.tsv")
	if err != nil {
		t.Fatal(err)
	}
	var wrong []string
	for l := range strings.Lines(string(b)) {
		w, _, _ := strings.Cut(strings.TrimSpace(l), "\t")
		wrong = append(wrong, w)
	}
	r := rand.New(rand.NewPCG(5, 8))
	for _, file := range files {
		text := prose(t, file)
		for _, language := range Languages {
			found, n := spelling(text, language), copy.FromPlain(text).Words()
			if per := float64(len(found)) * 1000 / float64(n); per > 3 {
				t.Errorf("%s in %s: %.1f findings in 1,000 words", filepath.Base(file), language, per)
			}
		}
		lines := strings.Split(text, "\n")
		put := map[string]bool{}
		for range 40 {
			i := r.IntN(len(lines))
			if ws := strings.Fields(lines[i]); len(ws) > 12 {
				w := wrong[r.IntN(len(wrong))]
				put[w] = true
				lines[i] = strings.Join(slices.Insert(ws, 1+r.IntN(len(ws)-1), w), " ")
			}
		}
		missed := 0
		found := spelling(strings.Join(lines, "\n"), "en-GB")
		for w := range put {
			if !slices.ContainsFunc(found, func(f Finding) bool { return f.Word == w }) {
				missed++
			}
		}
		if len(put) < 15 || missed*20 > len(put) {
			t.Errorf("%s: %d of %d slips are missed", filepath.Base(file), missed, len(put))
		}
	}
}

func TestWhatIsNoWordIsLeftOut(t *testing.T) {
	for text, want := range map[string]string{
		"See https://exmple.example/wrold?q=teh and www.nowhre.example, or write to ines@ppaer.example.": "",
		"It is at ppaer.example/stroies, in ./srcc/mian.go, ~/.confg/xyz or /usrr/shrae/x.":              "",
		"Run `grbl --verbse` with $HMOE, or call fnord() and wrte_it; @inse said so in #mlling.":         "",
		"They met Blorft, Zorxa and Quarn, who recieved it.":                                             "“recieved” is in no word list",
		"A waterWeel and a GitHup.": "",
		"He called it “Mae hen wlad fy nhadau yn annwyl i mi”, and sang.":            "",
		"Мельница стоит. The mill stands, as /hjuːmɑ/ or ˈmɪl.":                      "",
		"Blorft stands by the river. They say that Blorft’s mill is old.":            "",
		"Teh mill stands; teh wheel turns, and teh rest.":                            "“Teh” is in no word list, 3 times",
		"The wheel was recieved, and recieved again.":                                "“recieved” is in no word list, twice",
		"He organized and organised it, non-commercially and noncommercially.":       "",
		"The colour, not the color.":                                                 "“color” is in no word list",
		"An untill and a reknown.":                                                   "“untill” is in no word list; “reknown” is in no word list",
		"The podcast has a standfirst, a paywall and webhooks.":                      "",
		"It ends here.Then it begins, e.g. at ten a.m. or so; and that, and/or teh.": "“teh” is in no word list",
	} {
		var got []string
		for _, f := range spelling(text, "en-GB") {
			got = append(got, f.Text)
		}
		if strings.Join(got, "; ") != want {
			t.Errorf("%q:\n%s\nwant\n%s", text, strings.Join(got, "; "), want)
		}
	}
	if got := spelling("The color, not the colour.", "en-US"); len(got) != 1 || got[0].Word != "colour" {
		t.Errorf("American: %+v", got)
	}
	var many strings.Builder
	for i := range 600 {
		fmt.Fprintf(&many, "A wrodq%s stands here and nowhere else in all of it. ", strings.NewReplacer("0", "a", "1", "b", "2", "c", "3", "d", "4", "e", "5", "f", "6", "g", "7", "h", "8", "i", "9", "j").Replace(fmt.Sprint(i)))
	}
	if got := spelling(many.String(), "en-GB"); len(got) != 600 {
		t.Errorf("the list has %d of 600 words", len(got))
	}
}

// What is doubled by intent is no slip, and what is no prose is not held against a formula for prose.
func TestWhatIsMeantIsNoSlip(t *testing.T) {
	kinds := func(text, language string) string {
		var out []string
		for _, f := range Copy(copy.FromPlain(text), Asked{Speller: NewSpeller(language, nil)}) {
			if f.Kind == Doubled || f.Kind == Ease {
				out = append(out, string(f.Kind))
			}
		}
		return strings.Join(out, " ")
	}
	hard := strings.Repeat("Notwithstanding incontrovertible jurisdictional considerations, administrative organisations characteristically overestimate interdepartmental responsibilities. ", 12)
	for _, x := range []struct{ text, language, want string }{
		{"Press debug Debug twice.", "en-GB", ""}, {"He wrote “the the” there.", "en-GB", ""}, {"The the mill.", "en-GB", "doubled"}, {"It is is so.", "en-GB", "doubled"},
		{hard, "en-GB", "ease"}, {hard, "cy", ""}, {strings.ReplaceAll(hard, ". ", "\n"), "en-GB", ""},
	} {
		if got := kinds(x.text, x.language); got != x.want {
			t.Errorf("%.40q in %s: %q, want %q", x.text, x.language, got, x.want)
		}
	}
}

func TestAListIsSearchedInItsOrder(t *testing.T) {
	for _, l := range append([]lexicon{newsroomWords()}, lexicons["en-GB"](), lexicons["en-US"]()) {
		last, n := "", 0
		for w := range strings.Lines(l.text) {
			w = strings.TrimSuffix(w, "\n")
			if w <= last || !l.has(w) {
				t.Fatalf("%q comes after %q, or is not found", w, last)
			}
			if last, n = w, n+1; n%50 == 0 && (l.has(w+"zzq") || l.has(w[:len(w)-1]+"\x01")) {
				t.Fatalf("what is near %q is found", w)
			}
		}
		if n < 100 || l.has("") || l.has("zzzzzz") {
			t.Errorf("of %d words, none is found", n)
		}
	}
}

func BenchmarkSpelling(b *testing.B) {
	text := copy.FromPlain(strings.Repeat(prose(b, "testdata/prose/us-constitution.txt.gz")+"\n", 3)) // 23,000 words
	a := Asked{Speller: NewSpeller("en-GB", nil)}
	for b.Loop() {
		c := checker{asked: a, paragraphs: paragraphs(text), text: text}
		c.spelling()
	}
}
