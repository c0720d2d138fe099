package digest

import (
	"slices"
	"strings"
	"testing"
)

var mill = []string{
	"Twice a day the river fills the pond at Skelder Pill. Dr. Arkell has the lease, and eleven years are left on it.",
	"Nobody has decided what happens to the mill then. The mill turns while the pond is full; the pond is full for four hours. “We open the sluice,” she says, “and the river does the rest.”",
	"It rained.",
}

func TestShortTextsAreWholeSentencesOfTheCopy(t *testing.T) {
	for most, want := range map[int]string{
		1: "", 12: "The mill…", 60: "Twice a day the river fills the pond at Skelder Pill.",
		140: "Twice a day the river fills the pond at Skelder Pill. The mill turns while the pond is full; the pond is full for four hours.",
	} {
		if got := Shorten(mill, most); got != want && (most != 12 || !strings.HasSuffix(got, "…")) {
			t.Errorf("in %d characters: %q", most, got)
		}
	}
	if got := Shorten(nil, 100); got != "" {
		t.Errorf("of nothing: %q", got)
	}
	if got := split("He met Dr. Arkell at 4.30 p.m. on the quay! Did she laugh? “Yes.” She did…"); !slices.Equal(got, []string{"He met Dr.", "Arkell at 4.30 p.m. on the quay!", "Did she laugh?", "“Yes.”", "She did…"}) {
		t.Errorf("sentences %q", got) // a title before a name parts it: said here, since no list of such titles is kept
	}
	if got := Titles("Skelder Pill", []string{"How it began", "A heading that is much too long for the channel"}, mill, 30, 4); !slices.Contains(got, "How it began") || slices.ContainsFunc(got, func(s string) bool { return len([]rune(s)) > 30 }) {
		t.Errorf("titles %q", got)
	}
	if got := Tags(mill, []string{"Mill"}, 3); !slices.Equal(got, []string{"pond", "river", "full"}) && !slices.Contains(got, "pond") || slices.Contains(got, "mill") {
		t.Errorf("tags %q", got)
	}
}

// Whatever the copy and the room there is: the limit is kept, every word stands in the copy, and
// the same comes twice.
func FuzzNoWordComesThatIsNotInTheCopy(f *testing.F) {
	f.Add(strings.Join(mill, "\n"), 155)
	f.Add("水車。水車が回る。 Mill? Mill!", 10)
	f.Fuzz(func(t *testing.T, text string, most int) {
		most = min(max(most, -5), 500)
		text = strings.ToValidUTF8(text, "")
		paragraphs := strings.Split(text, "\n")
		got := Shorten(paragraphs, most)
		if n := len([]rune(got)); n > max(0, most) {
			t.Errorf("%d characters in %d: %q", n, most, got)
		}
		in := map[string]bool{}
		for _, w := range strings.Fields(text) {
			in[w] = true
			in[strings.TrimRight(w, ",;:–-")] = true
		}
		for _, w := range strings.Fields(strings.TrimSuffix(got, "…")) {
			if !in[w] && !strings.Contains(text, w) {
				t.Errorf("%q is not in %q", w, text)
			}
		}
		if again := Shorten(paragraphs, most); again != got {
			t.Errorf("%q, and then %q", got, again)
		}
		for _, tag := range Tags(paragraphs, nil, 5) {
			if !strings.Contains(strings.ToLower(text), tag) {
				t.Errorf("%q is not in %q", tag, text)
			}
		}
	})
}

// A first comment is the last question that a copy asks, where it has room; chapters begin as the
// words before them take, evenly.
func TestWhatIsSaidFirstAndWhereChaptersBegin(t *testing.T) {
	asks := append(slices.Clone(mill), "Do you remember it? Who turned the wheel in 1911? We do not know.")
	if got := Comment(asks, 100); got != "Who turned the wheel in 1911?" {
		t.Errorf("said first: %q", got)
	}
	if got := Comment(mill, 100); len([]rune(got)) > 100 || strings.HasSuffix(got, "?") {
		t.Errorf("of no question: %q", got)
	}
	if got := Comment(nil, 100); got != "" {
		t.Errorf("of nothing: %q", got)
	}
	parts := []Part{{"", 50}, {"The wheel", 100}, {"The pond", 0}, {"The end", 150}}
	if got := Starts(parts, 600); !slices.Equal(got, []int{0, 100, 300, 300}) {
		t.Errorf("in ten minutes they begin at %v", got)
	}
	if got := Starts(parts, 0); !slices.Equal(got, []int{0, 20, 60, 60}) { // 300 words take two minutes
		t.Errorf("at the usual pace they begin at %v", got)
	}
	if got := Starts([]Part{{"A", 0}, {"B", 0}}, 60); !slices.Equal(got, []int{0, 0}) {
		t.Errorf("of no words they begin at %v", got)
	}
}
