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
		lacks []string
		want  []string
	}{
		{"nothing asked", false, nil, 0, nil, nil},
		{"words missing", true, nil, 1, nil, []string{"the copy has 1 word, 900 are asked for"}},
		{"words enough", true, nil, 900, nil, nil},
		{"a step that must be ticked", false, []Step{{"A", true, false}, {"B", false, false}, {"C", true, true}}, 0, nil, []string{"“A” is not ticked"}},
		{"a field that is missing", false, nil, 0, []string{"Series"}, []string{"“Series” is not filled in"}},
	} {
		if got := Unmet(p, &relay.Leg{Words: x.words}, x.steps, x.has, x.lacks); !slices.Equal(got, x.want) {
			t.Errorf("%s: %v, want %v", x.name, got, x.want)
		}
	}
}
