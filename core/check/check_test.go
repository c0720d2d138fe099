package check

import (
	"slices"
	"testing"

	"greenbaton/core/relay"
)

func TestUnmetNamesWordsAndStepsThatMustBeTicked(t *testing.T) {
	p := &relay.Piece{WordsFrom: 900}
	for _, x := range []struct {
		name  string
		words bool
		steps []Step
		has   int
		want  []string
	}{
		{"nothing asked", false, nil, 0, nil},
		{"words missing", true, nil, 1, []string{"the copy has 1 word, 900 are asked for"}},
		{"words enough", true, nil, 900, nil},
		{"a step that must be ticked", false, []Step{{"A", true, false}, {"B", false, false}, {"C", true, true}}, 0, []string{"“A” is not ticked"}},
	} {
		if got := Unmet(p, &relay.Leg{Words: x.words}, x.steps, x.has); !slices.Equal(got, x.want) {
			t.Errorf("%s: %v, want %v", x.name, got, x.want)
		}
	}
}
