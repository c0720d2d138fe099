package relay

import (
	"errors"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/route"
)

func TestOverlapLetsALegRunBesideWhatItWaitedFor(t *testing.T) {
	p := begun(t)
	p.Leg("draft").Beside = true
	m, err := Overlap(p, "draft", scene("2026-11-24"))
	if err != nil {
		t.Fatal(err)
	}
	p = m.Piece
	if got := states(p); got != "brief running, draft running, pics waiting, copy waiting, welsh skipped, sign waiting" {
		t.Error(got)
	}
	if p = passed(t, p, "draft"); p.Leg("pics").State != Waiting {
		t.Error("what comes behind both began before both were passed")
	}
	if p = passed(t, p, "brief"); p.Leg("pics").State != Running || p.Leg("copy").State != Running {
		t.Error("what comes behind both did not begin")
	}
	for _, key := range []string{"brief", "pics", "sign", "zz"} {
		if _, err := Overlap(begun(t), key, scene("2026-11-24")); !errors.Is(err, ErrNotNow) {
			t.Errorf("%s: %v", key, err)
		}
	}
}

func TestHoursLeftAreWhatTheHolderSays(t *testing.T) {
	p := begun(t)
	p.Leg("brief").Effort, p.Leg("draft").Effort = 120, 600
	for _, x := range []struct{ left, effort int }{{90, 120}, {0, 120}, {200, 200}} {
		m, err := Report(p, "brief", x.left, scene("2026-11-24"))
		if err != nil {
			t.Fatal(err)
		}
		if l := m.Piece.Leg("brief"); l.Remaining() != x.left || l.Effort != x.effort {
			t.Errorf("%d left: %d of %d", x.left, l.Remaining(), l.Effort)
		}
	}
	p = passed(t, p, "brief", "draft")
	m, err := SendBack(p, "copy", "draft", "why", 2, scene("2026-11-25"))
	if err != nil {
		t.Fatal(err)
	}
	if got := m.Piece.Leg("draft").Remaining(); got != 240 {
		t.Errorf("a rework of 2 of 5 days has %d minutes, want 240", got)
	}
	for _, left := range []int{0, 100, 241, 999} {
		again, err := Report(m.Piece, "draft", left, scene("2026-11-25"))
		if err != nil || again.Piece.Leg("draft").Remaining() != left {
			t.Errorf("%d left: %v, %d", left, err, again.Piece.Leg("draft").Remaining())
		}
	}
	for _, left := range []int{-1, route.MaxMinutes + 1} {
		if _, err := Report(p, "copy", left, scene("2026-11-25")); !errors.Is(err, ErrInput) {
			t.Errorf("%d: %v", left, err)
		}
	}
	if p.Leg("brief").Remaining() != 0 {
		t.Error("a leg that is over has work left")
	}
}

// A leg that came back keeps at least a day for its rework; others may be given none.
func TestReworkKeepsADay(t *testing.T) {
	p := passed(t, begun(t), "brief", "draft")
	m, err := SendBack(p, "pics", "draft", "why", 0, scene("2026-11-26"))
	if err != nil {
		t.Fatal(err)
	}
	var r *Refusal
	if _, err := Allow(m.Piece, "draft", 0); !errors.As(err, &r) || !strings.Contains(r.Text, "at least a day") {
		t.Errorf("none for rework: %v", err)
	}
	if m, err := Allow(m.Piece, "draft", 1); err != nil || m.Piece.Leg("draft").Rework != 1 || m.Piece.Leg("draft").Allowance != p.Leg("draft").Allowance {
		t.Errorf("one for rework: %v", err)
	}
	if m, err := Allow(p, "copy", 0); err != nil || m.Piece.Leg("copy").Allowance != 0 {
		t.Errorf("none for a leg that waits or runs: %v", err)
	}
}

// another gives a route of the keys, one behind the other, each of a day with the
// role of its old leg.
func another(t *testing.T, keys string) route.Route {
	t.Helper()
	r, after := route.Route{}, []string(nil)
	for _, k := range strings.Fields(keys) {
		l := route.Leg{Key: k, Name: strings.ToUpper(k), Role: "new", Usual: 9, Allowance: 1, After: after}
		if was := feature(t).Leg(k); was != nil {
			l.Role = was.Role
		}
		r.Legs = append(r.Legs, l)
		after = []string{k}
	}
	r, err := r.Check()
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestMovingAPieceToAnotherRouteKeepsWhatIsDone(t *testing.T) {
	for _, x := range []struct{ name, done, route, want string }{
		{"nothing done", "", "brief draft sign", "brief running, draft waiting, sign waiting"},
		{"done ones stay done", "brief", "brief draft sign", "brief passed, draft running, sign waiting"},
		{"a done one that is gone is kept", "brief", "draft sign", "brief passed, draft running, sign waiting"},
		{"a new leg ahead will run", "brief", "brief draft check sign", "brief passed, draft running, check waiting, sign waiting"},
		{"a new leg behind is skipped", "brief", "brief check draft sign", "brief passed, check skipped, draft running, sign waiting"},
		{"the running leg is gone: what is free begins", "brief", "brief check sign", "draft passed, brief passed, check running, sign waiting"},
		{"a waiting one that is gone is gone", "brief draft", "brief draft pics sign", "copy passed, brief passed, draft passed, pics running, sign waiting"},
	} {
		p := passed(t, begun(t), strings.Fields(x.done)...)
		m, err := Reroute(p, another(t, x.route), 5, scene("2026-11-26"))
		if err != nil {
			t.Fatal(err)
		}
		if got := states(m.Piece); got != x.want {
			t.Errorf("%s:\n got %s\nwant %s", x.name, got, x.want)
		}
	}
}

func TestARunningLegGoesOnUnderItsNewFigures(t *testing.T) {
	p := passed(t, begun(t), "brief")
	m, err := Reroute(p, another(t, "brief draft sign"), 5, scene("2026-11-26"))
	if err != nil {
		t.Fatal(err)
	}
	was, is := p.Leg("draft"), m.Piece.Leg("draft")
	if is.Holder != was.Holder || is.StartDay != was.StartDay || is.Run != 1 || is.Allowance != 1 || is.Name != "DRAFT" {
		t.Errorf("%+v", is)
	}
	r := another(t, "brief draft sign")
	r.Legs[1].Role = "translate"
	if m, err = Reroute(p, r, 5, scene("2026-11-26")); err != nil || m.Piece.Leg("draft").Holder != 9 || !slices.ContainsFunc(m.Events, func(e Event) bool { return e.Kind == Given && e.To == 9 }) {
		t.Errorf("with another role it stays with its holder: %v", err)
	}
	if _, err = Reroute(m.Piece, r, 5, scene("2026-11-26")); !errors.Is(err, ErrNotNow) {
		t.Errorf("moved twice: %v", err)
	}
}

// Whatever the route, what was done stays done and something runs or the piece is
// ready; legs stand in an order in which each comes after all it waits for.
func TestAReroutedPieceGoesOn(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	for range 500 {
		p := begun(t)
		for range r.IntN(5) {
			if run := p.Running(); len(run) > 0 {
				p = passed(t, p, run[0].Key)
			}
		}
		way := feature(t)
		for n := range 6 {
			k := way.Legs[r.IntN(len(way.Legs))].Key
			switch r.IntN(3) {
			case 0:
				way = way.Insert(route.Leg{Key: "new" + string(rune('a'+n)), Name: "N", Role: "x", Allowance: 1}, r.IntN(len(way.Legs)+1))
			case 1:
				if len(way.Legs) > 3 {
					way = way.Remove(k)
				}
			case 2:
				way = way.MoveTo(k, r.IntN(len(way.Legs)))
			}
		}
		m, err := Reroute(p, way, 5, scene("2026-11-26"))
		if err != nil {
			t.Fatal(err)
		}
		q := m.Piece
		for i := range p.Legs {
			if l := &p.Legs[i]; l.State == Passed && (q.Leg(l.Key) == nil || q.Leg(l.Key).State != Passed) {
				t.Fatalf("%s was passed and is not any more", l.Key)
			}
		}
		if !q.Ready() && len(q.Running()) == 0 {
			t.Fatalf("nothing runs: %s", states(q))
		}
		seen := map[string]bool{}
		for i := range q.Legs {
			l := &q.Legs[i]
			for k := range q.Legs {
				if l.WaitsFor(q.Legs[k].Key) && !seen[q.Legs[k].Key] {
					t.Fatalf("%s stands before %s", l.Key, q.Legs[k].Key)
				}
			}
			if seen[l.Key] = true; l.Position != i {
				t.Fatalf("%s stands at %d and says %d", l.Key, i, l.Position)
			}
		}
	}
}

func TestAdjustingChangesOnlyTheLegItIsAbout(t *testing.T) {
	s := scene("2026-11-24")
	due := s.Today + 9
	for name, do := range map[string]func(Piece) (Move, error){
		"allow":      func(p Piece) (Move, error) { return Allow(p, "draft", 3) },
		"pin":        func(p Piece) (Move, error) { return Pin(p, "draft", due, s) },
		"not before": func(p Piece) (Move, error) { return NotBefore(p, "draft", due, s) },
	} {
		p := begun(t)
		m, err := do(p)
		if err != nil || len(m.Events) != 1 {
			t.Fatal(name, err)
		}
		for i := range p.Legs {
			if same := p.Legs[i] == m.Piece.Legs[i]; same == (p.Legs[i].Key == "draft") {
				t.Errorf("%s: %s", name, p.Legs[i].Key)
			}
		}
		if _, err := do(m.Piece); !errors.Is(err, ErrNotNow) {
			t.Errorf("%s twice: %v", name, err)
		}
		if _, err := do(passed(t, p, "brief", "draft")); !errors.Is(err, ErrNotNow) {
			t.Errorf("%s on a leg that is over: %v", name, err)
		}
	}
	if _, err := Pin(begun(t), "draft", day.Date(0), s); !errors.Is(err, ErrNotNow) {
		t.Errorf("a pin that is not there is taken away: %v", err)
	}
}
