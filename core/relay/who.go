package relay

import (
	"greenbaton/core/ref"
	"slices"
)

// Access is what kind of colleague somebody is.
type Access string

// The kinds of access.
const (
	Lead      Access = "lead"
	Staff     Access = "staff"
	Freelance Access = "freelance"
	Outside   Access = "outside"
)

// Who is the person who acts, as far as it decides what they may do.
type Who struct {
	ID       ref.Person
	Access   Access
	Roles    []string
	OnDesk   bool // belongs to the piece's desk
	System   bool // the program itself, at its time
	Reads    bool // is asked about this piece, and so may read it
	Comments bool // and ask about its copy
	Duties   []Duty
}

// Act is something a person can do to a piece: the key under which acts, pages and tests
// ask the table of rights.
type Act string

// The acts on a piece.
const (
	ActSee      Act = "see"
	ActReadLog  Act = "readlog"
	ActWrite    Act = "write"
	ActPropose  Act = "propose"
	ActAsk      Act = "ask"
	ActTick     Act = "tick"
	ActPass     Act = "pass"
	ActAgree    Act = "agree"
	ActSendBack Act = "sendback"
	ActSkip     Act = "skip"
	ActNeed     Act = "need"
	ActGive     Act = "give"
	ActTake     Act = "take"
	ActOffer    Act = "offer"
	ActGiveBack Act = "giveback"
	ActRead     Act = "read"
	ActPrepare  Act = "prepare"
	ActPlan     Act = "plan"
	ActReport   Act = "report"
	ActRelease  Act = "release"
	ActSchedule Act = "schedule"
)

// PassBy says who may pass a leg on a desk.
type PassBy string

// Who may pass.
const (
	ByHolder PassBy = "holder" // its holder, the owner and leads
	ByOwner  PassBy = "owner"  // the owner and leads only
)

// can reports whether the person has the role that the leg asks for.
func (w Who) can(leg *Leg) bool { return leg != nil && slices.Contains(w.Roles, leg.Role) }

func (w Who) holdsAny(p *Piece) bool {
	return p.has(func(l *Leg) bool { return l.Holder == w.ID && l.State == Running })
}

// writes reports whether somebody runs a leg in which the copy is written.
func (w Who) writes(p *Piece) bool {
	return p.has(func(l *Leg) bool {
		return l.Holder == w.ID && l.State == Running && !l.Proposes
	})
}

// holdsOrHeld reports whether somebody runs, ran or is to run a leg.
func holdsOrHeld(w Who, p *Piece) bool {
	return p.has(func(l *Leg) bool { return l.Holder == w.ID })
}

// sees says which pieces are shown to people from outside the staff: to
// freelancers those they run, ran or are to run a leg of, and those with an open
// leg they could take; to outside reviewers those that have reached them.
func sees(w Who, p *Piece) bool {
	return p.has(func(l *Leg) bool {
		mine := l.Holder == w.ID
		switch w.Access {
		case Freelance:
			return w.OnDesk && (mine || l.Holder == 0 && !l.Done() && p.live(l) && w.mayTake(l))
		case Outside:
			return mine && (l.State == Running || l.State == Passed || l.Run > 0)
		}
		return false
	})
}
