package relay

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// MaxFee is the most that a fee can be, in smallest units of the currency.
const MaxFee = 100_000_000

// Offer opens an unfinished leg to people, or with none to whoever runs its role, for a
// fee in smallest units of the currency (0 says nothing of one). Who has it loses it.
func Offer(p Piece, key string, to []ref.Person, fee int, s Scene) (Move, error) {
	l := p.Leg(key)
	switch {
	case l == nil || l.Done() || !p.live(l):
		return Move{Piece: p}, notNow("This leg is over; it cannot be offered to anybody now.")
	case fee < 0 || fee > MaxFee:
		return Move{Piece: p}, &Refusal{Reason: ErrInput, Field: "fee", Text: "The fee lies between 0 and 1,000,000."}
	}
	m := Move{Piece: p.copy()}
	l = m.Piece.Leg(key)
	from := l.Holder
	l.Holder, l.Offered, l.Fee, l.TakenAt = 0, ids(to), fee, 0
	if l.State == Running {
		l.came(s)
	}
	m.tell(Offered, key, from, 0, "")
	return m, nil
}

func ids(of []ref.Person) string {
	of = slices.Compact(slices.Sorted(slices.Values(of)))
	out := make([]string, len(of))
	for i, id := range of {
		out[i] = strconv.FormatInt(int64(id), 10)
	}
	return strings.Join(out, ",")
}

// OfferedTo gives the people by name whom an open leg is offered to; none for whoever
// runs its role.
func (l *Leg) OfferedTo() []ref.Person {
	var out []ref.Person
	for s := range strings.SplitSeq(l.Offered, ",") {
		if id, err := strconv.ParseInt(s, 10, 64); err == nil {
			out = append(out, ref.Person(id))
		}
	}
	return out
}

// mayTake reports whether an open leg is for the person: by name, otherwise by role.
func (w Who) mayTake(l *Leg) bool {
	if l != nil && l.Offered != "" {
		return slices.Contains(l.OfferedTo(), w.ID)
	}
	return w.can(l)
}

// GiveBack opens a leg again that its holder took and has not passed yet.
func GiveBack(p Piece, key, why string, s Scene) (Move, error) {
	return reopen(p, key, GaveBack, why, s)
}

// Lose opens a leg again in which its holder, who took it, recorded nothing for long.
func Lose(p Piece, key string, s Scene) (Move, error) { return reopen(p, key, Lost, "", s) }

func reopen(p Piece, key string, kind Kind, why string, s Scene) (Move, error) {
	l := p.Leg(key)
	if l == nil || l.Done() || !p.live(l) || l.Holder == 0 || l.TakenAt == 0 {
		return Move{Piece: p}, notNow("This leg was not taken, so it cannot go back. Ask the owner of the piece to give it to somebody else.")
	}
	m := Move{Piece: p.copy()}
	l = m.Piece.Leg(key)
	from := l.Holder
	l.Holder, l.TakenAt = 0, 0
	if l.State == Running {
		l.came(s)
	}
	m.tell(kind, key, from, 0, why)
	return m, nil
}

// Idle reports for how many working days nothing was recorded in a running leg.
func (l *Leg) Idle(cal *day.Calendar, touched, today day.Date) int {
	if l.State != Running {
		return 0
	}
	return max(0, int(cal.Start(today)-cal.Start(touched)))
}

// TooMany refuses somebody who holds as many legs as a desk allows (0 allows any number).
func TooMany(holds, most int) error {
	if most == 0 || holds < most {
		return nil
	}
	return notNow(fmt.Sprintf("You hold %d, and the desk lets nobody take more than that. Pass one on or give one back, and take this one then.", holds))
}
