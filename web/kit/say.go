package kit

import (
	"fmt"
	"math"
	"strconv"

	"greenbaton/core/day"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// Clock writes minutes since midnight: "09:42".
func Clock(minutes int) string { return fmt.Sprintf("%02d:%02d", minutes/60, minutes%60) }

// Verb gives the form of a verb that goes with a number.
func Verb(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// WeekText says which days of the week are worked.
func WeekText(w day.Weekdays) string {
	if w == day.MondayToFriday {
		return "Monday to Friday"
	}
	var week []string
	for k := range 7 {
		if i := (k + 1) % 7; w[i] {
			week = append(week, [...]string{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"}[i])
		}
	}
	return newsroom.Names(week)
}

// HoursOfWeek says the hours of a week: "6 h a day", or each day where they differ.
func HoursOfWeek(m [7]int) string {
	most, days := 0, 0
	same := true
	for _, x := range m {
		if x > 0 {
			days++
			same = same && (most == 0 || most == x)
			most = max(most, x)
		}
	}
	switch {
	case days == 0:
		return "no hours"
	case same && days == 5 && m[0] == 0 && m[6] == 0:
		return newsroom.Hours(most) + " a day"
	case same:
		return fmt.Sprintf("%s on %s", newsroom.Hours(most), WeekText(works(m)))
	}
	sum := 0
	for _, x := range m {
		sum += x
	}
	return newsroom.Hours(sum) + " a week"
}

func works(m [7]int) (w day.Weekdays) {
	for i, x := range m {
		w[i] = x > 0
	}
	return w
}

// SentenceOf is a sentence and its tone, for a script.
type SentenceOf struct {
	Says string `json:"says"`
	Tone string `json:"tone"`
}

// Ago says how long ago a moment was, in the largest unit that tells.
func Ago(then, now day.Moment) string {
	switch days := int(now-then) / 86400; {
	case now-then < 60:
		return "just now"
	case now-then < 3600:
		return newsroom.Plural(int(now-then)/60, "minute") + " ago"
	case days == 0:
		return newsroom.Plural(int(now-then)/3600, "hour") + " ago"
	case days < 14:
		return newsroom.Plural(days, "day") + " ago"
	case days < 70:
		return newsroom.Plural(days/7, "week") + " ago"
	case days < 700:
		return newsroom.Plural(days/30, "month") + " ago"
	default:
		return newsroom.Plural(days/365, "year") + " ago"
	}
}

// ActorName gives who did something by their whole name.
func ActorName(b *newsroom.Setup, id ref.Person) string {
	if id == 0 {
		return "Green Baton"
	}
	return b.Person(id).Name
}

// Says is the sentence under the title: where the piece stands.
func Says(b *newsroom.Setup, r store.Row) string {
	at := b.At(r.GoesOut, r.DeskID)
	switch {
	case r.Stage == relay.Out:
		return "It went out " + b.At(r.OutAt, r.DeskID) + "."
	case r.Stage == relay.Withdrawn:
		return "It was withdrawn and is not to be read anywhere."
	case r.MissedAt != 0 && r.MissedAt == r.GoesOut && r.Ready():
		return "It is ready, but its time, " + at + ", is past. Send it out now or give it another day."
	case r.MissedAt != 0 && r.MissedAt == r.GoesOut:
		return "It was not ready at its time, " + at + ", and did not go out."
	case r.Ready() && r.GoesOut == 0:
		return "All legs are passed. Give it a day, or send it out now."
	case r.Ready():
		return "All legs are passed. It goes out by itself " + at + "."
	case r.Pace == plan.Short || r.Pace == plan.NoRoom:
		return b.SayCause(r) + ". Goes out " + at + "."
	case r.Pace == plan.Unplaced && r.CouldGoOut != 0:
		return "No day yet. The earliest it could go out is " + b.At(r.CouldGoOut, r.DeskID) + "."
	case r.Pace == plan.Unplaced:
		return "No day yet."
	}
	return "Goes out " + at + "."
}

// Bit is 1 for yes and 0 for no, to count with.
func Bit(b bool) int {
	if b {
		return 1
	}
	return 0
}

// SayBytes says a size: "340 kB", "2.1 MB".
func SayBytes(n int) string {
	switch {
	case n < 1_000:
		return newsroom.Plural(n, "byte")
	case n < 1_000_000:
		return fmt.Sprintf("%d kB", n/1_000)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}

// Sentence is something said, and the colour it is said in.
type Sentence struct {
	Text string `json:"text"`
	Tone string `json:"tone"`
}

// SaidShifts says for whom a change means more work, and for whom less.
func SaidShifts(b *newsroom.Setup, shifts []load.Shift) []Sentence {
	var out []Sentence
	for _, said := range planning.SayShifts(b, shifts) {
		tone := "short"
		if said.Good {
			tone = "good"
		}
		out = append(out, Sentence{said.Text, tone})
	}
	return out
}

// StandingBy is a piece as it would stand by a projection.
func StandingBy(p *relay.Piece, pr plan.Projection) store.Row {
	return store.Row{Piece: *p, Standing: store.Standing{Pace: pr.Pace, InHand: pr.InHand}}
}

// Tone gives the colour class of a standing.
func Tone(s store.Standing) string {
	switch s.Pace {
	case plan.Short:
		return "short"
	case plan.NoRoom:
		return "noroom"
	case plan.InHand, plan.Ready, plan.Out:
		return "good"
	}
	return "plain"
}

// Number writes 2140 as 2,140.
func Number(n int) string { return newsroom.Number(n) }

// HoursText writes minutes as hours like 3 or 1.5.
func HoursText(minutes int) string {
	return strconv.FormatFloat(math.Round(float64(minutes)/60*100)/100, 'f', -1, 64)
}

// Counted writes how many there are of something: "one piece", "1,200 pieces".
func Counted(n int, noun string) string {
	if n == 1 {
		return "one " + noun
	}
	return Number(n) + " " + noun + "s"
}

// Times says how often: "once", "twice", "12 times".
func Times(n int) string {
	switch n {
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return Number(n) + " times"
}

// UpperTimes is Times at the beginning of a sentence.
func UpperTimes(n int) string { return newsroom.UpperFirst(Times(n)) }

// RunsNow says which legs of a piece run and who has them.
func RunsNow(b *newsroom.Setup, r store.Row) string {
	var xs []string
	for _, l := range r.Running() {
		xs = append(xs, l.Name+" with "+b.Name(l.Holder))
	}
	if len(xs) == 0 {
		return "all legs passed"
	}
	return newsroom.Names(xs)
}

var words = []string{"No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten"}

// CountOf writes a small number as a word: "Three", "None".
func CountOf(n int) string {
	switch {
	case n == 0:
		return "None"
	case n < len(words):
		return words[n]
	}
	return Number(n)
}

// Count writes a small number as a word: "Three legs".
func Count(n int, noun string) string {
	if n >= len(words) {
		return Number(n) + " " + noun + "s"
	}
	if n == 1 {
		return words[1] + " " + noun
	}
	return words[n] + " " + noun + "s"
}

// ToneOfCandidate gives the colour in which somebody is offered for a leg, by how full they would be.
func ToneOfCandidate(c load.Candidate) string {
	switch {
	case c.Over > 0:
		return "short"
	case c.Peak >= 1000:
		return "noroom"
	}
	return "good"
}
