package calendar

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"greenbaton/core/day"
)

func TestEventsKeepTheirNameAndAreCalledOff(t *testing.T) {
	span := Span{From: 100, OffSince: 50}
	draft := Event{UID: "draft", Title: "Draft", Day: 120}
	one := Follow(Shown{}, []Event{draft}, 60, span)
	if k := one.Events[0]; k.Sequence != 0 || k.Changed != 60 || k.Off {
		t.Errorf("new: %+v", k)
	}
	if again := Follow(one, []Event{draft}, 70, span); !again.Same(one) {
		t.Errorf("nothing changed: %+v", again)
	}
	moved := draft
	moved.Day = 125
	two := Follow(one, []Event{moved}, 80, span)
	if k := two.Events[0]; k.Sequence != 1 || k.Changed != 80 || k.Day != 125 {
		t.Errorf("moved: %+v", k)
	}
	three := Follow(two, nil, 90, span)
	if k := three.Events[0]; k.Sequence != 2 || !k.Off || k.Changed != 90 {
		t.Errorf("called off: %+v", k)
	}
	if k := Follow(three, []Event{moved}, 95, span).Events[0]; k.Sequence != 3 || k.Off {
		t.Errorf("it holds again: %+v", k)
	}
	if got := Follow(three, nil, 200, Span{From: 100, OffSince: 91}); len(got.Events) != 0 || got.Floor != 3 {
		t.Errorf("called off long ago: %+v", got)
	}
	if got := Follow(two, nil, 200, Span{From: 126, OffSince: 0}); len(got.Events) != 0 || got.Floor != 2 {
		t.Errorf("what is over is not called off: %+v", got)
	}
}

// Over random lives of a calendar, the sequence of an event never falls, and grows whenever what is
// shown of it changes; what holds is shown, and nothing else but what was called off.
func TestSequencesNeverFall(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 1))
		last := map[string]Kept{}
		var shown Shown
		for at := day.Moment(1); at < 80; at++ {
			today := day.Date(at)
			span := Span{From: today - 20, OffSince: at - 10}
			var now []Event
			for i := range 6 {
				if r.IntN(3) > 0 {
					now = append(now, Event{UID: fmt.Sprint(i), Title: fmt.Sprint(r.IntN(2)), Day: today - 10 + day.Date(r.IntN(30))})
				}
			}
			shown = Follow(shown, now, at, span)
			on := 0
			for _, k := range shown.Events {
				before, known := last[k.UID]
				switch {
				case known && k.Sequence < before.Sequence:
					t.Fatalf("seed %d: %+v after %+v", seed, k, before)
				case known && k.Sequence == before.Sequence && k != before:
					t.Fatalf("seed %d: changed under one sequence: %+v after %+v", seed, k, before)
				case !k.Off && !slices.Contains(now, k.Event):
					t.Fatalf("seed %d: shown, and does not hold: %+v", seed, k)
				}
				if last[k.UID] = k; !k.Off {
					on++
				}
			}
			if on != len(now) {
				t.Fatalf("seed %d: %d of %d are shown", seed, on, len(now))
			}
		}
	}
}

func TestACalendarKeepsWhatIsNear(t *testing.T) {
	all := []Event{{UID: "a", Day: 10}, {UID: "b", Day: 96}, {UID: "c", Day: 107}, {UID: "d", Day: 300}}
	got, more := Nearest(all, 100, 2)
	if !more || len(got) != 2 || got[0].UID != "c" || got[1].UID != "b" {
		t.Errorf("%v %+v", more, got)
	}
}
