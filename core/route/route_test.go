package route

import (
	"errors"
	"slices"
	"strings"
	"testing"
)

func l(key string, days int, after ...string) Leg {
	return Leg{Key: key, Name: strings.ToUpper(key), Role: "r", Allowance: days, After: after}
}

func TestARouteThatCannotBeRunNamesTheLeg(t *testing.T) {
	for _, x := range []struct {
		name string
		r    Route
		leg  string
	}{
		{"no legs", Route{}, ""},
		{"a cycle", Route{Legs: []Leg{l("a", 1, "b"), l("b", 1, "a")}}, "A"},
		{"a cycle behind a start", Route{Legs: []Leg{l("s", 1), l("a", 1, "s", "b"), l("b", 1, "a")}}, "A"},
		{"waits for itself", Route{Legs: []Leg{l("a", 1, "a")}}, "A"},
		{"unknown leg", Route{Legs: []Leg{l("a", 1, "zz")}}, "A"},
		{"key twice", Route{Legs: []Leg{l("a", 1), l("a", 1)}}, "A"},
		{"negative allowance", Route{Legs: []Leg{l("a", -1)}}, "A"},
		{"absurd allowance", Route{Legs: []Leg{l("a", 100_000)}}, "A"},
		{"least above allowance", Route{Legs: []Leg{{Key: "a", Name: "A", Role: "r", Allowance: 1, Least: 2}}}, "A"},
		{"no role", Route{Legs: []Leg{{Key: "a", Name: "A"}}}, "A"},
		{"no name", Route{Legs: []Leg{{Key: "a", Role: "r"}}}, "a"},
		{"comma in key", Route{Legs: []Leg{{Key: "a,b", Name: "A", Role: "r"}}}, "A"},
	} {
		_, err := x.r.Check()
		var f *Fault
		if !errors.As(err, &f) || f.Leg != x.leg {
			t.Errorf("%s: %v, want a fault at %q", x.name, err, x.leg)
		}
	}
}

func TestCheckOrdersLegsAndKeepsTheGivenOrderOtherwise(t *testing.T) {
	r, err := Route{Legs: []Leg{l("release", 1, "pics", "copy"), l("pics", 2, "draft"), l("copy", 3, "draft"), l("draft", 5)}}.Check()
	if err != nil {
		t.Fatal(err)
	}
	var keys []string
	for _, x := range r.Legs {
		keys = append(keys, x.Key)
	}
	if !slices.Equal(keys, []string{"draft", "pics", "copy", "release"}) {
		t.Errorf("order %v", keys)
	}
	if got := r.Longest(); got != 9 {
		t.Errorf("longest way %d days, want 9", got)
	}
}
