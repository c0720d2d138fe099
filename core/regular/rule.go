package regular

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/english"
)

// Kind is how the days of a rule are counted.
type Kind string

// The kinds.
const (
	Weekly  Kind = "weekly"   // on weekdays of every so many weeks
	Monthly Kind = "monthly"  // on a day of the month
	Nth     Kind = "nth"      // on the first, second, …, last of a weekday in the month
	Last    Kind = "last day" // on the last working day of the month
)

// Short is what becomes of a day of the month in months that do not have it.
type Short string

// What becomes of it.
const (
	LastDay Short = ""         // the last day of the month instead
	LeftOut Short = "left out" // nothing
)

// Most is how many years a rule is looked at, and the furthest apart its first and last day
// may lie.
const Most = 50

// Rule says on which days a regular comes. The dates that follow from it by themselves are its
// keys: what is left out, moved or made is known by them, whatever becomes of days off.
type Rule struct {
	Kind    Kind
	Every   int                   // weeks, or months, from one to the next
	Days    day.Weekdays          // of Weekly
	Day     int                   `json:",omitempty"` // of Monthly, 1 to 31
	Short   Short                 `json:",omitempty"` // of Monthly
	Nth     int                   `json:",omitempty"` // of Nth: 1 to 4, or -1 for the last
	Weekday time.Weekday          `json:",omitempty"` // of Nth
	From    day.Date              // the first day, from which weeks and months are counted
	To      day.Date              `json:",omitempty"` // the last day, 0 for without end
	Rests   day.Rest              `json:",omitempty"` // what becomes of it on a holiday
	Out     []day.Date            `json:",omitempty"` // keys that are left out
	Moved   map[day.Date]day.Date `json:",omitempty"` // keys that are moved, and where to
	Added   []day.Date            `json:",omitempty"` // days besides, which are their own keys
}

// Comes is one day on which a regular comes, or would.
type Comes struct {
	Key day.Date // by the rule
	On  day.Date // on which it comes
	Out bool     // it does not come: it was left out, or rests
	Why Why      // why it is not as the rule says
}

// Why is why a regular comes otherwise than its rule says.
type Why string

// The reasons.
const (
	AsUsual   Why = ""
	ByHand    Why = "left out by hand"
	WasMoved  Why = "moved by hand"
	WasAdded  Why = "added by hand"
	ByHoliday Why = "holiday" // it rests, or lies before or after it
)

// Problem is what is wrong with a rule.
type Problem struct{ Field, Text string }

func (p *Problem) Error() string { return p.Text }

// Check reports what is wrong with the rule, as a *Problem, or nil.
func (r Rule) Check() error {
	bad := func(field, text string, args ...any) error { return &Problem{field, fmt.Sprintf(text, args...)} }
	switch {
	case r.From == 0:
		return bad("from", "Say from which day on it comes.")
	case r.To != 0 && r.To < r.From:
		return bad("to", "The last day lies before the first. Turn them round.")
	case r.To != 0 && r.To > r.From+Most*366:
		return bad("to", "The last day lies more than %d years after the first. Choose a nearer one, or leave it empty for without end.", Most)
	case r.Every < 1 || r.Every > 60:
		return bad("every", "The weeks or months from one to the next lie between 1 and 60.")
	case r.Kind == Weekly && r.Days == day.Weekdays{}:
		return bad("days", "Tick at least one weekday.")
	case r.Kind == Monthly && (r.Day < 1 || r.Day > 31):
		return bad("day", "The day of the month lies between 1 and 31.")
	case r.Kind == Nth && (r.Nth == 0 || r.Nth < -1 || r.Nth > 4):
		return bad("nth", "Choose which weekday of the month: the first to the fourth, or the last.")
	case !slices.Contains([]Kind{Weekly, Monthly, Nth, Last}, r.Kind):
		return bad("kind", "Choose how its days are counted.")
	case len(r.Out)+len(r.Moved)+len(r.Added) > 500:
		return bad("add", "There are more than 500 days left out, moved or added. Begin a new regular instead.")
	}
	last := r.To
	if last == 0 {
		last = r.From + Most*366
	}
	if len(r.Added) == 0 && len(r.keys(r.From, last)) == 0 {
		return bad("to", "By this rule no day ever comes between the first and the last. Change the rule, or choose a later last day.")
	}
	return nil
}

// RRULE gives the rule as RFC 5545 writes it, without its days left out, moved or added, and
// without what becomes of holidays. The last working day is written as the last day of the
// month: which days are worked, no such rule knows.
func (r Rule) RRULE() string {
	parts := []string{"FREQ=WEEKLY"}
	if r.Kind != Weekly {
		parts[0] = "FREQ=MONTHLY"
	}
	if r.Every > 1 {
		parts = append(parts, fmt.Sprintf("INTERVAL=%d", r.Every))
	}
	if r.To != 0 {
		parts = append(parts, "UNTIL="+strings.ReplaceAll(r.To.String(), "-", ""))
	}
	switch r.Kind {
	case Weekly:
		parts = append(parts, "WKST=MO", "BYDAY="+strings.Join(codes(r.Days), ","))
	case Monthly:
		if r.Day > 28 && r.Short == LastDay {
			var days []string
			for d := 28; d <= r.Day; d++ {
				days = append(days, fmt.Sprint(d))
			}
			parts = append(parts, "BYMONTHDAY="+strings.Join(days, ","), "BYSETPOS=-1")
		} else {
			parts = append(parts, fmt.Sprintf("BYMONTHDAY=%d", r.Day))
		}
	case Nth:
		parts = append(parts, fmt.Sprintf("BYDAY=%d%s", r.Nth, code[r.Weekday]))
	case Last:
		parts = append(parts, "BYMONTHDAY=-1")
	}
	return strings.Join(parts, ";")
}

// code is how RFC 5545 writes the weekdays.
var code = [7]string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}

// codes gives the weekdays as RFC 5545 writes them, from Monday.
func codes(w day.Weekdays) []string {
	var out []string
	for i := range 7 {
		if d := (i + 1) % 7; w[d] {
			out = append(out, code[d])
		}
	}
	return out
}

// keys gives the dates that follow from the rule between two days, both included.
func (r Rule) keys(from, to day.Date) []day.Date {
	dates, err := day.Slot{Rule: r.RRULE(), Start: r.From}.Dates(max(from, r.From), to)
	if err != nil { // a rule is checked before it is stored
		return nil
	}
	return dates
}

// far is how many days a date is taken away from its key by what becomes of days off.
const far = 60

// Between gives the days on which the regular comes, or would, from one day to another, both
// included, in order. Several that are moved to one day stay several.
func (r Rule) Between(from, to day.Date, free day.Free) []Comes {
	var out []Comes
	take := func(c Comes) {
		if c.On >= from && c.On <= to {
			out = append(out, c)
		}
	}
	for _, key := range r.keys(from-far, to+far) {
		if _, moved := r.Moved[key]; !moved {
			take(r.usual(key, free))
		}
	}
	for key, on := range r.Moved {
		if slices.Contains(r.keys(key, key), key) {
			take(Comes{Key: key, On: on, Why: WasMoved})
		}
	}
	for _, d := range r.Added {
		take(Comes{Key: d, On: d, Why: WasAdded})
	}
	slices.SortFunc(out, func(x, y Comes) int { return int(x.On-y.On)*2 + sign(int(x.Key-y.Key)) })
	seen := map[day.Date]bool{} // a day that is added, and follows from the rule too, is one
	return slices.DeleteFunc(out, func(c Comes) bool {
		again := seen[c.Key]
		seen[c.Key] = true
		return again
	})
}

func sign(n int) int { return min(1, max(-1, n)) }

// usual gives what becomes of a key that was not moved.
func (r Rule) usual(key day.Date, free day.Free) Comes {
	if slices.Contains(r.Out, key) {
		return Comes{Key: key, On: key, Out: true, Why: ByHand}
	}
	if r.Kind == Last {
		return r.lastWorking(key, free)
	}
	on, goes := r.Rests.On(key, free)
	c := Comes{Key: key, On: on, Out: !goes}
	if on != key || !goes {
		c.Why = ByHoliday
	}
	return c
}

// lastWorking gives the last working day of a month, by its last day.
func (r Rule) lastWorking(key day.Date, free day.Free) Comes {
	if free.Calendar == nil || free.Calendar.Empty() {
		return Comes{Key: key, On: key}
	}
	return Comes{Key: key, On: free.Calendar.Due(free.Calendar.End(key))}
}

// Say says the rule in words: “every second week on Mon and Wed, from Mon 5 Jan to Thu 31 Dec”.
func (r Rule) Say() string {
	out := r.sayDays() + ", from " + english.Date(r.From)
	if r.To != 0 {
		out += " to " + english.Date(r.To)
	} else {
		out += ", without end"
	}
	return out
}

func (r Rule) sayDays() string {
	each := func(unit string) string {
		switch r.Every {
		case 1:
			return "every " + unit
		case 2:
			return "every second " + unit
		case 3:
			return "every third " + unit
		}
		return fmt.Sprintf("every %d %ss", r.Every, unit)
	}
	switch r.Kind {
	case Weekly:
		var names []string
		for i := range 7 {
			if d := (i + 1) % 7; r.Days[d] {
				names = append(names, time.Weekday(d).String())
			}
		}
		if r.Every == 1 {
			return "every " + english.And(names)
		}
		return english.And(names) + " of " + each("week")
	case Monthly:
		out := "on day " + fmt.Sprint(r.Day) + " of " + each("month")
		if r.Day > 28 && r.Short == LeftOut {
			out += " that has it"
		} else if r.Day > 28 {
			out += ", or its last"
		}
		return out
	case Nth:
		return "the " + map[int]string{1: "first", 2: "second", 3: "third", 4: "fourth", -1: "last"}[r.Nth] + " " + r.Weekday.String() + " of " + each("month")
	}
	return "the last working day of " + each("month")
}
