package desk

import (
	"context"
	"fmt"
	"net/mail"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/relay"
	"greenbaton/core/route"
	"greenbaton/store"
)

// voice is somebody who is asked for a verdict on the present run of a leg, and what
// they said. The holder of the leg is one, unless somebody is asked in their place.
type voice struct {
	store.Reviewer
	Verdict store.Verdict // without an id while there is none
}

// voices gives those who are asked about a leg, in their order.
func (b *Books) voices(p *relay.Piece, l *relay.Leg, asked []store.Reviewer, said []store.Verdict) []voice {
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
func (b *Books) review(p *relay.Piece, leg string) route.Review {
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
func (a *act) voicesOf(p *relay.Piece, l *relay.Leg) ([]voice, error) {
	asked, err := store.ReviewersOf(a, a.tx, p.ID)
	if err != nil {
		return nil, err
	}
	said, err := store.VerdictsOf(a, a.tx, p.ID)
	return a.b.voices(p, l, asked, said), err
}

// standsIn gives who says yes or no in place of somebody on a date: they themselves, or
// while they are away whoever stands in for them.
func (b *Books) standsIn(person int64, on day.Date) int64 {
	for _, x := range b.Absences {
		if x.PersonID == person && x.FromDay <= on && on <= x.ToDay && x.StandIn != 0 && !b.Person(x.StandIn).Retired {
			return x.StandIn
		}
	}
	return person
}

// SetStandIn says who stands in for somebody while they are away.
func (h *House) SetStandIn(ctx context.Context, by, absence, standIn int64) error {
	return h.act(ctx, by, func(a *act) error {
		i := slices.IndexFunc(a.b.Absences, func(x store.Absence) bool { return x.ID == absence })
		if i < 0 {
			return ErrNotFound
		}
		x := a.b.Absences[i]
		if err := a.b.mayTakeOff(by, x.PersonID); err != nil {
			return err
		}
		p := a.b.Person(x.PersonID)
		if standIn != 0 && (standIn == p.ID || !a.b.available(standIn, p.Desks[0])) {
			return bad("standin", "Choose somebody else of the desk.")
		}
		a.setUp = true
		if err := a.tx.SetStandIn(a, absence, standIn); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: p.Desks[0], Act: "set up", What: fmt.Sprintf("noted that %s stands in for %s from %s to %s", a.b.Name(standIn), p.Name, Short(x.FromDay), Short(x.ToDay))})
	})
}

func registerReview(h *House) {
	h.Hooks.Gates = append(h.Hooks.Gates, (*act).ownVerdict)
	h.Hooks.Held = append(h.Hooks.Held, (*act).holds)
	h.Hooks.Moved = append(h.Hooks.Moved, (*act).releases, func(a *act, _ relay.Piece, m relay.Move) error { return a.beginReviews(m) })
	h.Hooks.Undo = append(h.Hooks.Undo, (*act).undoEdits)
}

// beginReviews asks for the verdicts that legs of a piece wait for which have just begun.
func (a *act) beginReviews(m relay.Move) error {
	for _, e := range m.Events {
		l := m.Piece.Leg(e.Leg)
		if e.Kind != relay.Began && e.Kind != relay.SentBack || l == nil || !l.SignOff {
			continue
		}
		asked, err := store.ReviewersOf(a, a.tx, m.Piece.ID)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(asked, func(r store.Reviewer) bool { return r.Leg == l.Key }) {
			for i, id := range a.b.review(&m.Piece, l.Key).By {
				if a.b.Person(id).Retired {
					continue
				}
				if _, err := a.tx.SaveReviewer(a, store.Reviewer{PieceID: m.Piece.ID, Leg: l.Key, PersonID: id, Place: i, May: store.MayComment, AskedBy: m.Piece.Owner, Instead: true}); err != nil {
					return err
				}
			}
		}
		if err := a.askTurns(&m.Piece, l); err != nil {
			return err
		}
	}
	return nil
}

// askTurns asks those whose turn it is and who were not asked yet in this run.
func (a *act) askTurns(p *relay.Piece, l *relay.Leg) error {
	vs, err := a.voicesOf(p, l)
	if err != nil {
		return err
	}
	for _, i := range relay.Turns(spoken(vs), a.b.review(p, l.Key).InOrder) {
		if v := vs[i]; v.ID != 0 && (v.AskedAt == 0 || v.Run != l.Run) {
			if err := a.askReviewer(p, l, v.Reviewer); err != nil {
				return err
			}
		}
	}
	return nil
}

// askReviewer tells a reviewer that they are asked, by mail with a private link where
// they have no account.
func (a *act) askReviewer(p *relay.Piece, l *relay.Leg, r store.Reviewer) error {
	again := r.AskedAt != 0
	r.AskedAt = a.now
	if l != nil {
		r.Run = l.Run
	}
	if _, err := a.tx.SaveReviewer(a, r); err != nil {
		return err
	}
	return a.tellReviewer(p, l, r, again)
}

// linkPlace stands in the words of a mail for a private link, which is made when the mail
// is handed to the mail server and is kept nowhere.
const linkPlace = "\x01"

func (a *act) tellReviewer(p *relay.Piece, l *relay.Leg, r store.Reviewer, again bool) error {
	to := a.b.Person(a.b.standsIn(r.PersonID, a.now.Date(a.b.Zones[p.DeskID])))
	if to.ID == 0 { // made in this act
		var err error
		if to, err = store.PersonAt(a, a.tx, r.PersonID); err != nil {
			return err
		}
	}
	desk := a.b.Desk(p.DeskID).Name
	text := fmt.Sprintf("%s asks for your verdict on “%s”.", desk, p.Title)
	switch {
	case l == nil:
		text = fmt.Sprintf("%s asks you to read “%s”.", desk, p.Title)
	case again:
		text = fmt.Sprintf("“%s” comes to you once more; you see what changed since.", p.Title)
	}
	if l != nil {
		text += a.b.due(p, l)
	}
	if to.ID != r.PersonID {
		text += fmt.Sprintf(" You stand in for %s.", a.b.Person(r.PersonID).Name)
	}
	note := note{to: to.ID, kind: "verdict", text: text, why: r.Note, mail: true, link: fmt.Sprintf("/pieces/%d/review", p.ID)}
	if !to.Guest {
		return a.send(p, note)
	}
	by := a.b.Person(p.Owner)
	var body strings.Builder
	fmt.Fprintf(&body, "%s\n", text)
	if r.Note != "" {
		fmt.Fprintf(&body, "\n%s writes: %s\n", by.Name, r.Note)
	}
	fmt.Fprintf(&body, "\nRead it here: %s\n\nThe link is for you alone and needs no password.", linkPlace)
	if r.Ends != 0 {
		fmt.Fprintf(&body, " It opens until %s.", a.b.At(r.Ends, p.DeskID))
	}
	return a.tx.AddMessage(a, store.Message{
		Key:  fmt.Sprintf("review %d run %d at %d", r.ID, r.Run, a.now),
		Kind: "mail", PieceID: p.ID, To: address(to), Subject: text[:strings.IndexAny(text, ".;")], Body: body.String(), At: a.now, LinkKind: store.LinkReview, LinkAbout: r.ID,
	})
}

// address writes somebody as a mail is addressed.
func address(p store.Person) string { return (&mail.Address{Name: p.Name, Address: p.Mail}).String() }
