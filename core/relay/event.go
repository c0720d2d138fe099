package relay

import (
	"greenbaton/core/day"
	"greenbaton/core/ref"
)

// Kind names what happened to a piece.
type Kind string

// What can happen to a piece.
const (
	Created   Kind = "created"
	Begun     Kind = "begun"
	Began     Kind = "leg begins"
	PassedOn  Kind = "passed"
	SentBack  Kind = "sent back"
	LeftOut   Kind = "skipped"
	Needed    Kind = "needed"
	Given     Kind = "given"
	Taken     Kind = "taken"
	Offered   Kind = "offered"
	GaveBack  Kind = "given back"
	Lost      Kind = "lost"
	Reset     Kind = "reset"
	AllPassed Kind = "ready"
	WentOut   Kind = "out"
	Missed    Kind = "missed"
	Withdrew  Kind = "withdrawn"
	Placed    Kind = "placed"
	Allowed   Kind = "days changed"
	Pinned    Kind = "pinned"
	Held      Kind = "not before"
	Overlaps  Kind = "side by side"
	Reported  Kind = "hours left"
	Rerouted  Kind = "route changed"
	Removed   Kind = "removed"
	Restored  Kind = "undone"
	Recalled  Kind = "recalled"
	Closed    Kind = "closed"

	Scheduled   Kind = "scheduled"
	Unscheduled Kind = "unscheduled"
	Added       Kind = "added"
)

// Event is one thing that happened to a piece.
type Event struct {
	Kind Kind
	Leg  string     // the key of the leg, or empty for the whole piece
	From ref.Person // who had it
	To   ref.Person // who has it now
	Why  string     // reasons given
}

// Run is one finished run of a leg, kept for the record.
type Run struct {
	PieceID   ref.Piece
	Key       string
	Run       int
	Holder    ref.Person
	Allowance int
	StartDay  day.Date
	EndDay    day.Date
	StartedAt day.Moment
	EndedAt   day.Moment
	Outcome   string // "passed", "sent back", "reset" or "skipped"
}

// Move is what an act comes to.
type Move struct {
	Piece  Piece
	Events []Event
	Runs   []Run
}

func (m *Move) tell(k Kind, leg string, from, to ref.Person, why string) {
	m.Events = append(m.Events, Event{k, leg, from, to, why})
}

// end puts a run on record, of whoever had the leg last and from when they could begin.
func (m *Move) end(l *Leg, s Scene, outcome string) {
	m.Runs = append(m.Runs, Run{
		PieceID: l.PieceID, Key: l.Key, Run: l.Run, Holder: l.Holder, Allowance: l.Need(),
		StartDay: l.From(), EndDay: s.Today, StartedAt: l.StartedAt, EndedAt: s.Now, Outcome: outcome,
	})
}

// Scene is the moment of an act on the desk's calendar.
type Scene struct {
	Now      day.Moment
	Today    day.Date
	Calendar *day.Calendar
}
