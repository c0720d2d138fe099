package load

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

const today = day.Date(20_781) // Tuesday 24 November 2026, as a date

var desk = day.NewCalendar(day.MondayToFriday, []day.Date{today + 7})

func person(id ref.Person, hours int, away ...day.Span) Person {
	p := Person{ID: id, Name: string(rune('A' + id)), Roles: []string{"write"}, Desks: []ref.Desk{1}, Days: desk.For(day.MondayToFriday, away)}
	for i := range p.Minutes {
		p.Minutes[i] = hours * 60
	}
	return p
}

func randomPerson(r *rand.Rand, id ref.Person) Person {
	var week day.Weekdays
	for i := range week {
		week[i] = r.IntN(4) > 0
	}
	var away []day.Span
	for range r.IntN(3) {
		from := today + day.Date(r.IntN(40)-5)
		away = append(away, day.Span{From: from, To: from + day.Date(r.IntN(12))})
	}
	p := person(id, 1+r.IntN(8))
	p.Days = desk.For(week, away)
	return p
}

func randomWork(r *rand.Rand, people int) Work {
	from := today + day.Date(r.IntN(60)-20)
	return Work{Desk: 1, Person: ref.Person(r.IntN(people + 1)), Minutes: r.IntN(900), From: from, Due: from + day.Date(r.IntN(20)-2)}
}

// Every minute lands once, on days that its holder works, from today on, and no
// two days of a work differ by more than a minute, the earlier having more.
func TestLoadConservesMinutesAndNeverLandsOnADayOff(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		p := randomPerson(r, 1)
		w := randomWork(r, 1)
		w.Person = 1
		sum, last, first := 0, day.Date(0), 0
		landed := Spread(w, &p, today, func(d day.Date, m int) {
			if p.Works(d) == 0 || d < today || d <= last {
				t.Fatalf("%v lands on %v, %d minutes are worked", w, d, p.Works(d))
			}
			if first == 0 {
				first = m
			}
			if m > first || first-m > 1 || m <= 0 {
				t.Fatalf("%v: %d minutes after %d", w, m, first)
			}
			if d > w.Due && w.Due >= today && p.Days.Count(max(today, w.From), w.Due+1) > 0 {
				t.Fatalf("%v lands on %v, after it is due", w, d)
			}
			last, sum = d, sum+m
		})
		if landed && sum != w.Minutes || !landed && !p.Days.Empty() {
			t.Fatalf("%v: %d minutes land", w, sum)
		}
	}
}

func TestASheetHoldsAllOfEverybody(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		var people []Person
		for i := range 5 {
			people = append(people, randomPerson(r, ref.Person(i+1)))
		}
		var works []Work
		total := map[ref.Person]int{}
		for range 40 {
			w := randomWork(r, 5)
			works = append(works, w)
			total[w.Person] += w.Minutes
		}
		s := Add(people, works, today, today+day.Date(r.IntN(30)))
		for _, p := range people {
			if got := s.Total(p.ID); got != total[p.ID] {
				t.Fatalf("person %d has %d minutes, want %d", p.ID, got, total[p.ID])
			}
		}
		for _, o := range s.Over(people) {
			if o.Minutes <= o.Works || s.At(o.Person, o.Date) != o.Minutes {
				t.Fatalf("%+v is not over", o)
			}
		}
	}
}

func TestSpreadingByExample(t *testing.T) {
	p := person(1, 6, day.Span{From: today + 1, To: today + 1})
	for _, x := range []struct {
		name string
		w    Work
		want string
	}{
		{"over four days, one of them off", Work{Minutes: 301, From: today, Due: today + 3}, "24:101 26:100 27:100"},
		{"what is past is not counted", Work{Minutes: 100, From: today - 30, Due: today + 2}, "24:50 26:50"},
		{"overdue work falls on today", Work{Minutes: 90, From: today - 9, Due: today - 4}, "24:90"},
		{"away all through: the first day back", Work{Minutes: 90, From: today + 1, Due: today + 1}, "26:90"},
		{"fewer minutes than days", Work{Minutes: 2, From: today, Due: today + 30}, "24:1 26:1"},
		{"nothing left", Work{Minutes: 0, From: today, Due: today}, ""},
	} {
		got := ""
		Spread(x.w, &p, today, func(d day.Date, m int) {
			if got != "" {
				got += " "
			}
			got += fmt.Sprintf("%s:%d", d.Format("2"), m)
		})
		if got != x.want {
			t.Errorf("%s: %s, want %s", x.name, got, x.want)
		}
	}
	never := Person{ID: 1, Days: desk.For(day.Weekdays{}, nil)}
	if Spread(Work{Minutes: 5, From: today, Due: today}, &never, today, func(day.Date, int) { t.Error("it lands") }) {
		t.Error("somebody who never works takes work")
	}
}

func TestSuggestionsComeInTheOrderThatWasAgreed(t *testing.T) {
	o := Open{Work: Work{Desk: 1, Minutes: 240, From: today, Due: today + 1}, Role: "write", Series: []ref.Person{5}}
	people := []Person{person(1, 2), person(2, 4), person(3, 4), person(4, 8), person(5, 4), person(6, 8), person(7, 8)}
	people[5].Roles = []string{"pictures"}
	people[6].Days = desk.For(day.MondayToFriday, []day.Span{{From: today, To: today + 1}})
	s := Add(people, []Work{{Person: 4, Minutes: 900, From: today, Due: today + 1}, {Person: 2, Minutes: 60, From: today, Due: today}}, today, today+9)
	var got []ref.Person
	for _, c := range Suggest(o, people, s, today) {
		got = append(got, c.Person)
	}
	// 5 and 3 are half full and 5 did the last one; 2 is fuller; 1 is just full and 4 goes over. 6 has another role, 7 is away.
	if want := []ref.Person{5, 3, 2, 1, 4}; !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
}

func TestTheHolderIsNotWeighedDownByTheLegItself(t *testing.T) {
	p := person(1, 4)
	w := Work{Desk: 1, Person: 1, Minutes: 240, From: today, Due: today}
	c := Suggest(Open{Work: w, Role: "write"}, []Person{p}, Add([]Person{p}, []Work{w}, today, today+9), today)
	if len(c) != 1 || c[0].Over != 0 || c[0].Peak != 1000 {
		t.Errorf("%+v", c)
	}
}

func TestFreeHandsAreThoseWithHalfTheirTimeAndEachFittingLegGoesToOne(t *testing.T) {
	people := []Person{person(1, 6), person(2, 6), person(3, 1), person(4, 6), person(5, 6)}
	people[4].Roles = []string{"pictures"}
	s := Add(people, []Work{{Person: 1, Minutes: 240, From: today, Due: today}, {Person: 4, Minutes: 900, From: today, Due: today + 1}}, today, today+20)
	leg := func(minutes int) Open {
		return Open{Work: Work{Desk: 1, Minutes: minutes, From: today, Due: today}, Role: "write"}
	}
	got := FreeHands(people, []Open{leg(720), leg(100), leg(360)}, s, today, today+1)
	// 2 takes the small one, the first that fits; 1 has room for neither of the others. 4 is full, 3 has all free, but works too little for it to count.
	want := []Free{{2, 720, 1}, {5, 720, -1}, {1, 480, -1}}
	if !slices.Equal(got, want) {
		t.Errorf("%+v, want %+v", got, want)
	}
}

// bruteForce tries everything, on sheets made afresh, and gives the least cost.
func bruteForce(legs []Open, people []Person, works []Work) (best Cost) {
	chosen := make([]ref.Person, len(legs))
	first := true
	over := func(s *Sheet) (sum int) {
		for _, o := range s.Over(people) {
			sum += o.Minutes - o.Works
		}
		return sum
	}
	far := today + 200
	before := over(Add(people, works, today, far))
	var try func(k int)
	try = func(k int) {
		if k < len(legs) {
			any := false
			for i := range people {
				if people[i].CouldRun(&legs[k], today) {
					any, chosen[k] = true, people[i].ID
					try(k + 1)
				}
			}
			if chosen[k] = 0; !any {
				try(k + 1)
			}
			return
		}
		all, c := slices.Clone(works), Cost{}
		mine := map[[2]ref.Person]bool{}
		for i, who := range chosen {
			switch {
			case who == 0:
				c.Left++
				continue
			case len(legs[i].Series) == 0 || legs[i].Series[0] != who:
				c.Lone++
			}
			w := legs[i].Work
			w.Person = who
			all = append(all, w)
			for j := range people {
				if people[j].ID == who {
					Spread(w, &people[j], today, func(d day.Date, m int) { mine[[2]ref.Person{who, ref.Person(d)}] = true })
				}
			}
		}
		s := Add(people, all, today, far)
		c.Over = over(s) - before
		for at := range mine {
			for i := range people {
				if d := day.Date(at[1]); people[i].ID == at[0] && people[i].Works(d) > 0 {
					c.Peak = max(c.Peak, s.At(at[0], d)*1000/people[i].Works(d))
				}
			}
		}
		if first || c.Compare(best) < 0 {
			best, first = c, false
		}
	}
	try(0)
	return best
}

func TestProposalsEqualBruteForceOnSmallCases(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	heuristic := 0
	const cases = 150
	for range cases {
		var people []Person
		for i := range 2 + r.IntN(3) {
			p := randomPerson(r, ref.Person(i+1))
			if r.IntN(4) == 0 {
				p.Roles = []string{"pictures"}
			}
			people = append(people, p)
		}
		var works []Work
		for range r.IntN(8) {
			works = append(works, randomWork(r, len(people)))
		}
		var legs []Open
		for range 1 + r.IntN(4) {
			o := Open{Work: randomWork(r, 0), Role: "write"}
			if r.IntN(3) == 0 {
				o.Series = []ref.Person{ref.Person(1 + r.IntN(4))}
			}
			legs = append(legs, o)
		}
		s := Add(people, works, today, today+200)
		want := bruteForce(legs, people, works)
		got := Propose(legs, people, s, today)
		if got.Cost != want {
			t.Fatalf("proposed at %+v, brute force finds %+v", got.Cost, want)
		}
		if again := Propose(legs, people, s, today); !reflect.DeepEqual(again, got) {
			t.Fatal("the same input gives another proposal")
		}
		order := make([]int, len(legs))
		for i := range order {
			order[i] = i
		}
		x := newSearch(legs, order, people, s, today)
		x.improve()
		if x.cost() == want {
			heuristic++
		}
	}
	if heuristic < cases*9/10 {
		t.Errorf("taken by urgency and improved by swaps, only %d of %d are the best", heuristic, cases)
	}
}

// Branch and bound finds what trying all finds, and its bound lies never above it.
func TestBranchAndBoundFindsTheBest(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 11))
	better, gaps := 0, 0
	for n := range 20_000 {
		var people []Person
		for i := range 2 + r.IntN(2) {
			people = append(people, randomPerson(r, ref.Person(i+1)))
		}
		var works []Work
		for range r.IntN(6) {
			works = append(works, randomWork(r, len(people)))
		}
		var legs []Open
		order := []int{}
		for i := range 2 + r.IntN(3) {
			o := Open{Work: randomWork(r, 0), Role: "write"}
			if r.IntN(3) == 0 {
				o.Series = []ref.Person{ref.Person(1 + r.IntN(3))}
			}
			legs, order = append(legs, o), append(order, i)
		}
		s := Add(people, works, today, today+200)
		all := newSearch(legs, order, people, s, today)
		all.tryAll()
		want := all.cost()
		x := newSearch(legs, order, people, s, today)
		x.greedy()
		was := x.cost()
		if least := x.branch(1_000_000); x.cost() != want || least != want {
			t.Fatalf("case %d: it costs %+v, at least %+v, the best is %+v", n, x.cost(), least, want)
		}
		if was != want {
			better++
		}
		short := newSearch(legs, order, people, s, today)
		short.greedy()
		least := short.branch(r.IntN(4))
		if least.Compare(want) > 0 || short.cost().Compare(want) < 0 || short.cost().Compare(was) > 0 {
			t.Fatalf("case %d: stopped early it costs %+v, at least %+v, the best is %+v", n, short.cost(), least, want)
		}
		if least != want {
			gaps++
		}
	}
	if better < 500 || gaps < 500 {
		t.Errorf("only %d times better than one after the other, %d times with a gap", better, gaps)
	}
}

// The worst case of giving out the longest first, from R. L. Graham, Bounds on
// Multiprocessing Timing Anomalies (1969), for three machines: jobs of 5, 5, 4, 4,
// 3, 3, 3 come to 11 that way and to 9 at best (from memory). Three people of nine
// hours can do them in one day, so that nobody goes over.
func TestProposalsFindGrahamsBest(t *testing.T) {
	people := []Person{person(1, 9), person(2, 9), person(3, 9)}
	var legs []Open
	for _, h := range []int{5, 5, 4, 4, 3, 3, 3} {
		legs = append(legs, Open{Work: Work{Desk: 1, Minutes: h * 60, From: today, Due: today}, Role: "write"})
	}
	got := Propose(legs, people, Add(people, nil, today, today+9), today)
	if got.Cost.Over != 0 || got.Cost.Peak != 1000 {
		t.Errorf("%+v", got)
	}
}

// The assignment problem of Machineco in W. L. Winston, Operations Research: four
// machines, four jobs, the set-up times below; each machine does one job, and the
// least total is 15 (from memory). Here the jobs are legs that meet on one day, on
// which everybody has room for one:
//
//	job 1: days 1 2 3    job 2: days 2 3    job 3: days 3 4    job 4: days 3 4 5
//
// On the other days a person has so much already that a job takes them over by what
// it costs. As jobs 1 and 4 also run over the days of 2 and 3, they cost ten more.
func TestProposalsSolveAPublishedAssignmentProblem(t *testing.T) {
	costs := [4][4]int{{14, 5, 8, 7}, {2, 12, 6, 5}, {7, 8, 3, 9}, {2, 4, 6, 10}}
	const share, more = 1000, 10
	whole := day.NewCalendar(day.Weekdays{true, true, true, true, true, true, true}, nil)
	var people []Person
	var works []Work
	for i, c := range costs {
		p := person(ref.Person(i+1), 24)
		p.Days = whole
		people = append(people, p)
		for k, over := range []int{c[0] + more - c[1], c[1], 0, c[2], c[3] + more - c[2]} {
			d := today + day.Date(k)
			works = append(works, Work{Person: p.ID, Minutes: 24*60 - share + over, From: d, Due: d})
		}
	}
	var legs []Open
	for j, span := range [4][2]int{{0, 2}, {1, 2}, {2, 3}, {2, 4}} {
		legs = append(legs, Open{Work: Work{Desk: 1, Leg: j, Minutes: share * (span[1] - span[0] + 1), From: today + day.Date(span[0]), Due: today + day.Date(span[1])}, Role: "write"})
	}
	got := Propose(legs, people, Add(people, works, today, today+9), today)
	if want := 15 + 2*more; got.Cost.Over != want {
		t.Errorf("the proposal costs %d, want %d", got.Cost.Over, want)
	}
	if want := []ref.Person{4, 1, 3, 2}; !slices.Equal(got.People, want) {
		t.Errorf("jobs go to %v, want %v", got.People, want)
	}
}

func BenchmarkLoadOf200PeopleOver90Days(b *testing.B) {
	r := rand.New(rand.NewPCG(7, 8))
	var people []Person
	for i := range 200 {
		people = append(people, person(ref.Person(i+1), 7))
	}
	works := make([]Work, 20_000)
	for i := range works {
		works[i] = randomWork(r, 200)
	}
	b.ReportAllocs()
	for b.Loop() {
		Add(people, works, today, today+89)
	}
}

func BenchmarkProposeForThirtyOpenLegs(b *testing.B) {
	r := rand.New(rand.NewPCG(9, 10))
	var people []Person
	for i := range 40 {
		people = append(people, randomPerson(r, ref.Person(i+1)))
	}
	var works []Work
	for range 400 {
		works = append(works, randomWork(r, 40))
	}
	var legs []Open
	for range 30 {
		legs = append(legs, Open{Work: randomWork(r, 0), Role: "write"})
	}
	s := Add(people, works, today, today+90)
	b.ReportAllocs()
	for b.Loop() {
		Propose(legs, people, s, today)
	}
}

func FuzzSpread(f *testing.F) {
	f.Add(uint16(300), int16(0), int16(5), uint8(0b0111110), int16(3), uint8(2))
	f.Fuzz(func(t *testing.T, minutes uint16, from, length int16, worked uint8, away int16, days uint8) {
		var week day.Weekdays
		for i := range week {
			week[i] = worked>>i&1 == 1
		}
		p := person(1, 6)
		p.Days = desk.For(week, []day.Span{{From: today + day.Date(away), To: today + day.Date(away) + day.Date(days)}})
		w := Work{Minutes: int(minutes), From: today + day.Date(from), Due: today + day.Date(from) + day.Date(length)}
		sum := 0
		if Spread(w, &p, today, func(d day.Date, m int) {
			if sum += m; d < today || !p.Days.Working(d) {
				t.Fatalf("%v lands on %v", w, d)
			}
		}) && sum != int(minutes) {
			t.Fatalf("%d of %d minutes land", sum, minutes)
		}
	})
}

// A leg that is due before it can begin, because what comes before it is late, is still for somebody.
func TestSomebodyIsFoundForALegThatIsLateBeforeItBegins(t *testing.T) {
	p := person(1, 6)
	o := Open{Work: Work{Desk: 1, Piece: 1, Minutes: 60, From: today + 1, Due: today - 2}, Role: "write"}
	if !p.CouldRun(&o, today) {
		t.Error("nobody could run it")
	}
	if away := person(2, 6, day.Span{From: today + 1, To: today + 1}); !away.CouldRun(&o, today) {
		t.Error("somebody who works again a day later could not")
	}
	if away := person(2, 6, day.Span{From: today, To: today + 12}); away.CouldRun(&o, today) {
		t.Error("somebody who is away could")
	}
}
