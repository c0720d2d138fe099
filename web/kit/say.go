package kit

import (
	"fmt"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/load"
	"greenbaton/core/plan"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

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
	return english.And(week)
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
		return english.Hours(most) + " a day"
	case same:
		return fmt.Sprintf("%s on %s", english.Hours(most), WeekText(works(m)))
	}
	sum := 0
	for _, x := range m {
		sum += x
	}
	return english.Hours(sum) + " a week"
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
	case r.Corrects != 0:
		return "It is out since " + b.At(r.OutAt, r.DeskID) + ", and being corrected since " + b.At(r.Corrects, r.DeskID) + ". Readers have it as it was until that is brought out."
	case r.Stage == relay.Out:
		return "It went out " + b.AtOn(r.OutAt, r.DeskID, r.WorkedOut) + "."
	case r.Stage == relay.Withdrawn:
		return "It was withdrawn and is not to be read anywhere."
	case r.MissedAt != 0 && r.MissedAt == r.GoesOut && r.Ready():
		return "It is ready, but its time, " + at + ", is past. Send it out now or give it another day."
	case r.MissedAt != 0 && r.MissedAt == r.GoesOut:
		return "It was not ready at its time, " + at + ", and did not go out."
	case r.Ready() && r.GoesOut == 0:
		return "All legs are passed. Give it a day, or send it out now."
	case r.Ready() && !r.IsScheduled:
		return "All legs are passed. It has its place " + at + ", and is not scheduled yet."
	case r.Ready():
		return "All legs are passed. It goes out by itself " + at + "."
	case r.Parked() && r.GoesOut == 0:
		return "Kept without beginning: nothing runs, and nobody was told."
	case r.Parked():
		return "Kept without beginning. It is to go out " + at + "; nothing runs yet."
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

// Sentence is something said, and the colour it is said in.
type Sentence struct {
	Text string `json:"text"`
	Tone string `json:"tone"`
}

// SaidPace says how a piece stands.
func SaidPace(s store.Standing) Sentence {
	return Sentence{Text: newsroom.SayPace(s), Tone: Tone(s)}
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

// RunsNow says which legs of a piece run and who has them.
func RunsNow(b *newsroom.Setup, r store.Row) string {
	var xs []string
	for _, l := range r.Running() {
		xs = append(xs, l.Name+" with "+b.Name(l.Holder))
	}
	if len(xs) == 0 {
		return "all legs passed"
	}
	return english.And(xs)
}

// ToneOfCandidate gives the colour in which somebody is offered for a leg, by how full they would be.
func ToneOfCandidate(c load.Candidate) string {
	switch {
	case c.Over >= plan.FewMinutes:
		return "short"
	case c.Peak >= 1000:
		return "noroom"
	}
	return "good"
}
