package idea

import (
	"errors"
	"math"
	"strings"
	"testing"

	"greenbaton/core/relay"
)

// The score against the weighted mean written out, for every judgement and many weights.
func TestScoreIsTheWeightedMeanOfWhatIsJudged(t *testing.T) {
	for _, w := range []Weights{UsualWeights, {1, 0, 0}, {0, 0, 0}, {5, 1, 3}, {0, 4, 1}} {
		for n := range 216 {
			i := Idea{Reach: n % 6, Fit: n / 6 % 6, Effort: n / 36}
			sum, of, judged := 0.0, 0.0, 0
			add := func(n, weight int, share float64) {
				if n > 0 {
					judged++
					sum, of = sum+float64(weight)*share, of+float64(weight)
				}
			}
			add(i.Reach, w.Reach, float64(i.Reach-1)/4)
			add(i.Fit, w.Fit, float64(i.Fit-1)/4)
			add(i.Effort, w.Effort, float64(5-i.Effort)/4)
			score, of3, ok := i.Score(w)
			if ok != (of > 0) || of3 != judged || ok && score != int(math.Floor(100*sum/of+0.5)) {
				t.Errorf("%+v by %v: %d of %d, %v; written out %.2f", i, w, score, of3, ok, 100*sum/of)
			}
		}
	}
}

func TestWhatIsReadOfAnIdea(t *testing.T) {
	long := strings.Repeat("loaf ", 2000)
	for _, x := range []struct {
		name  string
		in    Idea
		field string // of the refusal
	}{
		{"a title is enough", Idea{Title: "Rye"}, ""},
		{"none", Idea{Title: " \n\t "}, "title"},
		{"10,000 characters", Idea{Title: long}, "title"},
		{"300 of any script", Idea{Title: strings.Repeat("ß", 300)}, ""},
		{"from right to left, and a picture", Idea{Title: "رغيف الخبز 🥖"}, ""},
		{"the beginning of a formula", Idea{Title: `=HYPERLINK("x")`}, ""},
		{"markup", Idea{Title: "<script>alert(1)</script>"}, ""},
		{"a script for a link", Idea{Title: "T", Links: "https://a.example\njavascript:alert(1)"}, "links"},
		{"six steps", Idea{Title: "T", Effort: 6}, "effort"},
		{"an unknown source", Idea{Title: "T", Source: "dream"}, "source"},
		{"a tag of a page", Idea{Title: "T", Tags: long}, "tags"},
		{"an impossible difficulty", Idea{Title: "T", Difficulty: 101}, "difficulty"},
	} {
		i, err := x.in.Check()
		var r *relay.Refusal
		switch {
		case x.field == "" && err != nil:
			t.Errorf("%s: %v", x.name, err)
		case x.field != "" && (!errors.As(err, &r) || r.Field != x.field || !errors.Is(err, relay.ErrInput)):
			t.Errorf("%s: %v", x.name, err)
		case x.field == "" && (i.Title == "" || i.Source == ""):
			t.Errorf("%s: read as %+v", x.name, i)
		}
	}
}

func TestWhatBecomesOfAnIdea(t *testing.T) {
	i := Idea{Title: "Rye", State: Waiting}
	if _, err := i.Settle(Turned, "  ", 0, 100); err == nil {
		t.Error("turned down without a reason")
	}
	if _, err := i.Settle(Resting, "", 100, 100); err == nil {
		t.Error("rests until today")
	}
	rests, err := i.Settle(Resting, "after the harvest", 110, 100)
	if err != nil || rests.Awake(109) != Resting || rests.Awake(110) != Waiting || rests.Why != "after the harvest" {
		t.Errorf("%+v %v", rests, err)
	}
	again, err := rests.Settle(Waiting, "x", 0, 100)
	if err != nil || again != i {
		t.Errorf("waits again as %+v %v", again, err)
	}
	i.State = Used
	if _, err := i.Settle(Turned, "why", 0, 100); !errors.Is(err, relay.ErrNotNow) {
		t.Error("a used idea was turned down")
	}
}
