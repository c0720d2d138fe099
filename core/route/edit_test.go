package route

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// text writes a route as "a, b(a), c(a b)".
func text(r Route) string {
	var out []string
	for _, x := range r.Legs {
		s := x.Key
		if len(x.After) > 0 {
			s += "(" + strings.Join(x.After, " ") + ")"
		}
		out = append(out, s)
	}
	return strings.Join(out, ", ")
}

func chain() Route {
	return Route{Legs: []Leg{l("a", 1), l("b", 2, "a"), l("c", 3, "b"), l("d", 1, "c")}}
}

func TestEditingARouteAsAHandDoes(t *testing.T) {
	for _, x := range []struct {
		name, want string
		r          Route
	}{
		{"insert between", "a, x(a), b(x), c(b), d(c)", chain().Insert(l("x", 1), 1)},
		{"insert first", "x, a(x), b(a), c(b), d(c)", chain().Insert(l("x", 1), 0)},
		{"insert last", "a, b(a), c(b), d(c), x(d)", chain().Insert(l("x", 1), 99)},
		{"remove", "a, c(a), d(c)", chain().Remove("b")},
		{"remove the first", "b, c(b), d(c)", chain().Remove("a")},
		{"remove what is not there", "a, b(a), c(b), d(c)", chain().Remove("zz")},
		{"move earlier", "a, c(a), b(c), d(b)", chain().MoveTo("c", 1)},
		{"move later", "a, c(a), d(c), b(d)", chain().MoveTo("b", 3)},
		{"side by side", "a, b(a), c(a), d(b c)", chain().Beside("c")},
		{"side by side from the start", "a, b, c(a b), d(c)", chain().Beside("b")},
		{"one after the other again", "a, b(a), c(b), d(c)", chain().Beside("c").Behind("c")},
		{"the first stands beside nothing", "a, b(a), c(b), d(c)", chain().Beside("a")},
	} {
		if got := text(x.r); got != x.want {
			t.Errorf("%s: %s, want %s", x.name, got, x.want)
		}
	}
	if got := text(chain()); got != "a, b(a), c(b), d(c)" {
		t.Errorf("editing changed the route it began with: %s", got)
	}
}

// Whatever a hand does, the route can be run: it passes its check in the order it
// stands in, and no leg is lost.
func TestEditingNeverBreaksARoute(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		way := chain()
		for n := range 12 {
			key := way.Legs[r.IntN(len(way.Legs))].Key
			count := len(way.Legs)
			switch r.IntN(5) {
			case 0:
				way, count = way.Insert(l(fmt.Sprint("n", n), r.IntN(4)), r.IntN(len(way.Legs)+1)), count+1
			case 1:
				if count > 1 {
					way, count = way.Remove(key), count-1
				}
			case 2:
				way = way.MoveTo(key, r.IntN(len(way.Legs)))
			case 3:
				way = way.Beside(key)
			case 4:
				way = way.Behind(key)
			}
			checked, err := way.Check()
			if err != nil || len(way.Legs) != count {
				t.Fatalf("%s: %v", text(way), err)
			}
			if text(checked) != text(way) {
				t.Fatalf("it stands as %s and runs as %s", text(way), text(checked))
			}
			days := 0
			for _, k := range way.LongestWay() {
				days += way.Leg(k).Allowance
			}
			if days != way.Longest() {
				t.Fatalf("the longest way of %s has %d days, want %d", text(way), days, way.Longest())
			}
		}
	}
}

func TestALegWithoutAWayToTheEndIsNamedWithItsCircle(t *testing.T) {
	for _, x := range []struct {
		r              Route
		leg, says, key string
	}{
		{Route{Legs: []Leg{l("a", 1, "c"), l("b", 1, "a"), l("c", 1, "b")}}, "A", "in a circle, for itself", "a"},
		{Route{Legs: []Leg{l("s", 1), l("x", 1, "s", "a"), l("a", 1, "b"), l("b", 1, "a")}}, "X", "it can never begin", "x"},
		{Route{Legs: []Leg{{Key: "a", Name: "A", Role: "r", Skip: SkipMay}}}, "A", "every leg can be skipped", "a"},
	} {
		_, err := x.r.Check()
		f, ok := err.(*Fault)
		if !ok || f.Leg != x.leg || f.Key != x.key || !strings.Contains(f.Problem, x.says) {
			t.Errorf("%s: %v", text(x.r), err)
		}
	}
}

func TestKeysAreMadeFromNamesAndUsedOnce(t *testing.T) {
	r := chain()
	for name, want := range map[string]string{"Fact check": "factcheck", "a": "a2", "  ": "leg", "Übersetzung": "übersetzung"} {
		if got := r.NewKey(name); got != want {
			t.Errorf("%q: %q, want %q", name, got, want)
		}
	}
	var ends []string
	for _, e := range chain().Beside("d").Ends() {
		ends = append(ends, e.Key)
	}
	if !slices.Equal(ends, []string{"c", "d"}) {
		t.Errorf("ends %v", ends)
	}
}

func FuzzCheck(f *testing.F) {
	f.Add("a,b:a,c:b")
	f.Add("a:b,b:a")
	f.Fuzz(func(t *testing.T, s string) {
		var r Route
		for _, x := range strings.Split(s, ",") {
			key, after, _ := strings.Cut(x, ":")
			leg := l(key, len(x))
			if after != "" {
				leg.After = strings.Split(after, ":")
			}
			r.Legs = append(r.Legs, leg)
		}
		out, err := r.Check()
		if err != nil {
			if err.Error() == "" {
				t.Error("refused without a word")
			}
			return
		}
		seen := map[string]bool{}
		for _, x := range out.Legs {
			for _, k := range x.After {
				if !seen[k] {
					t.Fatalf("%s stands before %s", x.Key, k)
				}
			}
			seen[x.Key] = true
		}
	})
}
