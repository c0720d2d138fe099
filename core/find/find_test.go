package find

import (
	"slices"
	"strings"
	"testing"
)

// Distances given in textbooks and encyclopaedias (from memory): kitten and sitting,
// Saturday and Sunday for the one of Levenshtein; neighbours changed as one slip, and ca
// to abc as three, for the restricted one of Damerau.
func TestDistances(t *testing.T) {
	for _, x := range []struct {
		a, b string
		want int
	}{
		{"kitten", "sitting", 3}, {"saturday", "sunday", 3}, {"flaw", "lawn", 2}, {"intention", "execution", 5}, {"gumbo", "gambol", 2},
		{"teh", "the", 1}, {"ca", "abc", 3}, {"", "abc", 3}, {"mill", "mill", 0}, {"Mühle", "Muhle", 1},
	} {
		if got := Distance([]rune(x.a), []rune(x.b), 9); got != x.want {
			t.Errorf("%q and %q are %d apart, want %d", x.a, x.b, got, x.want)
		}
		if got := Distance([]rune(x.b), []rune(x.a), 9); got != x.want {
			t.Errorf("%q and %q are %d apart the other way round, want %d", x.b, x.a, got, x.want)
		}
	}
}

func TestWhatIsNear(t *testing.T) {
	for _, x := range []struct {
		typed, word string
		want        bool
	}{
		{"tide", "tied", true}, {"tdie", "tide", true}, {"sevren", "severn", true}, {"bannoks", "bannocks", true}, {"millstnoe", "millstone", true}, {"millsto", "millstone", true},
		{"til", "tide", false}, {"rye", "oat", false}, {"weir", "mill", false}, {"bread", "broad", true}, {"stone", "stoned", true}, {"harvest", "hairvest", true},
	} {
		if got := Near(x.typed, x.word); got != x.want {
			t.Errorf("%q near %q: %v", x.typed, x.word, got)
		}
	}
}

func TestTitlesThatFitBetterComeFirst(t *testing.T) {
	q := Words("tide mill")
	order := []string{"The last tide mill on the Severn", "Tide millers of Kent", "The tdie mill", "Tides and windmills", "Six ovens, one village"}
	last := 1 << 20
	slips := Slips(q, slices.Values(Words(strings.Join(order, " "))))
	for _, title := range order {
		n := Score(q, strings.ToLower(title), slips)
		if n >= last {
			t.Errorf("%q has %d, not less than the one before", title, n)
		}
		last = n
	}
	if last != 0 || Score(q, "the tdie mill", nil) != 0 {
		t.Error("what does not fit is found")
	}
}

// A distance is at most the longer word, the same both ways, and none only between equals.
func FuzzDistance(f *testing.F) {
	f.Add("stone", "stoned", 2)
	f.Fuzz(func(t *testing.T, a, b string, most int) {
		x, y := []rune(a), []rune(b)
		if len(x) > 40 || len(y) > 40 || most < 0 || most > 60 {
			return
		}
		d := Distance(x, y, 100)
		if d != Distance(y, x, 100) || d > max(len(x), len(y)) || (d == 0) != (string(x) == string(y)) {
			t.Errorf("%q %q: %d", a, b, d)
		}
		if got := Distance(x, y, most); d <= most && got != d || d > most && got <= most {
			t.Errorf("%q %q: %d, up to %d it is %d", a, b, d, most, got)
		}
	})
}
