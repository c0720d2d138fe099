package desk

import (
	"fmt"
	"strings"

	"greenbaton/core/relay"
	"greenbaton/store"
)

func registerPlanning(h *House) {
	h.Hooks.Moved = append(h.Hooks.Moved, func(a *act, _ relay.Piece, m relay.Move) error { return a.tell(m) })
	h.Hooks.Day = append(h.Hooks.Day, (*act).loseIdle)
	h.Hooks.Restore = append(h.Hooks.Restore, (*act).restoreBrief)
	h.Hooks.Undo = append(h.Hooks.Undo, (*act).undoMade, (*act).undoChosen)
}

// note is what one person is told about a piece.
type note struct {
	to   int64
	kind string
	text string
	why  string
	mail bool
	link string // where it leads, when not to the piece
}

func noteTo(to int64, kind, text, why string, mail bool) note {
	return note{to: to, kind: kind, text: text, why: why, mail: mail}
}

// tell puts into inboxes and the outbox what a move means for other people.
func (a *act) tell(m relay.Move) error {
	for _, e := range m.Events {
		for _, n := range a.notes(&m.Piece, e) {
			if a.told != nil {
				a.told[n.to]++
				continue
			}
			if err := a.send(&m.Piece, n); err != nil {
				return err
			}
		}
	}
	return a.announceEvents(m)
}

// notes says who is told what about an event.
func (a *act) notes(p *relay.Piece, e relay.Event) []note {
	l := p.Leg(e.Leg)
	by := First(a.b.actor(a.by))
	owner := func(text string, mail bool) []note { return []note{noteTo(p.Owner, string(e.Kind), text, e.Why, mail)} }
	switch e.Kind {
	case relay.Began:
		if e.To == 0 {
			return owner(a.worded("nobody", l.Name+" has begun and nobody has it yet.", p, l, e), false)
		}
		n := noteTo(e.To, "handoff", a.worded("handoff", fmt.Sprintf("%s is with you, from %s.%s", l.Name, by, a.b.due(p, l)), p, l, e), e.Why, true)
		n.link = a.reviewLink(p, l)
		return a.others(n)
	case relay.SentBack:
		return a.others(noteTo(e.To, "sent back", a.worded("sent back", fmt.Sprintf("It came back to you from %s, for %s.", by, l.Name), p, l, e), e.Why, true))
	case relay.Reset:
		return a.others(noteTo(e.To, "reset", fmt.Sprintf("The piece was sent back; %s waits again and will come round to you.", l.Name), "", false))
	case relay.Given:
		out := []note{}
		if e.To != 0 && l.State == relay.Running {
			out = append(out, noteTo(e.To, "handoff", fmt.Sprintf("%s is with you, given by %s.%s", l.Name, by, a.b.due(p, l)), e.Why, true))
		} else if e.To != 0 {
			out = append(out, noteTo(e.To, "given", fmt.Sprintf("%s will come to you, by %s.", l.Name, by), e.Why, false))
		}
		if e.From != 0 {
			out = append(out, noteTo(e.From, "given", fmt.Sprintf("%s is no longer with you; %s gave it to %s.", l.Name, by, a.b.Name(e.To)), e.Why, false))
		}
		return a.others(out...)
	case relay.Removed:
		if e.From != 0 {
			return a.others(noteTo(e.From, "given", fmt.Sprintf("The route changed; %s is no longer run, and nothing of it is with you.", l.Name), "", false))
		}
	case relay.Recalled:
		return a.others(noteTo(e.From, "reset", fmt.Sprintf("%s took back what brought %s to you; it is not with you for now.", by, l.Name), "", false))
	case relay.Taken:
		out := owner(fmt.Sprintf("%s took %s.", by, l.Name), false)
		for _, id := range a.b.whomFor(p, l) {
			out = append(out, noteTo(id, "offer", fmt.Sprintf("%s took %s a moment ago. Thank you for looking at it; the next one may be yours.", by, l.Name), "", false))
		}
		return a.others(out...)
	case relay.Offered, relay.GaveBack, relay.Lost:
		return a.others(a.offered(p, l, e)...)
	case relay.AllPassed:
		return a.others(owner(a.worded("ready", "All legs are passed. It goes out "+a.b.At(p.GoesOut, p.DeskID)+".", p, nil, e), false)...)
	case relay.WentOut:
		return a.others(owner(a.worded("out", "It is out on "+a.b.Channel(p.ChannelID).Name+".", p, nil, e), false)...)
	case relay.Missed:
		return a.leads(p, noteTo(0, "missed", a.worded("missed", "It was not ready at its time and did not go out. "+a.waits(p), p, nil, e), e.Why, true))
	case relay.Withdrew:
		return a.others(a.leads(p, noteTo(0, "withdrawn", fmt.Sprintf("%s withdrew it from %s.", by, a.b.Channel(p.ChannelID).Name), e.Why, false))...)
	}
	return nil
}

// reviewLink is where an outside holder of a leg that signs off says yes or no.
func (a *act) reviewLink(p *relay.Piece, l *relay.Leg) string {
	if l.SignOff && a.b.Person(l.Holder).Access.May(relay.AnswerAsked) {
		return fmt.Sprintf("/pieces/%d/review", p.ID)
	}
	return ""
}

func (b *Books) due(p *relay.Piece, l *relay.Leg) string {
	switch {
	case l.Due == 0:
		return ""
	case l.StartedAt != 0 && l.StartedAt.Date(b.Zones[p.DeskID]) > l.Due:
		return " By the plan it was due " + Short(l.Due) + ", before it began."
	}
	return " Due " + Short(l.Due) + "."
}

// waits says what a piece that is not ready waits for.
func (a *act) waits(p *relay.Piece) string {
	var xs []string
	for _, l := range p.Running() {
		xs = append(xs, l.Name+" with "+a.b.Name(l.Holder))
	}
	if len(xs) == 0 {
		return ""
	}
	return "It waits for " + Names(xs) + "."
}

// others leaves out what would only tell people what they did themselves.
func (a *act) others(ns ...note) []note {
	out := ns[:0]
	for _, n := range ns {
		if n.to != a.by {
			out = append(out, n)
		}
	}
	return out
}

// leads addresses a note to the owner of a piece and the leads of its desk.
func (a *act) leads(p *relay.Piece, n note) []note {
	n.to = p.Owner
	out := []note{n}
	for _, id := range a.b.Leads(p.DeskID) {
		if n.to = id; id != p.Owner {
			out = append(out, n)
		}
	}
	return out
}

// send tells somebody of a note, about a piece.
func (a *act) send(p *relay.Piece, n note) error {
	return a.item(store.Item{PersonID: n.to, PieceID: p.ID, Kind: n.kind, Text: n.text, Why: n.why, At: a.now, Link: n.link}, n.mail)
}

func firstSentence(s string) string {
	if i := strings.Index(s, ". "); i >= 0 {
		return s[:i]
	}
	return s
}
