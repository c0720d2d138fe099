package review

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/english"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// voice is somebody who is asked for a verdict on the present run of a leg, and what
// they said. The holder of the leg is one, unless somebody is asked in their place.
type voice struct {
	store.Reviewer
	Verdict store.Verdict // without an id while there is none
}

// voices gives those who are asked about a leg, in their order.
func voices(b *newsroom.Setup, p *relay.Piece, l *relay.Leg, asked []store.Reviewer, said []store.Verdict) []voice {
	var out []voice
	for _, r := range asked {
		if r.Leg == l.Key && r.RevokedAt == 0 {
			out = append(out, voice{Reviewer: r})
		}
	}
	replaced := slices.ContainsFunc(out, func(v voice) bool { return v.Instead || v.PersonID == l.Holder })
	if l.Holder != 0 && !replaced {
		out = append([]voice{{Reviewer: store.Reviewer{PieceID: p.ID, Leg: l.Key, PersonID: l.Holder, May: store.MayComment, AskedAt: l.StartedAt, Run: l.Run}}}, out...)
	}
	for _, v := range said {
		for i := range out {
			if v.Leg == l.Key && v.Run == l.Run && v.ReviewerID == out[i].ID && v.PersonID == out[i].PersonID {
				out[i].Verdict = v
			}
		}
	}
	return out
}

// review is how a leg of a piece is signed off, by its route.
func review(b *newsroom.Setup, p *relay.Piece, leg string) route.Review {
	if l := b.Route(p.RouteID).Way.Leg(leg); l != nil {
		return l.Review
	}
	return route.Review{}
}

func spoken(vs []voice) []relay.Voice {
	out := make([]relay.Voice, len(vs))
	for i, v := range vs {
		out[i] = relay.Voice{Person: v.PersonID, Said: v.Verdict.Say}
	}
	return out
}

// voicesOf reads those who are asked about a leg.
func voicesOf(a *newsroom.Command, p *relay.Piece, l *relay.Leg) ([]voice, error) {
	asked, err := store.ReviewersOf(a, a.Tx, p.ID)
	if err != nil {
		return nil, err
	}
	said, err := store.VerdictsOf(a, a.Tx, p.ID)
	return voices(a.Setup, p, l, asked, said), err
}

// standsIn gives who says yes or no in place of somebody on a date: they themselves, or
// while they are away whoever stands in for them.
func standsIn(b *newsroom.Setup, person ref.Person, on day.Date) ref.Person {
	for _, x := range b.Absences {
		if x.PersonID == person && x.FromDay <= on && on <= x.ToDay && x.StandIn != 0 && !b.Person(x.StandIn).Retired {
			return x.StandIn
		}
	}
	return person
}

// SetStandIn says who stands in for somebody while they are away.
func (h Room) SetStandIn(ctx context.Context, by ref.Person, absence ref.Absence, standIn ref.Person) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		i := slices.IndexFunc(a.Setup.Absences, func(x store.Absence) bool { return x.ID == absence })
		if i < 0 {
			return newsroom.ErrNotFound
		}
		x := a.Setup.Absences[i]
		if err := planning.MayTakeOff(a.Setup, by, x.PersonID); err != nil {
			return err
		}
		p := a.Setup.Person(x.PersonID)
		if standIn != 0 && (standIn == p.ID || !a.Setup.Available(standIn, p.Desks[0])) {
			return newsroom.Invalid("standin", "Choose somebody else of the desk.")
		}
		a.SetUp = true
		if err := a.Tx.SetStandIn(a, absence, standIn); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: p.Desks[0], Act: "set up", What: fmt.Sprintf("noted that %s stands in for %s from %s to %s", a.Setup.Name(standIn), p.Name, english.Date(x.FromDay), english.Date(x.ToDay))})
	})
}

// Register registers what follows here from what others do.
func Register(h *newsroom.Newsroom) {
	h.Hooks.Gates = append(h.Hooks.Gates, ownVerdict)
	h.Hooks.Held = append(h.Hooks.Held, holds)
	h.Hooks.Moved = append(h.Hooks.Moved, func(a *newsroom.Command, _ relay.Piece, m relay.Move) error { return beginReviews(a, m) })
	h.Hooks.Undo = append(h.Hooks.Undo, undoEdits)
}

// beginReviews asks for the verdicts that legs of a piece wait for which have just begun.
func beginReviews(a *newsroom.Command, m relay.Move) error {
	for _, e := range m.Events {
		l := m.Piece.Leg(e.Leg)
		if e.Kind != relay.Began && e.Kind != relay.SentBack || l == nil || !l.SignOff {
			continue
		}
		asked, err := store.ReviewersOf(a, a.Tx, m.Piece.ID)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(asked, func(r store.Reviewer) bool { return r.Leg == l.Key }) {
			for i, id := range review(a.Setup, &m.Piece, l.Key).By {
				if a.Setup.Person(id).Retired {
					continue
				}
				if _, err := a.Tx.SaveReviewer(a, store.Reviewer{PieceID: m.Piece.ID, Leg: l.Key, PersonID: id, Place: i, May: store.MayComment, AskedBy: m.Piece.Owner, Instead: true}); err != nil {
					return err
				}
			}
		}
		if err := askTurns(a, &m.Piece, l); err != nil {
			return err
		}
	}
	return nil
}

// askTurns asks those whose turn it is and who were not asked yet in this run.
func askTurns(a *newsroom.Command, p *relay.Piece, l *relay.Leg) error {
	vs, err := voicesOf(a, p, l)
	if err != nil {
		return err
	}
	for _, i := range relay.Turns(spoken(vs), review(a.Setup, p, l.Key).InOrder) {
		if v := vs[i]; v.ID != 0 && (v.AskedAt == 0 || v.Run != l.Run) {
			if err := askReviewer(a, p, l, v.Reviewer); err != nil {
				return err
			}
		}
	}
	return nil
}

// askReviewer tells a reviewer that they are asked, by mail with a private link where
// they have no account.
func askReviewer(a *newsroom.Command, p *relay.Piece, l *relay.Leg, r store.Reviewer) error {
	again := r.AskedAt != 0
	r.AskedAt = a.Now
	if l != nil {
		r.Run = l.Run
	}
	if _, err := a.Tx.SaveReviewer(a, r); err != nil {
		return err
	}
	return tellReviewer(a, p, l, r, again)
}

func tellReviewer(a *newsroom.Command, p *relay.Piece, l *relay.Leg, r store.Reviewer, again bool) error {
	to := a.Setup.Person(standsIn(a.Setup, r.PersonID, a.Now.Date(a.Setup.Zones[p.DeskID])))
	if to.ID == 0 { // made in this command
		var err error
		if to, err = store.PersonAt(a, a.Tx, r.PersonID); err != nil {
			return err
		}
	}
	desk := a.Setup.Desk(p.DeskID).Name
	text := fmt.Sprintf("%s asks for your verdict on “%s”.", desk, p.Title)
	switch {
	case l == nil:
		text = fmt.Sprintf("%s asks you to read “%s”.", desk, p.Title)
	case again:
		text = fmt.Sprintf("“%s” comes to you once more; you see what changed since.", p.Title)
	}
	if l != nil {
		text += planning.Due(a.Setup, p, l)
	}
	if to.ID != r.PersonID {
		text += fmt.Sprintf(" You stand in for %s.", a.Setup.Person(r.PersonID).Name)
	}
	note := newsroom.Note{To: to.ID, Kind: "verdict", Text: text, Why: r.Note, Mail: true, Link: fmt.Sprintf("/pieces/%d/review", p.ID)}
	if !to.Guest {
		return a.Send(p, note)
	}
	by := a.Setup.Person(p.Owner)
	var body strings.Builder
	fmt.Fprintf(&body, "%s\n", text)
	if r.Note != "" {
		fmt.Fprintf(&body, "\n%s writes: %s\n", by.Name, r.Note)
	}
	fmt.Fprintf(&body, "\nRead it here: %s\n\nThe link is for you alone and needs no password.", account.LinkPlace)
	if r.Ends != 0 {
		fmt.Fprintf(&body, " It opens until %s.", a.Setup.At(r.Ends, p.DeskID))
	}
	return a.Tx.AddMessage(a, store.Message{
		Key:  fmt.Sprintf("review %d run %d at %d", r.ID, r.Run, a.Now),
		Kind: "mail", PieceID: p.ID, To: newsroom.Address(to), Subject: text[:strings.IndexAny(text, ".;")], Body: body.String(), At: a.Now, LinkKind: store.LinkReview, LinkAbout: int64(r.ID),
	})
}
