package check

import (
	"fmt"
	"testing"

	"greenbaton/core/route"
)

func TestStyleIsReadAsItIsTyped(t *testing.T) {
	got, err := ReadStyle("utilize → use (it is shorter)\n\n very unique -> unique\nirregardless=\na (b) → c\n")
	want := "[{utilize use it is shorter} {very unique unique } {irregardless  } {a (b) c }]"
	if err != nil || fmt.Sprint(got) != want {
		t.Errorf("%v, %v", got, err)
	}
	for _, bad := range []string{"utilize", "→ use", "use → Use"} {
		if s, err := ReadStyle(bad); err == nil {
			t.Errorf("%q is read as %v", bad, s)
		}
	}
}

func TestRules(t *testing.T) {
	r, err := ReadRules(`{"spelling":{"leg":"copy"},"ease":{"off":true},"links":{"off":true,"leg":"copy"}}`)
	if err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(r.Musts("copy"), r.Musts("draft"), r.Musts(""), r.Strict(), Rules(nil).Strict()); got != "[spelling] [] [] true false" {
		t.Error(got)
	}
	way := route.Route{Legs: []route.Leg{{Key: "copy"}}}
	if err := r.Check(way); err != nil {
		t.Error(err)
	}
	for _, bad := range []Rules{{"taste": {}}, {Spelling: {Leg: "gone"}}} {
		if bad.Check(way) == nil {
			t.Errorf("%v is taken", bad)
		}
	}
}
