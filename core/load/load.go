// Package load adds up who has how much to do on which day, and suggests who
// could take more: one person for one leg, or people for many open legs at once.
//
// Work is in minutes. What is left of a leg is spread evenly over its holder's
// working days from the day it starts, or today, to the day it is due.
package load

import (
	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Person is somebody who works.
type Person struct {
	ID      ref.Person
	Name    string
	Roles   []string
	Desks   []ref.Desk
	Minutes [7]int        // worked on each day of the week, Sunday first
	Days    *day.Calendar // the days on which they work

	// On has, for somebody of several desks, the days on which they work for each of them:
	// a holiday of one is none for the legs of another. Without it Days are those of all.
	On map[ref.Desk]*day.Calendar
}

// DaysAt gives the days on which the person works for a desk; nil where that is not known.
func (p *Person) DaysAt(desk ref.Desk) *day.Calendar {
	if c := p.On[desk]; c != nil {
		return c
	}
	return p.Days
}

// Works gives the minutes that the person works on a date, for whichever desk.
func (p *Person) Works(d day.Date) int {
	works := p.Days != nil && p.Days.Working(d)
	for _, c := range p.On {
		works = works || c.Working(d)
	}
	if !works {
		return 0
	}
	return p.Minutes[d.Weekday()]
}

// NoLeg stands for the position of a leg in the work of a step that belongs to none.
const NoLeg = -1

// Work is what is left of one leg, or a step that belongs to none.
type Work struct {
	Piece     ref.Piece
	Desk      ref.Desk   // by whose days it is worked on
	Leg       int        // its position, or NoLeg
	Person    ref.Person // who has it; 0 is nobody
	Minutes   int
	From, Due day.Date
	Today     day.Date // on its desk; none is today as it is asked for
}

// today gives what day it is on the desk of the work.
func (w *Work) today(asked day.Date) day.Date {
	if w.Today != 0 {
		return w.Today
	}
	return asked
}

// Spread gives the minutes of a work on each day of its holder, in order: evenly,
// the remainder a minute each on the earliest days. What is overdue, or has no
// working day before it is due, falls on the next one. Nothing lands on a day off;
// for somebody who never works there is no day, and false is returned. The days are those
// on which they work for the desk of the work, and today is there what it is there.
func Spread(w Work, p *Person, today day.Date, put func(d day.Date, minutes int)) bool {
	if w.Minutes <= 0 {
		return true
	}
	days := p.DaysAt(w.Desk)
	if days == nil || days.Empty() {
		return false
	}
	today = w.today(today)
	first := days.Start(max(today, w.From))
	n := int(days.End(w.Due) - first)
	if n <= 0 {
		put(days.NextWorking(max(today, min(w.From, w.Due))), w.Minutes)
		return true
	}
	each, rest := w.Minutes/n, w.Minutes%n
	if each == 0 {
		n = rest
	}
	for k := range n {
		m := each
		if k < rest {
			m++
		}
		put(days.Day(first+day.Boundary(k)), m)
	}
	return true
}

// Sheet is the load of people over a run of dates.
type Sheet struct {
	From, To day.Date // both included
	people   map[ref.Person]int
	minutes  []int32            // person after person, a cell a date
	Beyond   map[ref.Person]int // minutes that fall after To
	Nowhere  map[ref.Person]int // minutes of those who never work
}

// Add makes the sheet of some people and their works. Works of others are left out.
func Add(people []Person, works []Work, today, to day.Date) *Sheet {
	s := blank(people, today, max(today, to))
	for _, w := range works {
		if i, ok := s.people[w.Person]; ok {
			s.put(&people[i], w, 1)
		}
	}
	return s
}

func blank(people []Person, from, to day.Date) *Sheet {
	s := &Sheet{From: from, To: to, people: make(map[ref.Person]int, len(people)), Beyond: map[ref.Person]int{}, Nowhere: map[ref.Person]int{}}
	s.minutes = make([]int32, len(people)*s.width())
	for i := range people {
		s.people[people[i].ID] = i
	}
	return s
}

func (s *Sheet) width() int { return int(s.To-s.From) + 1 }

func (s *Sheet) row(i int) []int32 { return s.minutes[i*s.width() : (i+1)*s.width()] }

// put adds a work to the row of its person, or takes it away with sign -1.
func (s *Sheet) put(p *Person, w Work, sign int) {
	row := s.row(s.people[p.ID])
	landed := Spread(w, p, s.From, func(d day.Date, m int) {
		if k := max(0, int(d-s.From)); k < len(row) {
			row[k] += int32(sign * m)
		} else {
			s.Beyond[p.ID] += sign * m
		}
	})
	if !landed {
		s.Nowhere[p.ID] += sign * w.Minutes
	}
}

// With gives the sheet of some people after works of theirs went and others came.
func (s *Sheet) With(people []Person, gone, come []Work) *Sheet {
	out := blank(people, s.From, s.To)
	for i := range people {
		id := people[i].ID
		if was, ok := s.people[id]; ok {
			copy(out.row(i), s.row(was))
		}
		out.Beyond[id], out.Nowhere[id] = s.Beyond[id], s.Nowhere[id]
	}
	for _, x := range []struct {
		works []Work
		sign  int
	}{{gone, -1}, {come, 1}} {
		for _, w := range x.works {
			if i, ok := out.people[w.Person]; ok {
				out.put(&people[i], w, x.sign)
			}
		}
	}
	return out
}

// At gives the minutes of a person on a date; outside the sheet 0.
func (s *Sheet) At(person ref.Person, d day.Date) int {
	i, ok := s.people[person]
	if !ok || d < s.From || d > s.To {
		return 0
	}
	return int(s.row(i)[d-s.From])
}

// Over is a day on which somebody has more than they work.
type Over struct {
	Person  ref.Person
	Date    day.Date
	Minutes int // what they have
	Works   int // what they work
}

// Over gives the days on which people have more than they work, by person in the
// order given and by date.
func (s *Sheet) Over(people []Person) []Over {
	var out []Over
	for i := range people {
		p := &people[i]
		for d := s.From; d <= s.To; d++ {
			m := s.At(p.ID, d)
			if m == 0 {
				continue
			}
			if works := p.Works(d); m > works {
				out = append(out, Over{p.ID, d, m, works})
			}
		}
	}
	return out
}

// Free gives the minutes that a person still has between two dates, both included.
func (s *Sheet) Free(p *Person, from, to day.Date) int {
	free := 0
	for d := max(from, s.From); d <= min(to, s.To); d++ {
		if works := p.Works(d); works > 0 {
			free += max(0, works-s.At(p.ID, d))
		}
	}
	return free
}

// Total gives all minutes of a person, those beyond the sheet included.
func (s *Sheet) Total(person ref.Person) int {
	sum := s.Beyond[person] + s.Nowhere[person]
	for d := s.From; d <= s.To; d++ {
		sum += s.At(person, d)
	}
	return sum
}

// Shift is what a change does to one day of one person.
type Shift struct {
	Person        ref.Person
	Date          day.Date
	Before, After int // minutes
	Works         int
}

// Compare gives the days that go over, stop being over, or are over by another
// figure from one sheet to another, by person in the order given and by date. The
// people are those of the sheet after the change.
func Compare(before, after *Sheet, people []Person) []Shift {
	var out []Shift
	for i := range people {
		p := &people[i]
		for d := after.From; d <= after.To; d++ {
			b, a := before.At(p.ID, d), after.At(p.ID, d)
			if a == b {
				continue
			}
			if works := p.Works(d); a > works || b > works {
				out = append(out, Shift{p.ID, d, b, a, works})
			}
		}
	}
	return out
}

// Changed gives the people who have something else on some day of one sheet than on the
// other, in the order given.
func Changed(before, after *Sheet, people []Person) []ref.Person {
	var out []ref.Person
	for i := range people {
		id := people[i].ID
		same := before.Beyond[id] == after.Beyond[id] && before.Nowhere[id] == after.Nowhere[id]
		for d := after.From; same && d <= after.To; d++ {
			same = before.At(id, d) == after.At(id, d)
		}
		if !same {
			out = append(out, id)
		}
	}
	return out
}

// Span is what a person has and works over some days.
type Span struct {
	Person  ref.Person
	Minutes int // of work that falls on the days
	Works   int // minutes they work on them
	Over    int // days with more than they work
}

// Span adds up what a person has between two dates, both included.
func (s *Sheet) Span(p *Person, from, to day.Date) Span {
	out := Span{Person: p.ID}
	for d := max(from, s.From); d <= min(to, s.To); d++ {
		m, works := s.At(p.ID, d), p.Works(d)
		out.Minutes, out.Works = out.Minutes+m, out.Works+works
		if m > works {
			out.Over++
		}
	}
	return out
}

// Counts gives on how many works each person has something to do on each date: by
// person, a number for each day from the first date on.
func Counts(people []Person, works []Work, today, to day.Date) map[ref.Person][]int {
	at := map[ref.Person]*Person{}
	out := make(map[ref.Person][]int, len(people))
	for i := range people {
		at[people[i].ID] = &people[i]
		out[people[i].ID] = make([]int, max(0, int(to-today)+1))
	}
	for _, w := range works {
		if p := at[w.Person]; p != nil {
			Spread(w, p, today, func(d day.Date, m int) {
				if k := int(d - today); m > 0 && k >= 0 && k < len(out[p.ID]) {
					out[p.ID][k]++
				}
			})
		}
	}
	return out
}
