package brief

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/copy"
	"greenbaton/core/relay"
)

func TestABriefIsReadAsItIsKept(t *testing.T) {
	got, err := Brief{About: " The mill. ", Answers: map[string]string{
		"angle": " It stops.\r\nThen what? ", "audience": "  people   who bake ", "headings": " 04 ", "items": "0", "musts": "\n one\n\n two \n", "links": "https://mill.example/a\n", "unknown": "x",
	}}.Check()
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]string{"angle": "It stops.\nThen what?", "audience": "people who bake", "headings": "4", "musts": "one\ntwo", "links": "https://mill.example/a"}
	if got.About != "The mill." || len(got.Answers) != len(want) {
		t.Errorf("kept %+v", got)
	}
	for k, v := range want {
		if got.Answers[k] != v {
			t.Errorf("%s: %q, want %q", k, got.Answers[k], v)
		}
	}
	again, err := got.Check()
	if err != nil || len(Changes(got, again)) != 0 {
		t.Errorf("read twice it differs: %v, %v", Changes(got, again), err)
	}
}

func TestWhatABriefCannotSayIsRefusedByItsPart(t *testing.T) {
	for part, v := range map[string]string{
		"headings": "four", "items": "-2", "links": "javascript:alert(1)", "audience": strings.Repeat("a", 301), "angle": strings.Repeat("b", 4_001),
	} {
		_, err := Brief{Answers: map[string]string{part: v}}.Check()
		var r *relay.Refusal
		if !errors.As(err, &r) || r.Field != part || r.Text == "" {
			t.Errorf("%s: %v", part, err)
		}
	}
}

func TestWhatIsMissingAndWhatChanged(t *testing.T) {
	f, err := Form{{Key: "goal"}, {Key: "angle", Must: true}, {Key: "nothing"}, {Key: "phrase", Must: true, Help: " In lower case. "}}.Check()
	if err != nil || len(f) != 3 || f[0].Key != "angle" || f[2].Help != "In lower case." {
		t.Fatalf("form %v, %v", f, err)
	}
	b := Brief{WordsFrom: 900, WordsTo: 1200, Answers: map[string]string{"angle": "It stops."}}
	must, rest := f.Missing(b)
	if !slices.Equal(must, []string{"Search phrase"}) || !slices.Equal(rest, []string{"Goal"}) {
		t.Errorf("missing %v and %v", must, rest)
	}
	next := Brief{WordsFrom: 1100, WordsTo: 1200, Answers: map[string]string{"goal": "bake"}}
	want := []Change{{"Words", "900 to 1200", "1100 to 1200"}, {"Angle", "It stops.", ""}, {"Goal", "", "bake"}}
	if got := Changes(b, next); !slices.Equal(got, want) {
		t.Errorf("changes %v", got)
	}
	if f, err := ReadForm(""); err != nil || len(f) != len(Parts) {
		t.Errorf("the usual form has %d parts, %v", len(f), err)
	}
	if _, err := ReadForm("{"); err == nil {
		t.Error("a broken form is read")
	}
}

func TestTheWritingBeginsWithTheLegThatAsksForWords(t *testing.T) {
	p := &relay.Piece{Legs: []relay.Leg{
		{Key: "brief", Role: "lead", State: relay.Running}, {Key: "ask", Role: "write", State: relay.Waiting, After: "brief"},
		{Key: "draft", Role: "write", State: relay.Waiting, Words: true, After: "ask"}, {Key: "edit", Role: "edit", State: relay.Waiting, After: "draft"},
	}}
	if Writing(p) != "draft" || Begun(p) || !Before(p, "brief") || !Before(p, "draft") || Before(p, "edit") {
		t.Errorf("writing %q, begun %v", Writing(p), Begun(p))
	}
	p.Legs[2].State = relay.Running
	if !Begun(p) {
		t.Error("it has begun")
	}
	p.Legs[2].Words = false
	if Writing(p) != "ask" {
		t.Errorf("writing %q", Writing(p))
	}
	if Writing(&relay.Piece{}) != "" || Begun(&relay.Piece{}) {
		t.Error("without legs nothing is written")
	}
}

func TestAnOutlineBecomesACopyAndBack(t *testing.T) {
	o, err := Outline{{Advice: "Open on a place."}, {}, {Heading: "  What  changed ", Level: 7, Advice: "In one paragraph."}, {Heading: "Who pays", Level: 3}}.Check()
	if err != nil || len(o) != 3 || o[1].Heading != "What changed" || o[1].Level != 2 {
		t.Fatalf("%+v, %v", o, err)
	}
	text, err := copy.Parse(o.Text().JSON())
	if err != nil {
		t.Fatal(err)
	}
	lines := text.Lines()
	if len(lines) != 5 || lines[0].Text("advice") != "Open on a place." || lines[1].Header() != 2 || lines[2].Text("advice") != "In one paragraph." || lines[3].Header() != 3 || lines[4].Text("advice") != "" {
		t.Errorf("lines %+v", lines)
	}
	if text.Words() != 4 {
		t.Errorf("%d words", text.Words())
	}
	if back := OutlineOf(text); len(back) != 2 || back[0].Heading != "What changed" || back[1].Level != 3 || back[0].Advice != "" {
		t.Errorf("the shape is %+v", back)
	}
	if _, err := (Outline{{Heading: "A"}, {Advice: "lost"}}).Check(); err == nil {
		t.Error("a second section without a heading is taken")
	}
}
