package check

import (
	"slices"
	"testing"

	"greenbaton/core/relay"
	"greenbaton/core/route"
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
		{"a step that must be ticked", false, []Step{{"A", true, false, 0}, {"B", false, false, 0}, {"C", true, true, 0}}, 0, nil, []string{"“A” is not ticked"}},
		{"a field that is missing", false, nil, 0, []string{"Series"}, []string{"“Series” is not filled in"}},
	} {
		if got := Texts(Unmet(p, &relay.Leg{Words: x.words}, x.steps, x.has, x.lacks)); !slices.Equal(got, x.want) {
			t.Errorf("%s: %v, want %v", x.name, got, x.want)
		}
	}
}

func TestAChecklistIsBroughtUpToItsRouteAndWhatIsTickedStays(t *testing.T) {
	have := []route.Step{{Text: "same"}, {Text: "gone"}, {Text: "ticked"}, {Text: "harder"}, {Text: "ticked and harder"}}
	want := []route.Step{{Text: "new"}, {Text: "same"}, {Text: "harder", Must: true}, {Text: "ticked and harder", Must: true}}
	gone, come := Renew(have, []bool{false, false, true, false, true}, want)
	if !slices.Equal(gone, []int{1, 3}) || !slices.Equal(come, []route.Step{want[0], want[2]}) {
		t.Errorf("gone %v, come %v", gone, come)
	}
}
