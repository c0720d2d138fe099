package relay

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/route"
)

// following is a piece whose way is over, with some legs after release that wait for each other.
func following(r *rand.Rand) Piece {
	way := route.Route{Legs: []route.Leg{{Key: "draft", Name: "Draft", Role: "write", Allowance: 1}}}
	for i := range 1 + r.IntN(6) {
		l := route.Leg{Key: fmt.Sprint("a", i), Name: fmt.Sprint("A", i), Role: "write", Allowance: r.IntN(12)}
		for k := range i {
			if r.IntN(3) == 0 {
				l.After = append(l.After, fmt.Sprint("a", k))
			}
		}
		way.After = append(way.After, l)
	}
	p := Piece{ID: 1, DeskID: 1, ChannelID: 1, Owner: 9, Stage: UnderWay, Legs: NewLegs(way), After: NewAfter(way)}
	p.Legs[0].State = Passed
	return p
}

// A leg after release begins exactly when the piece is out and all it waits for is done or left
// out; nothing of it is asked before, and the piece is closed exactly when nothing of it is left.
func TestLegsAfterReleaseBeginWhenItIsOut(t *testing.T) {
	cal := day.NewCalendar(day.Weekdays{false, true, true, true, true, true, false}, nil)
	for seed := range uint64(20_000) {
		r := rand.New(rand.NewPCG(seed, 18))
		p := following(r)
		s := Scene{Now: day.Wall(20_800, 600, time.UTC), Today: 20_800, Calendar: cal}
		if !p.Ready() || p.AfterOpen() || p.Closed() || len(p.Running()) > 0 {
			t.Fatalf("seed %d: before it is out, ready %v, running %d", seed, p.Ready(), len(p.Running()))
		}
		if _, err := Pass(p, "a0", nil, nil, "", s); err == nil {
			t.Fatalf("seed %d: a leg after release was passed before it was out", seed)
		}
		m, err := SendOut(p, s)
		if err != nil {
			t.Fatal(err)
		}
		p = m.Piece
		for steps := 0; ; steps++ {
			open := 0
			for i := range p.After {
				l := &p.After[i]
				if l.Done() {
					continue
				}
				open++
				waits := slices.ContainsFunc(p.After, func(b Leg) bool { return slices.Contains(strings.Split(l.After, ","), b.Key) && !b.Done() })
				if (l.State == Running) == waits {
					t.Fatalf("seed %d: %s is %s and waits %v", seed, l.Key, l.State, waits)
				}
				if want := counted(cal, 20_800, l.Allowance); l.Due != want {
					t.Fatalf("seed %d: %s after %d days is due %v, counted it is %v", seed, l.Key, l.Allowance, l.Due, want)
				}
			}
			if p.Closed() != (open == 0) || p.AfterOpen() != (open > 0) || !p.Ready() || p.Stage != Out {
				t.Fatalf("seed %d: %d open, closed %v, ready %v", seed, open, p.Closed(), p.Ready())
			}
			if open == 0 {
				break
			}
			s.Now, s.Today = s.Now+86_400, s.Today+1
			l := p.Running()[r.IntN(len(p.Running()))]
			if r.IntN(4) == 0 {
				m, err = LeaveAfter(p, l.Key, "not this time", s)
			} else {
				m, err = Pass(p, l.Key, nil, nil, "", s)
			}
			if err != nil || steps > 20 {
				t.Fatal(err, steps)
			}
			closed := slices.ContainsFunc(m.Events, func(e Event) bool { return e.Kind == Closed })
			if p = m.Piece; closed != p.Closed() {
				t.Fatalf("seed %d: told closed %v, is %v", seed, closed, p.Closed())
			}
		}
	}
}

// counted gives, day by day, the working day so many after the first one that is not before a date.
func counted(cal *day.Calendar, from day.Date, n int) day.Date {
	for d := from; ; d++ {
		if cal.Working(d) {
			if n == 0 {
				return d
			}
			n--
		}
	}
}

// What is withdrawn recalls what runs after it, and going out again begins it again; what was
// done stays done.
func TestWithdrawingRecallsWhatRunsAfterRelease(t *testing.T) {
	cal := day.NewCalendar(day.Weekdays{false, true, true, true, true, true, false}, nil)
	way := route.Route{Legs: []route.Leg{{Key: "draft", Name: "Draft", Role: "write"}}, After: []route.Leg{
		{Key: "say", Name: "Say", Role: "write"}, {Key: "answer", Name: "Answer", Role: "write", Allowance: 5}, {Key: "figures", Name: "Figures", Role: "write", Allowance: 20, After: []string{"answer"}},
	}}
	p := Piece{ID: 1, ChannelID: 1, Owner: 9, Stage: UnderWay, Legs: NewLegs(way), After: NewAfter(way)}
	p.Legs[0].State = Passed
	s := Scene{Now: day.Wall(20_800, 600, time.UTC), Today: 20_800, Calendar: cal}
	do := func(m Move, err error) Move {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		p = m.Piece
		return m
	}
	state := func() (out string) {
		for _, l := range p.After {
			out += l.Key + " " + string(l.State) + " "
		}
		return out
	}
	do(SendOut(p, s))
	do(Pass(p, "say", nil, nil, "", s))
	if m := do(Withdraw(p, "wrong", s)); len(m.Runs) != 1 || state() != "say passed answer waiting figures waiting " {
		t.Errorf("%d runs ended, %s", len(m.Runs), state())
	}
	if _, err := Give(p, "answer", 5, s); err == nil {
		t.Error("given away while it is withdrawn")
	}
	p.Stage = UnderWay
	s.Today += 7
	do(SendOut(p, s))
	if state() != "say passed answer running figures waiting " || p.Leg("answer").Run != 2 || p.Leg("answer").Due != counted(cal, s.Today, 5) {
		t.Errorf("out again: %s, run %d, due %v", state(), p.Leg("answer").Run, p.Leg("answer").Due)
	}
	if _, err := LeaveAfter(p, "", " ", s); err == nil {
		t.Error("left out without a reason")
	}
	do(AddAfter(p, "Tell the mill", "write", 4, 2, s))
	if l := p.Leg("own-1"); l == nil || l.State != Running || l.Holder != 4 || l.Position != 4 {
		t.Errorf("added: %+v", l)
	}
	if m := do(LeaveAfter(p, "", "nothing came of it", s)); !p.Closed() || len(m.Runs) != 2 {
		t.Errorf("all left out: %s, %d runs", state(), len(m.Runs))
	}
	if _, err := AddAfter(p, " ", "write", 0, 1, s); err == nil {
		t.Error("something without a name is added")
	}
	var who ref.Person = 4
	if !(Who{ID: who, Access: Freelance, OnDesk: true}).holdsAny(&Piece{Stage: Out, After: []Leg{{Holder: who, State: Running, Later: true}}}) {
		t.Error("whoever runs a leg after release does not work on the piece")
	}
}
