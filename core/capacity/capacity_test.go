package capacity

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

func works(minutes, days int) []int { return slices.Repeat([]int{minutes}, days) }

// Cases worked out by hand.
func TestTheBound(t *testing.T) {
	write, edit := Leg{Role: "write", Minutes: 600}, Leg{Role: "edit", Minutes: 120, After: []int{0}}
	piece := []Format{{Wanted: 10, Legs: []Leg{write, edit}}}
	for _, x := range []struct {
		says   string
		people []Person
		of     []Format
		times  float64
		roles  string
	}{
		{"a writer and an editor", []Person{{[]string{"write"}, works(300, 20)}, {[]string{"edit"}, works(300, 20)}}, piece, 1, "[write]"},
		{"an editor who is hardly there", []Person{{[]string{"write"}, works(300, 20)}, {[]string{"edit"}, works(30, 20)}}, piece, .5, "[edit]"},
		{"one who does both", []Person{{[]string{"edit", "write"}, works(360, 20)}}, piece, 1, "[edit write]"},
		{"a second writer who edits too", []Person{{[]string{"write"}, works(300, 20)}, {[]string{"edit", "write"}, works(300, 20)}}, piece, 12000.0 / 7200, "[edit write]"},
		{"nobody edits", []Person{{[]string{"write"}, works(300, 20)}}, piece, 0, "[edit]"},
	} {
		times, roles := Bound(x.people, x.of)
		if math.Abs(times-x.times) > 1e-9 || fmt.Sprint(roles) != x.roles {
			t.Errorf("%s: %v by %v, want %v by %s", x.says, times, roles, x.times, x.roles)
		}
	}
	if times, _ := Bound(nil, nil); !math.IsInf(times, 1) {
		t.Errorf("nothing wanted: %v", times)
	}
}

// Over a year a simple desk comes near its bound; the rest is what is under way in the end.
func TestARunComesNearTheBound(t *testing.T) {
	people := []Person{{[]string{"write"}, works(360, 250)}, {[]string{"edit"}, works(360, 250)}, {[]string{"write", "pictures"}, works(360, 250)}}
	mix := []Format{
		{Wanted: 100, Legs: []Leg{{Role: "write", Minutes: 600}, {Role: "edit", Minutes: 120, After: []int{0}}}},
		{Wanted: 50, Legs: []Leg{{Role: "write", Minutes: 300}, {Role: "pictures", Minutes: 120}, {Role: "edit", Minutes: 60, After: []int{0, 1}}, {Role: "nobody", After: []int{2}}}},
	}
	bound, _ := Bound(people, mix)
	if got := Carry(people, mix); got > bound || got < .85*bound {
		t.Errorf("it carries %v, the bound is %v", got, bound)
	}
	if got := Carry(people[:1], mix); got != 0 {
		t.Errorf("without an editor it carries %v", got)
	}
	if got := Carry(people, nil); got != 0 {
		t.Errorf("of nothing it carries %v", got)
	}
}

// Whatever the desk, it carries no more than its bound, and no less with one more who runs the
// roles that limit it, by the bound.
func TestNoDeskExceedsItsBound(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 19))
	roles := []string{"write", "edit", "pictures", "copy edit", "release"}
	some := 0
	for range 400 {
		var people []Person
		for range 1 + rng.IntN(7) {
			var p Person
			for _, r := range roles {
				if rng.IntN(3) == 0 {
					p.Roles = append(p.Roles, r)
				}
			}
			for range 60 {
				p.Minutes = append(p.Minutes, []int{0, 240, 420, 480}[rng.IntN(4)])
			}
			people = append(people, p)
		}
		var mix []Format
		for range 1 + rng.IntN(3) {
			f := Format{Wanted: float64(1 + rng.IntN(20))}
			for i := range 1 + rng.IntN(5) {
				l := Leg{Role: roles[rng.IntN(len(roles))], Minutes: []int{0, 30, 120, 600, 1500}[rng.IntN(5)]}
				for k := range i {
					if rng.IntN(2) == 0 {
						l.After = append(l.After, k)
					}
				}
				f.Legs = append(f.Legs, l)
			}
			mix = append(mix, f)
		}
		bound, by := Bound(people, mix)
		got := Carry(people, mix)
		if got > bound+1e-9 {
			t.Fatalf("%+v\n%+v\ncarry %v, bound %v", people, mix, got, bound)
		}
		if more, _ := Bound(append(slices.Clone(people), Person{by, works(420, 60)}), mix); more < bound-1e-9 {
			t.Fatalf("with one more who runs %v it is %v instead of %v", by, more, bound)
		}
		if got > 0 && !math.IsInf(bound, 1) {
			some++
		}
	}
	if some < 50 {
		t.Errorf("only %d desks carry anything", some)
	}
}
