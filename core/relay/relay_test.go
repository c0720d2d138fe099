package relay

import (
	"errors"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/route"
)

// feature is a piece with two legs side by side and one skipped unless needed.
func feature(t testing.TB) route.Route {
	t.Helper()
	r, err := route.Route{Legs: []route.Leg{
		{Key: "brief", Name: "Brief", Role: "lead", Usual: 1, Allowance: 1},
		{Key: "draft", Name: "Draft", Role: "write", Usual: 2, Allowance: 5, After: []string{"brief"}},
		{Key: "pics", Name: "Pictures", Role: "pictures", Usual: 3, Allowance: 2, After: []string{"draft"}, Skip: route.SkipMay},
		{Key: "copy", Name: "Copy edit", Role: "copy", Usual: 4, Allowance: 2, After: []string{"draft"}},
		{Key: "welsh", Name: "Welsh", Role: "welsh", Usual: 5, Allowance: 3, After: []string{"pics", "copy"}, Skip: route.SkipUnless},
		{Key: "sign", Name: "Sign-off", Role: "lead", Usual: 1, Allowance: 1, After: []string{"welsh"}},
	}}.Check()
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func scene(date string) Scene {
	d, err := day.ParseDate(date)
	if err != nil {
		panic(err)
	}
	return Scene{Now: day.Wall(d, 600, time.UTC), Today: d, Calendar: day.NewCalendar(day.MondayToFriday, nil)}
}

func begun(t testing.TB, needed ...string) Piece {
	t.Helper()
	n := map[string]bool{}
	for _, k := range needed {
		n[k] = true
	}
	return Start(Piece{ID: 1, ChannelID: 1, Owner: 1, Stage: UnderWay, Legs: NewLegs(feature(t))}, n, scene("2026-11-24")).Piece
}

// passed passes legs one after another.
func passed(t testing.TB, p Piece, keys ...string) Piece {
	t.Helper()
	for _, k := range keys {
		m, err := Pass(p, k, nil, nil, "", scene("2026-11-25"))
		if err != nil {
			t.Fatalf("pass %s: %v", k, err)
		}
		p = m.Piece
	}
	return p
}

// states writes the legs as "brief passed, draft running 1".
func states(p Piece) string {
	var out []string
	for _, l := range p.Legs {
		s := l.Key + " " + string(l.State)
		if l.Run > 1 {
			s += "#"
		}
		out = append(out, s)
	}
	return strings.Join(out, ", ")
}

func TestOnlyTheFirstLegRunsAtTheStart(t *testing.T) {
	want := "brief running, draft waiting, pics waiting, copy waiting, welsh skipped, sign waiting"
	if got := states(begun(t)); got != want {
		t.Errorf("got %s\nwant %s", got, want)
	}
	needed := begun(t, "welsh")
	if got := needed.Leg("welsh").State; got != Waiting {
		t.Errorf("a needed leg is %s", got)
	}
}

func TestSideBySideLegsMeetBeforeTheNextBegins(t *testing.T) {
	p := passed(t, begun(t), "brief", "draft")
	if got := states(p); got != "brief passed, draft passed, pics running, copy running, welsh skipped, sign waiting" {
		t.Fatal(got)
	}
	p = passed(t, p, "copy")
	if p.Leg("sign").State != Waiting {
		t.Error("the next leg began before the last of the side-by-side legs was passed")
	}
	p = passed(t, p, "pics")
	if p.Leg("sign").State != Running {
		t.Error("the next leg did not begin through the skipped one")
	}
	if p = passed(t, p, "sign"); !p.Ready() {
		t.Error("with all legs passed the piece is not ready")
	}
}

func TestALegCountsFromTheWorkingDayAfterItsHandoff(t *testing.T) {
	m, err := Pass(begun(t), "brief", map[string]ref.Person{"draft": 9}, nil, "", scene("2026-11-27")) // a Friday
	if err != nil {
		t.Fatal(err)
	}
	l := m.Piece.Leg("draft")
	if l.Holder != 9 || l.StartDay.String() != "2026-11-30" || m.Piece.Leg("brief").EndDay.String() != "2026-11-27" {
		t.Errorf("draft is with %d from %v", l.Holder, l.StartDay)
	}
	if len(m.Runs) != 1 || m.Runs[0].Outcome != "passed" || m.Runs[0].Key != "brief" {
		t.Errorf("runs on record: %+v", m.Runs)
	}
}

func TestAPassWithSomethingLeftNeedsAReason(t *testing.T) {
	_, err := Pass(begun(t), "brief", nil, []string{"x", "y"}, "", scene("2026-11-25"))
	var r *Refusal
	if !errors.As(err, &r) || !errors.Is(err, ErrUnmet) || len(r.Unmet) != 2 {
		t.Errorf("%v", err)
	}
	if _, err := Pass(begun(t), "brief", nil, []string{"x"}, "no time", scene("2026-11-25")); err != nil {
		t.Error(err)
	}
}

func TestSendingBackReopensTheLegAndResetsWhatHadBegun(t *testing.T) {
	p := passed(t, begun(t), "brief", "draft", "pics", "copy")
	m, err := SendBack(p, "sign", "draft", "begin with Joan", 0, scene("2026-11-26"))
	if err != nil {
		t.Fatal(err)
	}
	if got := states(m.Piece); got != "brief passed, draft running#, pics waiting, copy waiting, welsh skipped, sign waiting" {
		t.Error(got)
	}
	l := m.Piece.Leg("draft")
	if l.Need() != 3 || l.Reasons != "begin with Joan" || l.Holder != 2 || l.StartDay.String() != "2026-11-27" {
		t.Errorf("reopened as %+v", l)
	}
	if len(m.Runs) != 1 || m.Runs[0].Outcome != "sent back" || m.Runs[0].Key != "sign" {
		t.Errorf("runs on record: %+v", m.Runs)
	}
	again := passed(t, m.Piece, "draft", "pics", "copy")
	if l := again.Leg("sign"); l.State != Running || l.Run != 2 {
		t.Errorf("it does not come round again: %+v", l)
	}
	if m, err = SendBack(again, "sign", "brief", "another angle", 4, scene("2026-11-30")); err != nil || m.Piece.Leg("brief").Need() != 4 {
		t.Errorf("rework of four days: %v", err)
	}
}

func TestReworkIsHalfTheAllowanceRoundedUpAndAtLeastOne(t *testing.T) {
	for allowance, want := range map[int]int{0: 1, 1: 1, 2: 1, 3: 2, 5: 3, 8: 4} {
		p := begun(t)
		p.Leg("brief").Allowance = allowance
		m, err := SendBack(passed(t, p, "brief"), "draft", "brief", "why", 0, scene("2026-11-26"))
		if err != nil || m.Piece.Leg("brief").Need() != want {
			t.Errorf("allowance %d: rework %d, want %d (%v)", allowance, m.Piece.Leg("brief").Need(), want, err)
		}
	}
}

func TestWhatCannotBeDoneIsRefusedAndChangesNothing(t *testing.T) {
	s := scene("2026-11-26")
	first, side := begun(t), passed(t, begun(t), "brief", "draft")
	done := passed(t, side, "pics", "copy", "sign")
	out, err := SendOut(done, s)
	if err != nil {
		t.Fatal(err)
	}
	picked := passed(t, side, "pics")
	for _, x := range []struct {
		name, says string
		do         func() error
	}{
		{"pass a waiting leg", "not running now", func() error { _, err := Pass(first, "draft", nil, nil, "", s); return err }},
		{"pass a leg twice", "not running now", func() error { _, err := Pass(side, "draft", nil, nil, "", s); return err }},
		{"pass an unknown leg", "no such leg", func() error { _, err := Pass(first, "zz", nil, nil, "", s); return err }},
		{"choose a person for a leg that is over", "does not come next", func() error { _, err := Pass(side, "pics", map[string]ref.Person{"brief": 3}, nil, "", s); return err }},
		{"send back without reasons", "Say why it goes back", func() error { _, err := SendBack(side, "pics", "draft", "  ", 0, s); return err }},
		{"send back to a leg that does not lead there", "Pictures does not lead to Copy edit", func() error { _, err := SendBack(picked, "copy", "pics", "x", 0, s); return err }},
		{"send back to a waiting leg", "that was passed", func() error { _, err := SendBack(side, "copy", "sign", "x", 0, s); return err }},
		{"send back with absurd days", "between 1 and 250", func() error { _, err := SendBack(side, "copy", "draft", "x", -3, s); return err }},
		{"send back from nowhere while legs run", "Say from which leg", func() error { _, err := SendBack(side, "", "draft", "x", 0, s); return err }},
		{"send back a piece that is out", "The piece is out", func() error { _, err := SendBack(out.Piece, "", "draft", "x", 0, s); return err }},
		{"skip what may not be skipped", "does not allow Brief to be skipped", func() error { _, err := SkipLeg(first, "brief", "", s); return err }},
		{"skip a leg that is over", "already over", func() error { _, err := SkipLeg(done, "pics", "", s); return err }},
		{"need a leg behind which all has begun", "Sign-off has begun", func() error { _, err := NeedLeg(passed(t, side, "pics", "copy"), "welsh", s); return err }},
		{"give a leg that is over", "This leg is over", func() error { _, err := Give(side, "brief", 3, s); return err }},
		{"give a leg to its holder", "They have it already", func() error { _, err := Give(side, "pics", 3, s); return err }},
		{"take a leg that is held", "was taken a moment ago", func() error { _, err := Take(side, "pics", 9, s); return err }},
		{"send out before it is ready", "is not ready", func() error { _, err := SendOut(side, s); return err }},
		{"send out twice", "is out already", func() error { _, err := SendOut(out.Piece, s); return err }},
		{"withdraw what is not out", "nothing to withdraw", func() error { _, err := Withdraw(done, "", s); return err }},
		{"place in the past", "This time is past", func() error { _, err := Place(side, s.Now-1, s); return err }},
		{"place what is out", "its day is past", func() error { _, err := Place(out.Piece, s.Now+9999, s); return err }},
	} {
		before := states(first) + states(side) + states(done) + states(out.Piece)
		var r *Refusal
		if err := x.do(); !errors.As(err, &r) || !strings.Contains(r.Text, x.says) || x.says == "" {
			t.Errorf("%s: %v", x.name, err)
		}
		if states(first)+states(side)+states(done)+states(out.Piece) != before {
			t.Errorf("%s changed something", x.name)
		}
	}
}

func TestSkippingHandsOnAndNeedingBringsBack(t *testing.T) {
	s := scene("2026-11-26")
	p := passed(t, begun(t), "brief", "draft", "copy")
	m, err := SkipLeg(p, "pics", "no pictures this time", s)
	if err != nil || m.Piece.Leg("sign").State != Running {
		t.Errorf("%v: %s", err, states(m.Piece))
	}
	if m, err = NeedLeg(p, "welsh", s); err != nil || m.Piece.Leg("welsh").State != Waiting {
		t.Errorf("%v: %s", err, states(m.Piece))
	}
	if q := passed(t, m.Piece, "pics"); q.Leg("welsh").State != Running || q.Leg("sign").State != Waiting {
		t.Error(states(q))
	}
}

func TestOfTwoWhoTakeAnOpenLegOneHasIt(t *testing.T) {
	s := scene("2026-11-26")
	m, err := Give(begun(t), "draft", 0, s)
	if err != nil {
		t.Fatal(err)
	}
	if m, err = Take(m.Piece, "draft", 8, s); err != nil || m.Piece.Leg("draft").Holder != 8 {
		t.Fatal(err)
	}
	if _, err = Take(m.Piece, "draft", 9, s); !errors.Is(err, ErrNotNow) {
		t.Errorf("the second took it too: %v", err)
	}
}

func TestDueSendsOutWhatIsReadyAndNotesOnceWhatIsNot(t *testing.T) {
	p := passed(t, begun(t), "brief", "draft")
	p.GoesOut = 1234
	m, err := Due(p, scene("2026-11-26"))
	if err != nil || m.Piece.Stage != UnderWay || m.Piece.MissedAt != 1234 || m.Events[0].Kind != Missed {
		t.Errorf("not ready: %+v %v", m.Events, err)
	}
	m, err = Due(passed(t, p, "pics", "copy", "sign"), scene("2026-11-26"))
	if err != nil || m.Piece.Stage != Out {
		t.Fatal(err)
	}
	if m, err = Withdraw(m.Piece, "wrong picture", scene("2026-11-26")); err != nil || m.Piece.Stage != Withdrawn {
		t.Fatal(err)
	}
	if back, err := SendBack(m.Piece, "", "draft", "redo", 0, scene("2026-11-26")); err != nil || back.Piece.Stage != UnderWay {
		t.Errorf("a withdrawn piece cannot be sent back: %v", err)
	}
	if m, err = SendOut(m.Piece, scene("2026-11-26")); err != nil || m.Piece.Stage != Out {
		t.Errorf("a withdrawn piece cannot be sent out again: %v", err)
	}
}

// Whatever is done, in whatever order: a leg runs only when all before it is
// over, and a piece that is not ready always has a running leg.
func TestABatonIsNeverLost(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	s := scene("2026-11-26")
	for range 400 {
		p := begun(t)
		for range 40 {
			k, k2 := p.Legs[r.IntN(len(p.Legs))].Key, p.Legs[r.IntN(len(p.Legs))].Key
			var m Move
			var err error
			switch r.IntN(6) {
			case 0, 1, 2:
				m, err = Pass(p, k, nil, nil, "", s)
			case 3:
				m, err = SendBack(p, k, k2, "x", 0, s)
			case 4:
				m, err = SkipLeg(p, k, "", s)
			case 5:
				m, err = NeedLeg(p, k, s)
			}
			if err != nil {
				continue
			}
			p = m.Piece
			if !p.Ready() && len(p.Running()) == 0 {
				t.Fatalf("nobody has the baton: %s", states(p))
			}
			for _, l := range p.Running() {
				if !p.free(l) {
					t.Fatalf("%s runs too early: %s", l.Key, states(p))
				}
			}
		}
	}
}

// How near to done a piece is goes by the days of its route: a leg of one day that has just begun
// has nothing done, whatever it has used of its time.
func TestHowNearToDoneGoesByTheDaysOfTheRoute(t *testing.T) {
	p := Piece{Legs: []Leg{{Key: "a", Allowance: 1, State: Running}, {Key: "b", Allowance: 3, State: Waiting}, {Key: "c", State: Waiting}, {Key: "d", Allowance: 9, State: Skipped}}}
	for _, x := range []struct {
		passed int
		want   float64
	}{{0, 0}, {1, 2.0 / 9}, {2, 8.0 / 9}, {3, 1}} {
		for i := range x.passed {
			p.Legs[i].State = Passed
		}
		if got := p.Share(); got != x.want {
			t.Errorf("with %d passed: %v, want %v", x.passed, got, x.want)
		}
	}
	if got := (&Piece{}).Share(); got != 0 {
		t.Errorf("without legs: %v", got)
	}
	r := rand.New(rand.NewPCG(17, 17))
	for range 20_000 {
		p := Piece{}
		days, done := 0.0, 0.0
		for range r.IntN(8) {
			l := Leg{Allowance: r.IntN(6), State: []State{Waiting, Running, Passed, Skipped}[r.IntN(4)]}
			p.Legs = append(p.Legs, l)
			for half := 0; half < 2*l.Allowance || half == 0; half++ {
				if l.State != Skipped {
					days += 0.5
				}
				if l.State == Passed {
					done += 0.5
				}
			}
		}
		if got := p.Share(); days == 0 && got != 0 || days > 0 && got != done/days {
			t.Fatalf("%+v: %v, half day by half day %v of %v", p.Legs, got, done, days)
		}
	}
}
