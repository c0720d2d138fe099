package piece

import (
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/english"
	"greenbaton/core/load"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

type pieceLeg struct {
	planning.LegSheet
	Who                              string
	Due                              string
	Ran                              string // "since Tue 17 Nov" or "until Wed 18 Nov"
	Next                             []nextLeg
	Onward                           string // "to Ruth, Pictures"
	Back                             []kit.Choice
	Steps                            []pieceStep
	Checks                           []check
	Owed                             []owed         // what somebody else has to see to
	People                           []store.Person // those of its role first
	MaySkip                          bool
	MayNeed                          bool
	MayGive                          bool
	MayTake                          bool
	MayAdjust, MayOverlap, MayReport bool
	MayGiveBack                      bool
	Left                             string // hours of work left
	PinDate                          string
	Stands                           *kit.Sentence
	Takes                            *kit.Sentence // what taking it would do to the one who looks
}

type nextLeg struct {
	Key, Name, Due string
	Fits           []kit.Sentence // who could run it, and how it fits them
	Holder         ref.Person
	People         []store.Person
}

type pieceStep struct {
	store.Step
	By  string
	Who string // who does it and by when, where the checklist says so
	May bool   // whoever looks may tick it
}

// owed is something that a leg waits for and that somebody else has to see to.
type owed struct {
	Leg, Key, Text, Who string
	Asked               string // that they were, and when
	May                 bool   // ask them
}

// check is a condition of a leg that the program sees for itself.
type check struct {
	Text string
	Met  bool
	Must bool
}

func newPieceLeg(b *newsroom.Setup, s planning.Sheet, l planning.LegSheet, who store.Person) pieceLeg {
	p := pieceLeg{LegSheet: l, Who: b.Name(l.Holder), People: kit.Suited(b, s.Row.DeskID, l.Role, l.Holder)}
	if l.Due != 0 {
		p.Due = b.SayDue(&s.Row.Piece, &l.Leg)
	}
	switch l.State {
	case relay.Running:
		p.Ran = "since " + english.Date(l.Since(b.Zones[s.Row.DeskID])) + ", until about " + english.Date(l.End)
	case relay.Passed:
		p.Ran = "passed " + english.Date(l.EndDay)
	case relay.Waiting:
		p.Ran = "about " + english.Date(l.Start) + " to " + english.Date(l.End)
	case relay.Skipped:
		p.Ran = "skipped"
	}
	var onward []string
	for _, k := range l.Next {
		n := s.Row.Leg(k)
		onward = append(onward, b.Name(n.Holder)+", "+n.Name)
		p.Next = append(p.Next, nextLeg{k, n.Name, english.Date(n.Due), saidFits(b, s.Legs[n.Position].Fits), n.Holder, kit.Suited(b, s.Row.DeskID, n.Role, n.Holder)})
	}
	p.Onward = "to " + english.And(onward)
	if len(onward) == 0 {
		p.Onward = l.Name
	}
	for _, k := range l.BackTo {
		n := s.Row.Leg(k)
		p.Back = append(p.Back, kit.Choice{Key: k, Name: n.Name + ", " + b.Name(n.Holder)})
	}
	slices.Reverse(p.Back)
	p.conditions(b, s, who)
	unfinished := s.Row.Stage == relay.UnderWay && !l.Done()
	p.MayAdjust = unfinished && s.May[relay.ActPlan]
	p.MayOverlap = p.MayAdjust && l.Beside && l.State == relay.Waiting && l.After != ""
	p.MayReport = unfinished && l.May[relay.ActReport] && l.Effort > 0
	p.Left = english.HoursTyped(l.Remaining())
	if l.Pin != 0 {
		p.PinDate = l.Pin.String()
	}
	if unfinished && s.Finish != nil {
		x := store.Standing{Pace: b.Planned[s.Row.DeskID].PaceOf(l.InHand), InHand: l.InHand}
		p.Stands = &kit.Sentence{Text: english.LowerFirst(newsroom.SayPace(x)), Tone: kit.Tone(x)}
	}
	p.MayGive = unfinished && l.May[relay.ActGive]
	p.MaySkip = unfinished && l.Skip != route.SkipNever && l.May[relay.ActSkip]
	if l.Mine != nil {
		p.Takes = &kit.Sentence{Text: "For you: " + planning.SayCandidate(*l.Mine), Tone: kit.ToneOfCandidate(*l.Mine)}
	}
	p.MayTake = unfinished && l.Holder == 0 && l.May[relay.ActTake]
	p.MayGiveBack = unfinished && l.May[relay.ActGiveBack]
	p.MayNeed = l.State == relay.Skipped && s.Row.Stage == relay.UnderWay && s.May[relay.ActNeed]
	return p
}

// mostFits is how many people are said to fit a leg.
const mostFits = 4

func saidFits(b *newsroom.Setup, fits []load.Candidate) []kit.Sentence {
	var out []kit.Sentence
	for _, c := range fits[:min(mostFits, len(fits))] {
		out = append(out, kit.Sentence{Text: b.Name(c.Person) + ": " + planning.SayCandidate(c), Tone: kit.ToneOfCandidate(c)})
	}
	return out
}

// conditions lists what a leg asks for before it is passed.
func (p *pieceLeg) conditions(b *newsroom.Setup, s planning.Sheet, who store.Person) {
	for _, x := range s.Steps {
		if x.Leg == p.Key {
			p.Steps = append(p.Steps, pieceStep{x, b.Name(x.DoneBy), whoAndWhen(b, s, x, &p.Leg), p.LegSheet.May[relay.ActTick] || planning.RunsStep(who, x)})
		}
	}
	for i, x := range p.Unmet {
		if x.Of == 0 || x.Of == who.ID || x.Of == p.Holder {
			continue
		}
		o := owed{Leg: p.Key, Key: x.Key, Text: english.UpperFirst(x.Text), Who: b.Name(x.Of), May: p.LegSheet.May[relay.ActPass]}
		if at := p.LegSheet.Asked[i]; at != 0 {
			o.Asked = "Asked " + english.Date(at.Date(b.Zones[s.Row.DeskID])) + "; it stands on their Today."
		}
		p.Owed = append(p.Owed, o)
	}
	for _, lack := range s.Lacks[p.Key] {
		p.Checks = append(p.Checks, check{Text: english.UpperFirst(lack), Must: true})
	}
	for _, a := range s.Answers {
		if slices.Contains(a.Legs, p.Key) {
			p.Checks = append(p.Checks, check{Text: a.Name + " filled in", Met: a.Value != "", Must: true})
		}
	}
	for _, h := range p.Conditions {
		p.Checks = append(p.Checks, check{Text: english.UpperFirst(h.Text), Met: h.Met, Must: true})
	}
	if from, to := s.Row.WordsFrom, s.Row.WordsTo; from > 0 || to > 0 {
		asked := fmt.Sprintf("%s–%s", english.Number(from), english.Number(to))
		if to == 0 {
			asked = "at least " + english.Number(from)
		}
		p.Checks = append(p.Checks, check{
			Text: fmt.Sprintf("%s words, asked for %s", english.Number(s.Copy.Words), asked),
			Met:  s.Copy.Words >= from && (to == 0 || s.Copy.Words <= to), Must: p.Words,
		})
	}
}

// whoAndWhen says for which role a step is, and by when it is done.
func whoAndWhen(b *newsroom.Setup, s planning.Sheet, x store.Step, l *relay.Leg) string {
	var parts []string
	if x.Role != "" {
		parts = append(parts, "for "+x.Role)
	}
	if by := b.Planned[s.Row.DeskID].StepDue(l, x.Before); x.Before > 0 && by != 0 {
		parts = append(parts, "by "+english.Date(by))
	} else if x.Before > 0 {
		parts = append(parts, english.Plural(x.Before, "day")+" before the leg is due")
	}
	return strings.Join(parts, ", ")
}
