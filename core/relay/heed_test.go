package relay

import (
	"strings"
	"testing"
)

func TestAnAnswerBringsItsLegBackOrSkipsItUntilThePieceIsPastIt(t *testing.T) {
	way := feature(t)
	way.Leg("welsh").When, way.Leg("welsh").Is = "languages", "Welsh"
	for _, x := range []struct {
		name, done, field, answer string
		begin, want               State
	}{
		{"needed", "brief", "languages", "English\nWelsh", Skipped, Waiting},
		{"not needed", "brief", "languages", "English", Waiting, Skipped},
		{"no answer", "brief", "languages", "", Waiting, Skipped},
		{"another field", "brief", "series", "Welsh", Skipped, Skipped},
		{"the piece is past it", "brief draft pics copy", "languages", "Welsh", Skipped, Skipped},
	} {
		needed := []string{}
		if x.begin == Waiting {
			needed = append(needed, "welsh")
		}
		p := passed(t, begun(t, needed...), strings.Fields(x.done)...)
		m, err := Move{Piece: p}.Heed(way, x.field, x.answer, scene("2026-11-25"))
		if err != nil || m.Piece.Leg("welsh").State != x.want {
			t.Errorf("%s: %v, the leg is %s", x.name, err, m.Piece.Leg("welsh").State)
		}
	}
	out := begun(t)
	out.Stage = Out
	if m, err := (Move{Piece: out}).Heed(way, "languages", "Welsh", scene("2026-11-25")); err != nil || len(m.Events) != 0 {
		t.Errorf("a piece that is out: %v %v", err, m.Events)
	}
}

func TestWhoLosesALegToANewRouteIsNamed(t *testing.T) {
	m, err := Reroute(begun(t), another(t, "draft sign"), 5, scene("2026-11-24"))
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range m.Events {
		if e.Kind == Removed && e.Leg == "brief" && e.From == 1 {
			return
		}
	}
	t.Errorf("nobody is told: %+v", m.Events)
}
