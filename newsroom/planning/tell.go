package planning

import (
	"fmt"

	"greenbaton/core/english"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/notify"
	"greenbaton/store"
)

// Register registers what follows here from what others do.
func Register(h *newsroom.Newsroom) {
	h.Hooks.Moved = append(h.Hooks.Moved, func(a *newsroom.Command, _ relay.Piece, m relay.Move) error { return tell(a, m) })
	h.Hooks.Moved = append(h.Hooks.Moved, derive)
	h.Hooks.Day = append(h.Hooks.Day, loseIdle)
	h.Hooks.Before = append(h.Hooks.Before, Moves{h}.remind)
	h.Hooks.Restore = append(h.Hooks.Restore, restoreBrief)
	h.Hooks.Keeps = append(h.Hooks.Keeps, newsroom.Keep{Key: "sketches", Name: "Sketches that were kept under no name", Says: "Nothing of them was done; those with a name stay.", Days: 60, Least: 7, Drop: (*store.Tx).DropSketches})
	h.Hooks.Undo = append(h.Hooks.Undo, undoMade, undoChosen)
}

// tell puts into inboxes and the outbox what a move means for other people.
func tell(a *newsroom.Command, m relay.Move) error {
	for _, e := range m.Events {
		for _, n := range notes(a, &m.Piece, e) {
			if a.Told != nil {
				a.Told[n.To]++
				continue
			}
			if err := a.Send(&m.Piece, n); err != nil {
				return err
			}
		}
	}
	return notify.AnnounceEvents(a, m)
}

// notes says who is told what about an event.
func notes(a *newsroom.Command, p *relay.Piece, e relay.Event) []newsroom.Note {
	l := p.Leg(e.Leg)
	by := newsroom.First(a.Setup.Actor(a.Actor))
	owner := func(text string, mail bool) []newsroom.Note {
		return []newsroom.Note{newsroom.NoteTo(p.Owner, string(e.Kind), text, e.Why, mail)}
	}
	switch e.Kind {
	case relay.Began:
		if e.To == 0 {
			return owner(notify.Worded(a, "nobody", l.Name+" has begun and nobody has it yet.", p, l, e), false)
		}
		n := newsroom.NoteTo(e.To, "handoff", notify.Worded(a, "handoff", fmt.Sprintf("%s is with you, from %s.%s", l.Name, by, Due(a.Setup, p, l)), p, l, e), e.Why, true)
		n.Link = reviewLink(a, p, l)
		return Others(a, n)
	case relay.SentBack:
		return Others(a, newsroom.NoteTo(e.To, "sent back", notify.Worded(a, "sent back", fmt.Sprintf("It came back to you from %s, for %s.", by, l.Name), p, l, e), e.Why, true))
	case relay.Reset:
		return Others(a, newsroom.NoteTo(e.To, "reset", fmt.Sprintf("The piece was sent back; %s waits again and will come round to you.", l.Name), "", false))
	case relay.Given:
		out := []newsroom.Note{}
		if e.To != 0 && l.State == relay.Running {
			out = append(out, newsroom.NoteTo(e.To, "handoff", fmt.Sprintf("%s is with you, given by %s.%s", l.Name, by, Due(a.Setup, p, l)), e.Why, true))
		} else if e.To != 0 {
			out = append(out, newsroom.NoteTo(e.To, "given", fmt.Sprintf("%s will come to you, by %s.", l.Name, by), e.Why, false))
		}
		if e.From != 0 {
			out = append(out, newsroom.NoteTo(e.From, "given", fmt.Sprintf("%s is no longer with you; %s gave it to %s.", l.Name, by, a.Setup.Name(e.To)), e.Why, false))
		}
		return Others(a, out...)
	case relay.Added:
		if e.To != 0 && l.State == relay.Waiting {
			return Others(a, newsroom.NoteTo(e.To, "given", fmt.Sprintf("%s will come to you when it is out, by %s.", l.Name, by), "", false))
		}
	case relay.Unscheduled:
		out := owner("It is scheduled no more, and does not go out by itself until it is again.", true)
		if e.From != 0 && e.From != p.Owner {
			n := out[0]
			n.To = e.From
			out = append(out, n)
		}
		for i := range out {
			out[i].Link = SheetLink(p.ID)
		}
		return Others(a, out...)
	case relay.Closed:
		return Others(a, owner("Nothing is left to do at it.", false)...)
	case relay.Removed:
		if e.From != 0 {
			return Others(a, newsroom.NoteTo(e.From, "given", fmt.Sprintf("The route changed; %s is no longer run, and nothing of it is with you.", l.Name), "", false))
		}
	case relay.Recalled:
		return Others(a, newsroom.NoteTo(e.From, "reset", fmt.Sprintf("%s took back what brought %s to you; it is not with you for now.", by, l.Name), "", false))
	case relay.Taken:
		out := owner(fmt.Sprintf("%s took %s.", by, l.Name), false)
		for _, id := range whomFor(a.Setup, p, l) {
			out = append(out, newsroom.NoteTo(id, "offer", fmt.Sprintf("%s took %s a moment ago. Thank you for looking at it; the next one may be yours.", by, l.Name), "", false))
		}
		return Others(a, out...)
	case relay.Offered, relay.GaveBack, relay.Lost:
		return Others(a, offered(a, p, l, e)...)
	case relay.AllPassed:
		return Others(a, owner(notify.Worded(a, "ready", "All legs are passed. It goes out "+a.Setup.At(p.GoesOut, p.DeskID)+".", p, nil, e), false)...)
	case relay.WentOut:
		return Others(a, owner(notify.Worded(a, "out", "It is out on "+a.Setup.Channel(p.ChannelID).Name+".", p, nil, e), false)...)
	case relay.Missed:
		return leads(a, p, newsroom.NoteTo(0, "missed", notify.Worded(a, "missed", "It was not ready at its time and did not go out. "+waits(a, p), p, nil, e), e.Why, true))
	case relay.Withdrew:
		return Others(a, leads(a, p, newsroom.NoteTo(0, "withdrawn", fmt.Sprintf("%s withdrew it from %s.", by, a.Setup.Channel(p.ChannelID).Name), e.Why, false))...)
	}
	return nil
}

// reviewLink is where an outside holder of a leg that signs off says yes or no.
func reviewLink(a *newsroom.Command, p *relay.Piece, l *relay.Leg) string {
	if l.SignOff && a.Setup.Person(l.Holder).Access.May(relay.AnswerAsked) {
		return fmt.Sprintf("/pieces/%d/review", p.ID)
	}
	return ""
}

// Due says when a leg is due, as it goes on after another sentence.
func Due(b *newsroom.Setup, p *relay.Piece, l *relay.Leg) string {
	switch {
	case l.Due == 0:
		return ""
	case l.StartedAt != 0 && l.Since(b.Zones[p.DeskID]) > l.Due:
		return " By the plan it was due " + english.Date(l.Due) + ", before it came to them."
	}
	if keeps := b.Planned[p.DeskID].Keeps(l); keeps != l.Due {
		return fmt.Sprintf(" Due %s, a day on which %s does not work; %s is the last one before it.", english.Date(l.Due), b.Name(l.Holder), english.Date(keeps))
	}
	return " Due " + english.Date(l.Due) + "."
}

// waits says what a piece that is not ready waits for.
func waits(a *newsroom.Command, p *relay.Piece) string {
	var xs []string
	for _, l := range p.Running() {
		xs = append(xs, l.Name+" with "+a.Setup.Name(l.Holder))
	}
	if len(xs) == 0 {
		return ""
	}
	return "It waits for " + english.And(xs) + "."
}

// Others leaves out what would only tell people what they did themselves.
func Others(a *newsroom.Command, ns ...newsroom.Note) []newsroom.Note {
	out := ns[:0]
	for _, n := range ns {
		if n.To != a.Actor {
			out = append(out, n)
		}
	}
	return out
}

// leads addresses a note to the owner of a piece and the leads of its desk.
func leads(a *newsroom.Command, p *relay.Piece, n newsroom.Note) []newsroom.Note {
	n.To = p.Owner
	out := []newsroom.Note{n}
	for _, id := range a.Setup.Leads(p.DeskID) {
		if n.To = id; id != p.Owner {
			out = append(out, n)
		}
	}
	return out
}
