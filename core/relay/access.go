package relay

import (
	"slices"
	"strings"
)

// Cond says in which case somebody may do something. The table below is what acts ask,
// what pages show by, what tests go through and what docs/access.md prints.
type Cond string

// The cases.
const (
	Always   Cond = "on their desks"
	Owns     Cond = "what they own"
	Holds    Cond = "a leg that runs with them"
	Moves    Cond = "a leg that runs with them, unless the desk leaves passing to owners"
	Works    Cond = "pieces of which a leg runs with them"
	Writes   Cond = "pieces of which a leg in which the copy is written runs with them"
	Worked   Cond = "pieces of which they run, ran or are to run a leg"
	Finds    Cond = "pieces of theirs, and those with a leg open to them"
	Reached  Cond = "pieces that have reached them"
	OpenTo   Cond = "a leg that is open to them"
	Took     Cond = "a leg that they took"
	Finished Cond = "pieces whose last leg they passed"
	AskedTo  Cond = "the piece they are asked about"
	Comments Cond = "the piece they are asked about, if they may comment"
)

// holds works out a case.
func (c Cond) holds(w Who, p *Piece, leg *Leg, by PassBy) bool {
	runs := leg != nil && leg.Holder == w.ID && leg.State == Running
	switch c {
	case Always:
		return w.OnDesk
	case Owns:
		return w.OnDesk && w.ID == p.Owner
	case Holds:
		return runs
	case Moves:
		return runs && by != ByOwner
	case Works:
		return w.OnDesk && w.holdsAny(p)
	case Writes:
		return w.writes(p)
	case Worked:
		return w.OnDesk && holdsOrHeld(w, p)
	case Finds, Reached:
		return sees(w, p)
	case OpenTo:
		return w.OnDesk && w.mayTake(leg)
	case Took:
		return leg != nil && leg.Holder == w.ID && leg.TakenAt != 0 && !leg.Done()
	case Finished:
		return w.OnDesk && p.has(func(l *Leg) bool { return !l.Later && l.Holder == w.ID && l.State == Passed && p.Final(l.Key) })
	case AskedTo:
		return w.Reads
	case Comments:
		return w.Comments
	}
	return false
}

// Right is an act on a piece and who may do it: each kind of person in one of the cases
// named, and never where none is. A reviewer is whoever is asked about a piece, by a
// private link or with an account, besides what they may do anyway.
type Right struct {
	Act                                       Act
	Says                                      string // as it goes on after "somebody may" and before "a piece"
	Lead, Staff, Freelance, Outside, Reviewer []Cond
	Else                                      string // what is said to others
}

func in(cs ...Cond) []Cond { return cs }

// What is said to who may not.
const (
	notTheirs  = "Only its holder, the owner and leads may do this."
	ownersOnly = "Only the owner of the piece and leads may do this."
	workers    = "This is for staff of the desk and for those who run a leg of the piece."
)

// Rights is who may do what to a piece.
var Rights = []Right{
	{ActSee, "see", in(Always), in(Always), in(Finds), in(Reached), in(AskedTo), "This piece is not one of yours."},
	{ActRead, "read the copy of", in(Always), in(Always), in(Worked), in(Reached), in(AskedTo), "Its copy is for those who work on it. Take a leg of it first."},
	{ActReadLog, "read the logbook of", in(Always), in(Always), nil, nil, nil, "The logbook is for staff of the desk."},
	{ActWrite, "change the copy of", in(Always), in(Owns, Works), in(Writes), nil, nil, notTheirs},
	{ActPropose, "propose changes to the copy of", in(Always), in(Always), in(Works), nil, nil, workers},
	{ActAsk, "ask about the copy of", in(Always), in(Always), in(Works), nil, in(Comments), workers},
	{ActPrepare, "prepare", in(Always), in(Always), in(Works), nil, nil, workers},
	{ActTick, "tick steps of", in(Always), in(Owns, Holds), in(Holds), in(Holds), nil, notTheirs},
	{ActReport, "say the hours left on a leg of", in(Always), in(Owns, Holds), in(Holds), in(Holds), nil, notTheirs},
	{ActPass, "pass", in(Always), in(Owns, Moves), in(Moves), in(Moves), nil, notTheirs},
	{ActSendBack, "send back", in(Always), in(Owns, Moves), in(Moves), in(Moves), nil, notTheirs},
	{ActSkip, "skip a leg of", in(Always), in(Owns, Moves), in(Moves), in(Moves), nil, notTheirs},
	{ActGive, "give away a leg of", in(Always), in(Owns, Holds), in(Holds), nil, nil, notTheirs},
	{ActTake, "take a leg of", in(OpenTo), in(OpenTo), in(OpenTo), nil, nil, "This leg is for others."},
	{ActGiveBack, "give back a leg of", in(Always), in(Took), in(Took), in(Took), nil, "Only who took a leg gives it back."},
	{ActOffer, "offer a leg of", in(Always), in(Owns), nil, nil, nil, ownersOnly},
	{ActNeed, "bring a leg back into", in(Always), in(Owns), nil, nil, nil, ownersOnly},
	{ActPlan, "change the plan or brief of", in(Always), in(Owns), nil, nil, nil, ownersOnly},
	{ActAgree, "agree otherwise on what a leg is paid, and accept it, of", in(Always), in(Owns), nil, nil, nil, ownersOnly},
	{ActSchedule, "schedule", in(Always), in(Owns, Finished), in(Finished), nil, nil, "Only the owner, leads and who passed its last leg may do this."},
	{ActRelease, "send out or withdraw", in(Always), in(Owns), nil, nil, nil, ownersOnly},
}

// RightTo gives who may do an act.
func RightTo(act Act) Right {
	i := slices.IndexFunc(Rights, func(r Right) bool { return r.Act == act })
	if i < 0 {
		panic("no right is called " + string(act))
	}
	return Rights[i]
}

// For gives the cases in which a kind of person may do it.
func (r Right) For(a Access) []Cond {
	switch a {
	case Lead:
		return r.Lead
	case Staff:
		return r.Staff
	case Freelance:
		return r.Freelance
	case Outside:
		return r.Outside
	}
	return nil
}

// May reports whether somebody may do an act to a piece, or to one leg of it
// where the act is about a leg. A *Refusal of ErrNotYours says who may.
func May(act Act, w Who, p *Piece, leg *Leg, passBy PassBy) error {
	if w.System && act != ActTake {
		return nil
	}
	r := RightTo(act)
	for _, c := range slices.Concat(r.For(w.Access), r.Reviewer) {
		if c.holds(w, p, leg, passBy) {
			return nil
		}
	}
	switch {
	case act == ActTake && (w.System || w.Access == Lead && w.OnDesk):
		return no("This leg is for another role. Give it to somebody instead.")
	case passBy == ByOwner && slices.Contains(r.Staff, Moves):
		return no("On this desk only the owner of a piece and leads move it on.")
	}
	return no(r.Else)
}

func no(text string) error { return &Refusal{Reason: ErrNotYours, Text: text} }

// HouseAct is something that people do to no piece in particular, by its key.
type HouseAct string

// The acts on the house.
const (
	SetUpDesk    HouseAct = "setup"
	LeadDesk     HouseAct = "lead"
	SeeAll       HouseAct = "seeall"
	MakePieces   HouseAct = "make"
	OwnPieces    HouseAct = "owner"
	TakeRequests HouseAct = "requests"
	JudgeIdeas   HouseAct = "judge"
	TeachWords   HouseAct = "words"
	SayDaysOff   HouseAct = "daysoff"
	Contribute   HouseAct = "contribute"
	RunLegs      HouseAct = "run"
	TakeForFee   HouseAct = "fee"
	AnswerAsked  HouseAct = "answer"
	SeePost      HouseAct = "post"
	KeepOwn      HouseAct = "own"
	SeeFees      HouseAct = "fees"
	CheckFees    HouseAct = "checkfees"
	PayFees      HouseAct = "payfees"
	SeeOwnFees   HouseAct = "ownfees"
)

// Duty is what a lead names somebody on the staff for, besides what staff may do.
type Duty string

// The duties.
const (
	Checks Duty = "check" // fees of others
	Pays   Duty = "pay"   // statements of others
)

// Duties are all of them, with how they are called.
var Duties = []struct {
	Duty Duty
	Says string
}{{Checks, "checks fees"}, {Pays, "makes statements and notes what is paid"}}

// HouseRight is an act on the house, and the kinds of people who may do it on their desks.
type HouseRight struct {
	Act   HouseAct
	Says  string
	May   []Access
	Named []Duty // staff named for one of these may as well
}

// HouseRights is who may do what that is about no piece.
var HouseRights = []HouseRight{
	{SetUpDesk, "set up the desk: formats, people, channels, rules, words", []Access{Lead}, nil},
	{LeadDesk, "decide for others: locked dates and views, queries, pitches, days off; are told when something fails", []Access{Lead}, nil},
	{SeePost, "see the outgoing mail, and send again what was given up", []Access{Lead}, nil},
	{SeeAll, "see the lineup, the track and the load of all, the rules and the logbook of the desk", []Access{Lead, Staff}, nil},
	{MakePieces, "make pieces, import lists, plan a sitting", []Access{Lead, Staff}, nil},
	{OwnPieces, "own pieces", []Access{Lead, Staff}, nil},
	{TakeRequests, "read requests and decide on them, and pitch to partners", []Access{Lead, Staff}, nil},
	{JudgeIdeas, "judge ideas", []Access{Lead, Staff}, nil},
	{TeachWords, "add words to those of the desk", []Access{Lead, Staff}, nil},
	{SayDaysOff, "enter days off of their own, or ask for them where the desk says so", []Access{Lead, Staff, Freelance}, nil},
	{Contribute, "catch ideas, and look for open legs", []Access{Lead, Staff, Freelance}, nil},
	{RunLegs, "run legs inside the house, see all of their brief, and say who comes next", []Access{Lead, Staff, Freelance}, nil},
	{TakeForFee, "take legs for a fee, as many at once as the desk lets, and lose those that lie", []Access{Freelance}, nil},
	{AnswerAsked, "answer pitches, and see the page of their partner", []Access{Outside}, nil},
	{KeepOwn, "read their inbox, say how they are told, change how they sign in", []Access{Lead, Staff, Freelance, Outside}, nil},
	{SeeFees, "see what work costs, what is owed and what is left of budgets", []Access{Lead}, []Duty{Checks, Pays}},
	{CheckFees, "check fees, but for their own", []Access{Lead}, []Duty{Checks}},
	{PayFees, "make statements and note them as paid, but for their own", []Access{Lead}, []Duty{Pays}},
	{SeeOwnFees, "see what they earn themselves", []Access{Lead, Staff, Freelance}, nil},
}

// MayHouse reports whether somebody may do something on a desk that is about no piece.
func MayHouse(act HouseAct, w Who) bool {
	return w.System || w.OnDesk && (w.Access.May(act) || w.Access.Named() && slices.ContainsFunc(houseRight(act).Named, func(d Duty) bool { return slices.Contains(w.Duties, d) }))
}

// May reports whether a kind of person may do something on their desks that is about no
// piece. It panics at an act that there is not.
func (a Access) May(act HouseAct) bool { return slices.Contains(houseRight(act).May, a) }

func houseRight(act HouseAct) HouseRight {
	i := slices.IndexFunc(HouseRights, func(r HouseRight) bool { return r.Act == act })
	if i < 0 {
		panic("no right in the house is called " + string(act))
	}
	return HouseRights[i]
}

// Named reports whether somebody of this kind can be named for duties: leads may anyway, others never.
func (a Access) Named() bool { return a == Staff }

// For says whether a kind of person may do it: "yes", "never", or who of them may.
func (r HouseRight) For(a Access) string {
	switch {
	case slices.Contains(r.May, a):
		return "yes"
	case a.Named() && len(r.Named) > 0:
		return "who is named for it"
	}
	return "never"
}

// SayConds writes the cases of a kind of person; "never" where there is none.
func SayConds(cs []Cond) string {
	if len(cs) == 0 {
		return "never"
	}
	out := make([]string, len(cs))
	for i, c := range cs {
		out[i] = string(c)
	}
	return strings.Join(out, "; ")
}

// AccessTable writes both tables as Markdown, for docs/access.md.
func AccessTable() string {
	var b strings.Builder
	b.WriteString("# Who may do what\n\nPrinted from `core/relay/access.go`, which acts, pages and tests ask; a test holds this file to it. ")
	b.WriteString("Everything is per desk: on a desk to which somebody does not belong they may do nothing. The program itself may do everything but take a leg.\n\n")
	b.WriteString("## To a piece\n\n| | Lead | Staff | Freelance | Outside | Reviewer of the piece, besides |\n|---|---|---|---|---|---|\n")
	for _, r := range Rights {
		b.WriteString("| " + r.Says + " a piece | " + strings.Join([]string{SayConds(r.Lead), SayConds(r.Staff), SayConds(r.Freelance), SayConds(r.Outside), SayConds(r.Reviewer)}, " | ") + " |\n")
	}
	b.WriteString("\n## In the house\n\n| | Lead | Staff | Freelance | Outside |\n|---|---|---|---|---|\n")
	for _, r := range HouseRights {
		b.WriteString("| " + r.Says)
		for _, a := range []Access{Lead, Staff, Freelance, Outside} {
			b.WriteString(" | " + r.For(a))
		}
		b.WriteString(" |\n")
	}
	b.WriteString("\nA partner is a person from outside, or who has the private link of their house: they see what is on the page of a partner and nothing else. ")
	b.WriteString("A reviewer by private link sees the copy of that piece and their own queries, and nothing else.\n")
	return b.String()
}
