package review

import (
	"context"
	"fmt"
	"slices"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/review"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// VerdictsView is who is asked about a piece, beside its legs.
type VerdictsView struct {
	Piece   ref.Piece
	Legs    []verdictLeg
	Readers []reviewerView
	Past    []saidLine
	Edits   bool
	Mine    string
	Open    []relay.Leg // for which somebody can be asked
	People  []store.Person
	Replace []kit.Choice // in whose place somebody can be asked
}

type verdictLeg struct {
	Name    string
	Needs   string
	Asked   []reviewerView
	Changed string // the address at which what changed since is shown
	Again   bool
}

type reviewerView struct {
	ID    ref.Reviewer
	Name  string
	Says  string
	Tone  string
	More  string
	Nudge bool
}

// Any reports whether there is anything to show.
func (v VerdictsView) Any() bool {
	return len(v.Legs)+len(v.Readers)+len(v.Past) > 0 || v.Edits
}

// Verdicts gives who is asked about a piece at each leg that signs off, and what they said.
func (s *Section) Verdicts(ctx context.Context, b *newsroom.Setup, who ref.Person, p *relay.Piece) (VerdictsView, error) {
	v := VerdictsView{Piece: p.ID}
	sheet, err := s.Review.Verdicts(ctx, who, p.ID)
	if err != nil {
		return v, err
	}
	v.Edits, v.Mine = sheet.Edits, sheet.Mine
	for _, l := range sheet.Legs {
		x := verdictLeg{Name: l.Name, Needs: l.Needs, Again: l.Again}
		for _, y := range l.Voices {
			x.Asked = append(x.Asked, reviewerSays(b, p.DeskID, l.State, y))
		}
		if l.Changed {
			x.Changed = fmt.Sprintf("/pieces/%d/versions?from=e%d&to=now", p.ID, l.Since)
		}
		v.Legs = append(v.Legs, x)
		if l.State == relay.Passed {
			continue
		}
		v.Open = append(v.Open, *l.Leg)
		for _, y := range l.Voices {
			if y.Verdict.ID == 0 && !slices.ContainsFunc(v.Replace, func(c kit.Choice) bool { return c.Key == fmt.Sprint(y.PersonID) }) {
				v.Replace = append(v.Replace, kit.Choice{Key: fmt.Sprint(y.PersonID), Name: b.Person(y.PersonID).Name})
			}
		}
	}
	for _, r := range sheet.Readers {
		a := reviewerView{ID: r.ID, Name: b.Person(r.PersonID).Name, Says: "asked to read", Nudge: true, Tone: "plain"}
		if r.OpenedAt != 0 {
			a.Says = "opened it " + b.At(r.OpenedAt, p.DeskID)
		}
		v.Readers = append(v.Readers, a)
	}
	for _, x := range sheet.Past {
		line := saidLine{When: b.At(x.At, p.DeskID), Says: b.Person(x.PersonID).Name + " " + newsroom.SayWhat(x.Say), Text: x.Text, Tone: verdictTone(x.Say)}
		if x.Older {
			line.When += ", on an older version"
		}
		v.Past = append(v.Past, line)
	}
	if v.Edits {
		v.People = b.OnDesk(p.DeskID)
	}
	return v, nil
}

// verdictTone is the tone in which a verdict is shown.
func verdictTone(s relay.Say) string {
	if s == relay.NotYet {
		return "noroom"
	}
	return "good"
}

// reviewerSays says how it stands with somebody who is asked.
func reviewerSays(b *newsroom.Setup, d ref.Desk, state relay.State, y review.VoiceSheet) reviewerView {
	a := reviewerView{ID: y.ID, Name: b.Person(y.PersonID).Name, Says: "is asked when it begins", Tone: "plain"}
	switch {
	case y.Verdict.ID != 0:
		a.Says, a.Tone = newsroom.SayWhat(y.Verdict.Say)+" "+b.At(y.Verdict.At, d), verdictTone(y.Verdict.Say)
	case y.Turn && y.OpenedAt != 0 && y.OpenedAt >= y.AskedAt:
		a.Says, a.Nudge, a.Tone = "has read it "+b.At(y.OpenedAt, d)+", and said nothing yet", y.ID != 0, "noroom"
	case y.Turn:
		a.Says, a.Nudge, a.Tone = "asked "+b.At(y.AskedAt, d)+", not opened yet", y.ID != 0, "noroom"
		if y.ID == 0 {
			a.Says = "has it since " + b.At(y.AskedAt, d)
		}
	case state == relay.Running:
		a.Says = "is asked after the others"
	}
	if b.Person(y.PersonID).Guest {
		a.More = "by private link"
	}
	if y.For != 0 {
		a.More = b.Name(y.For) + " stands in"
	}
	return a
}
