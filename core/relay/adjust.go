package relay

import (
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/route"
)

// open finds a leg that is not over, or says why it cannot be changed.
func (p *Piece) open(key string) (*Leg, error) {
	l := p.Leg(key)
	switch {
	case l == nil:
		return nil, notNow("This piece has no such leg. Look at the piece again.")
	case !p.live(l):
		return nil, notNow("The piece is " + string(p.Stage) + "; its legs are over.")
	case l.Done():
		return nil, notNow(fmt.Sprintf("%s is over; its days cannot change any more.", l.Name))
	}
	return l, nil
}

// Allow gives an unfinished leg other working days; for a leg that came back
// they are those of the rework.
func Allow(p Piece, key string, days int) (Move, error) {
	m := Move{Piece: p.copy()}
	l, err := m.Piece.open(key)
	switch {
	case err != nil:
		return m, err
	case days < 0 || days > route.MaxDays:
		return m, &Refusal{Reason: ErrInput, Field: "days", Text: fmt.Sprintf("The days for %s lie between 0 and %d.", l.Name, route.MaxDays)}
	case l.Rework > 0 && days == 0:
		return m, &Refusal{Reason: ErrInput, Field: "days", Text: l.Name + " came back; give its rework at least a day."}
	case days == l.Need():
		return m, notNow(fmt.Sprintf("%s has these days already.", l.Name))
	}
	if l.Rework > 0 {
		l.Rework = days
	} else {
		l.Allowance = days
	}
	l.Least = min(l.Least, l.Allowance)
	m.tell(Allowed, key, 0, l.Holder, "")
	return m, nil
}

// Pin sets the due date of an unfinished leg by hand; no date lets it follow
// from the day again.
func Pin(p Piece, key string, due day.Date, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	l, err := m.Piece.open(key)
	switch {
	case err != nil:
		return m, err
	case due != 0 && due < s.Today:
		return m, &Refusal{Reason: ErrInput, Field: "due", Text: "This date is past. Choose today or a later one."}
	case due > s.Today+day.Date(farthest/86400):
		return m, &Refusal{Reason: ErrInput, Field: "due", Text: "This day is more than thirty years away. Check the year."}
	case due != 0 && !s.Calendar.Working(due):
		return m, &Refusal{Reason: ErrInput, Field: "due", Text: "The desk does not work on " + due.Format("Mon 2 Jan") + ". Choose a working day."}
	case l.Pin == due:
		return m, notNow(l.Name + " is due then already.")
	}
	l.Pin = due
	m.tell(Pinned, key, 0, l.Holder, "")
	return m, nil
}

// NotBefore keeps a waiting leg from beginning before a date; no date lets it
// begin when its turn comes.
func NotBefore(p Piece, key string, date day.Date, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	l, err := m.Piece.open(key)
	switch {
	case err != nil:
		return m, err
	case l.State != Waiting:
		return m, notNow(l.Name + " has begun already.")
	case date != 0 && date < s.Today || date > s.Today+day.Date(farthest/86400):
		return m, &Refusal{Reason: ErrInput, Field: "not_before", Text: "Choose a date between today and thirty years from now."}
	case l.NotBefore == date:
		return m, notNow(l.Name + " is kept until then already.")
	}
	l.NotBefore = date
	m.tell(Held, key, 0, l.Holder, "")
	return m, nil
}

// Overlap lets a leg run side by side with the legs it waits for, where its
// route allows that: it then waits for what they wait for, and whatever waits
// for it waits for them too. It begins at once if nothing holds it any more.
func Overlap(p Piece, key string, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	l, err := m.Piece.open(key)
	switch {
	case err != nil:
		return m, err
	case !l.Beside:
		return m, notNow(fmt.Sprintf("The route does not allow %s to run side by side with what it waits for.", l.Name))
	case l.State != Waiting || l.After == "":
		return m, notNow(l.Name + " waits for nothing any more.")
	}
	partners := strings.Split(l.After, ",")
	var after []string
	for _, k := range partners {
		if b := m.Piece.Leg(k); b.After != "" {
			after = append(after, strings.Split(b.After, ",")...)
		}
	}
	l.After = join(after)
	for i := range m.Piece.Legs {
		if d := &m.Piece.Legs[i]; d.WaitsFor(key) {
			d.After = join(append(strings.Split(d.After, ","), partners...))
		}
	}
	m.tell(Overlaps, key, 0, l.Holder, "")
	m.goOn(&p, s, s.Calendar.NextWorking(s.Today))
	return m, nil
}

// join writes keys, each once, in the order given.
func join(keys []string) string {
	var out []string
	for _, k := range keys {
		if k != "" && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return strings.Join(out, ",")
}

// Report notes how many minutes of work are left in an unfinished leg, as its
// holder says. More than the effort raises the effort.
func Report(p Piece, key string, left int, s Scene) (Move, error) {
	m := Move{Piece: p.copy()}
	l, err := m.Piece.open(key)
	switch {
	case err != nil:
		return m, err
	case left < 0 || left > route.MaxMinutes:
		return m, &Refusal{Reason: ErrInput, Field: "left", Text: fmt.Sprintf("The hours left lie between 0 and %d.", route.MaxMinutes/60)}
	case left == l.Remaining():
		return m, notNow("That is what was noted already.")
	}
	l.Worked = 0
	if whole := l.Remaining(); left <= whole {
		l.Worked = whole - left
	} else {
		l.Effort = left
		if l.Rework > 0 && l.Rework < l.Allowance { // a rework is a share of the effort
			l.Effort = (left*l.Allowance + l.Rework - 1) / l.Rework
		}
		l.Worked = l.Remaining() - left
	}
	if l.State == Running {
		l.TouchedAt = s.Now
	}
	m.tell(Reported, key, 0, l.Holder, "")
	return m, nil
}
