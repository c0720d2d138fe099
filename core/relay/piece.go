// Package relay moves a piece on its way: it decides who may pass, send back,
// skip, give and take, and what follows from it. Every function takes the piece
// as it is and returns a Move: the piece as it would be, what happened, and the
// runs of legs that ended. Nothing here stores, sends or looks at a clock.
package relay

import (
	"slices"
	"strings"
	"time"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/route"
)

// State is where a leg of a piece stands.
type State string

// The states of a leg.
const (
	Waiting State = "waiting"
	Running State = "running"
	Passed  State = "passed"
	Skipped State = "skipped"
)

// Stage is where a piece as a whole stands.
type Stage string

// The stages of a piece. One whose legs are all passed is still under way until it is out.
const (
	UnderWay  Stage = "running"
	Out       Stage = "out"
	Withdrawn Stage = "withdrawn"
)

// Leg is a leg of one piece. The legs of a piece are kept in an order in which
// each comes after all it waits for.
type Leg struct {
	PieceID   ref.Piece
	Position  int
	Key       string
	Name      string
	Role      string
	Holder    ref.Person // 0: nobody, the leg is open
	Allowance int        // working days
	Least     int        // working days
	Effort    int        // minutes of work in it
	Worked    int        // minutes of that which its holder says are done
	After     string
	Beside    bool // the route allows it to run side by side with what it waits for
	Skip      route.Skip
	Words     bool
	Proposes  bool // a freelancer who runs it proposes changes to the copy
	SignOff   bool // passing it signs the copy off
	State     State
	Run       int        // how many times it has been begun
	Rework    int        // working days allowed for this run, when it came back; 0 otherwise
	Reasons   string     // why it came back
	Due       day.Date   // the plan; no date while the piece has no day
	Pin       day.Date   // a due date set by hand
	NotBefore day.Date   // it does not begin earlier
	StartDay  day.Date   // the first working day counted for this run
	HeldDay   day.Date   // the day in this run on which it came to whoever has it, when it was not handed over to them
	EndDay    day.Date   // the day it was passed
	StartedAt day.Moment // when it was handed over
	TouchedAt day.Moment // when something was last recorded on it
	Offered   string     // to whom it is open while nobody has it, ids with commas; nobody is whoever runs its role
	Fee       int        // for whoever takes it, in smallest units of the currency
	TakenAt   day.Moment // when its holder took it; none when it was given to them
	Turn      int        // its place in the desk's order of those that run this leg; 0 for none
	Makes     ref.Format // of a leg after release: the format of the piece that it begins; 0 for none
	Later     bool       // it is run after release, and its allowance counts from the day on which the piece went out
}

// From gives the day from which the days of whoever has a running leg are counted: the
// first of the run, or that on which it came to them. Of one that nobody has it is the first.
func (l *Leg) From() day.Date {
	if l.Holder == 0 {
		return l.StartDay
	}
	return max(l.StartDay, l.HeldDay)
}

// Since gives the day since which whoever has a running leg has had it.
func (l *Leg) Since(zone *time.Location) day.Date {
	if l.Holder != 0 && l.HeldDay != 0 {
		return l.HeldDay
	}
	return l.StartedAt.Date(zone)
}

// Share gives how much of its way a piece has done, from 0 to 1: of the days of the legs that
// its route has for it, those of the legs that are passed. A same-day leg counts for half a
// day. It is 1 only when all are passed.
func (p *Piece) Share() float64 {
	done, all := 0, 0 // in half days
	for i := range p.Legs {
		l := &p.Legs[i]
		if l.State == Skipped {
			continue
		}
		n := max(1, 2*l.Allowance)
		all += n
		if l.State == Passed {
			done += n
		}
	}
	if all == 0 {
		return 0
	}
	return float64(done) / float64(all)
}

// Need gives the working days the leg may take in its present run.
func (l *Leg) Need() int {
	if l.Rework > 0 {
		return l.Rework
	}
	return l.Allowance
}

// Remaining gives the minutes of work that are left in the leg: the effort, of a
// rework its share by days, less what its holder says is done.
func (l *Leg) Remaining() int {
	if l.Done() {
		return 0
	}
	e := l.Effort
	if l.Rework > 0 && l.Rework < l.Allowance {
		e = (e*l.Rework + l.Allowance - 1) / l.Allowance
	}
	return max(0, e-l.Worked)
}

// Done reports whether nothing more is asked of the leg.
func (l *Leg) Done() bool { return l.State == Passed || l.State == Skipped }

// WaitsFor reports whether the leg begins only after the one with this key.
func (l *Leg) WaitsFor(key string) bool {
	rest := l.After
	for rest != "" {
		var k string
		k, rest, _ = strings.Cut(rest, ",")
		if k == key {
			return true
		}
	}
	return false
}

// Piece is one thing that will be published, with the legs of its way.
type Piece struct {
	ID          ref.Piece
	Number      int
	DeskID      ref.Desk
	FormatID    ref.Format
	RouteID     ref.Route
	ChannelID   ref.Channel
	Title       string
	Owner       ref.Person
	GoesOut     day.Moment // no time while it has no day
	Stage       Stage
	Brief       string
	WordsFrom   int
	WordsTo     int
	Summary     string // the description that goes out with it
	TopicID     ref.Topic
	CampaignID  ref.Campaign
	Priority    Priority
	Tags        string // in order, with commas
	Version     int    // grows with every act on the piece, the copy aside
	CopyVersion int
	CreatedAt   day.Moment
	OutAt       day.Moment
	MissedAt    day.Moment // the publication time at which it was found not ready
	FromPiece   ref.Piece  // the piece whose shape it has
	Edition     int        // which edition of that piece it is, from 2 on; 0 for another piece
	BatchID     ref.Batch  // the list it was brought in with
	DerivedFrom ref.Piece  // the piece from which it was begun
	DerivedLeg  string     // and the leg of that
	Slug        string     // its address on the channel; none is made of its number and title
	// It was given to its channel for a time: by whom, 0 for the program.
	ScheduledFor day.Moment
	ScheduledBy  ref.Person
	WarnedFor    day.Moment // the time about which it was told that it was not scheduled
	Address      string     // where it is on its channel once it is there; below the base where it begins with a stroke
	Corrects     day.Moment // since when what is out is being corrected
	Legs         []Leg      `db:"-"` // of its way until it is out
	After        []Leg      `db:"-"` // to be run when it is
}

// Fixed reports whether readers have a piece before them as it is, so that it cannot be changed.
func (p *Piece) Fixed() bool { return p.Stage == Out && p.Corrects == 0 }

// Scheduled reports whether a piece was given to its channel for the time at which it goes out.
func (p *Piece) Scheduled() bool {
	return p.Stage == UnderWay && p.GoesOut != 0 && p.ScheduledFor == p.GoesOut && p.Ready()
}

// Priority says how much a piece matters beside others.
type Priority int

// The priorities of a piece.
const (
	CanWait Priority = iota - 1
	Usual
	High
	First
)

// TagList gives the tags of the piece.
func (p *Piece) TagList() []string {
	if p.Tags == "" {
		return nil
	}
	return strings.Split(p.Tags, ",")
}

// Leg finds a leg of the piece by its key, or nil.
func (p *Piece) Leg(key string) *Leg {
	for l := range p.Every() {
		if l.Key == key {
			return l
		}
	}
	return nil
}

// Running gives the legs that are being run now.
func (p *Piece) Running() []*Leg {
	var out []*Leg
	for l := range p.Every() {
		if l.State == Running {
			out = append(out, l)
		}
	}
	return out
}

// Ready reports whether all legs of its way are passed or skipped.
func (p *Piece) Ready() bool {
	for i := range p.Legs {
		if !p.Legs[i].Done() {
			return false
		}
	}
	return true
}

// Parked reports whether a piece under way has not begun: none of its legs runs, and not all
// are over. It is made so, and begins when somebody says so.
func (p *Piece) Parked() bool {
	return p.Stage == UnderWay && !p.Ready() && !slices.ContainsFunc(p.Legs, func(l Leg) bool { return l.State == Running })
}

// Final reports whether no leg waits for this one, but for skipped ones that nothing
// waits for either. A skipped leg is none.
func (p *Piece) Final(key string) bool {
	l := p.Leg(key)
	return l != nil && l.State != Skipped && p.leadsNowhere(key)
}

func (p *Piece) leadsNowhere(key string) bool {
	for i := range p.Legs {
		if l := &p.Legs[i]; l.WaitsFor(key) && (l.State != Skipped || !p.leadsNowhere(l.Key)) {
			return false
		}
	}
	return true
}

// Before gives the keys of every leg on the way to the one named.
func (p *Piece) Before(key string) map[string]bool {
	out := map[string]bool{}
	for i := len(p.Legs) - 1; i >= 0; i-- {
		for k := range p.Legs {
			l := &p.Legs[k]
			if (l.Key == key || out[l.Key]) && l.WaitsFor(p.Legs[i].Key) {
				out[p.Legs[i].Key] = true
			}
		}
	}
	return out
}

// Behind gives the keys of every leg that the one named leads to.
func (p *Piece) Behind(key string) map[string]bool {
	out := map[string]bool{}
	for i := range p.Legs {
		l := &p.Legs[i]
		if l.WaitsFor(key) {
			out[l.Key] = true
			continue
		}
		for k := range out {
			if l.WaitsFor(k) {
				out[l.Key] = true
				break
			}
		}
	}
	return out
}

// free reports whether everything the leg waits for is over. A skipped leg hands
// the waiting on to those before it. A leg after release waits for that as well.
func (p *Piece) free(l *Leg) bool {
	for b := range p.Every() {
		if l.WaitsFor(b.Key) && b.State != Passed && (b.State != Skipped || !p.free(b)) {
			return false
		}
	}
	return true
}

// Onward gives the keys of the legs that begin when a running leg is passed, and
// whether the piece is ready then.
func (p *Piece) Onward(key string) (next []string, ready bool) {
	q := p.copy()
	q.Leg(key).State = Passed
	for i := range q.Legs {
		if l := &q.Legs[i]; l.State == Waiting && q.free(l) {
			next = append(next, l.Key)
		}
	}
	for i := range q.After {
		if l := &q.After[i]; l.State == Waiting && q.Stage == Out && q.free(l) {
			next = append(next, l.Key)
		}
	}
	return next, q.Ready()
}

// NextUp reports whether a waiting leg waits for one that runs, directly or
// through skipped ones.
func (p *Piece) NextUp(l *Leg) bool {
	for b := range p.Every() {
		if l.WaitsFor(b.Key) && (b.State == Running || b.State == Skipped && p.NextUp(b)) {
			return true
		}
	}
	return false
}

// copy gives a piece whose legs can be changed without touching p.
func (p Piece) copy() Piece {
	p.Legs, p.After = slices.Clone(p.Legs), slices.Clone(p.After)
	return p
}

// SignedOff gives the leg whose passing signed the copy off, nil while none has.
func (p *Piece) SignedOff() *Leg {
	for i := len(p.Legs) - 1; i >= 0; i-- {
		if l := &p.Legs[i]; l.SignOff && l.State == Passed {
			return l
		}
	}
	return nil
}
