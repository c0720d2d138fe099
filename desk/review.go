package desk

import (
	"context"
	"errors"
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
// they said. Where nobody is asked by name, it is the holder of the leg.
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
	if len(out) == 0 && l.Holder != 0 {
		out = []voice{{Reviewer: store.Reviewer{PieceID: p.ID, Leg: l.Key, PersonID: l.Holder, May: store.MayComment, AskedAt: l.StartedAt, Run: l.Run}}}
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
				if _, err := a.tx.SaveReviewer(a, store.Reviewer{PieceID: m.Piece.ID, Leg: l.Key, PersonID: id, Place: i, May: store.MayComment, AskedBy: m.Piece.Owner}); err != nil {
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
		text += due(l)
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

// Invite is the order to ask somebody about a piece.
type Invite struct {
	Piece      int64
	Leg        string // that waits for their verdict; none only asks them to read
	Person     int64  // somebody of the house or of a partner; 0 is somebody by name and mail address
	Name, Mail string
	May        string
	Note       string
	Ends       day.Date // the last day on which their link opens; none is as long as the leg runs
}

// Invite asks somebody about a piece, for its owner and leads. Whoever has no account gets
// a private link by mail. It gives the number under which they are asked.
func (h *House) Invite(ctx context.Context, by int64, o Invite) (int64, error) {
	var id int64
	err := h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{act: relay.ActPlan, piece: o.Piece})
		if err != nil {
			return err
		}
		r, err := a.checkInvite(&was.Piece, &o)
		if err != nil {
			return err
		}
		if id, err = a.tx.SaveReviewer(a, r); err != nil {
			return err
		}
		r.ID = id
		a.put.pieces[was.ID] = was.Piece // so that open pages look again
		l := was.Leg(o.Leg)
		switch {
		case o.Leg == "":
			err = a.askReviewer(&was.Piece, nil, r)
		case l.State == relay.Running:
			err = a.askTurns(&was.Piece, l)
		}
		if err != nil {
			return err
		}
		what := "asked " + a.b.nameOr(r.PersonID, o.Name) + " to read it"
		if l != nil {
			what = "asked " + a.b.nameOr(r.PersonID, o.Name) + " for a verdict in " + l.Name
		}
		return a.log(store.Entry{DeskID: was.DeskID, PieceID: was.ID, Act: "invited", What: what, Why: o.Note, Version: was.Version})
	})
	return id, err
}

// nameOr names somebody whom the books may not know yet.
func (b *Books) nameOr(id int64, name string) string {
	if n := b.Person(id).Name; n != "" {
		return n
	}
	return name
}

func (a *act) checkInvite(p *relay.Piece, o *Invite) (store.Reviewer, error) {
	o.Name, o.Mail, o.Note = strings.Join(strings.Fields(o.Name), " "), strings.ToLower(strings.TrimSpace(o.Mail)), strings.TrimSpace(strings.ReplaceAll(o.Note, "\r\n", "\n"))
	r := store.Reviewer{PieceID: p.ID, Leg: o.Leg, PersonID: o.Person, May: o.May, Note: o.Note, AskedBy: a.by}
	l := p.Leg(o.Leg)
	switch {
	case p.Stage != relay.UnderWay:
		return r, &relay.Refusal{Reason: relay.ErrNotNow, Text: "The piece is " + string(p.Stage) + "; nobody is asked about it any more."}
	case o.Leg != "" && (l == nil || !l.SignOff || l.Done()):
		return r, bad("leg", "Choose a leg that signs the copy off and is not over, or ask them only to read.")
	case r.May != store.MayRead && r.May != store.MayComment:
		return r, bad("may", "Say whether they may read, or read and comment.")
	case len([]rune(o.Note)) > 1_000:
		return r, bad("note", "Keep the note under 1,000 characters.")
	}
	zone := a.b.Zones[p.DeskID]
	if o.Ends != 0 {
		if o.Ends < a.now.Date(zone) {
			return r, bad("ends", "This day is past. Choose a later one, or leave it open.")
		}
		r.Ends = day.Wall(o.Ends+1, 0, zone)
	}
	if r.PersonID == 0 {
		var err error
		if r.PersonID, err = a.guest(o); err != nil {
			return r, err
		}
	} else if x := a.b.Person(r.PersonID); !x.Guest && !a.b.available(r.PersonID, p.DeskID) {
		return r, bad("person", "This person does not belong to the desk. Choose somebody else, or ask them by their mail address.")
	}
	asked, err := store.ReviewersOf(a, a.tx, p.ID)
	if err != nil {
		return r, err
	}
	for _, x := range asked {
		if x.PersonID == r.PersonID && x.Leg == r.Leg && x.RevokedAt == 0 {
			return r, bad("mail", "%s is asked about this already.", a.b.nameOr(r.PersonID, o.Name))
		}
		r.Place = max(r.Place, x.Place+1)
	}
	return r, nil
}

// guest gives the person with a mail address, who is made as one without an account where
// there is none.
func (a *act) guest(o *Invite) (int64, error) {
	if o.Name == "" || len([]rune(o.Name)) > 80 {
		return 0, bad("name", "Say who they are, in up to 80 characters.")
	}
	x, err := mail.ParseAddress(o.Mail)
	if err != nil || x.Address != o.Mail || len(o.Mail) > 200 {
		return 0, bad("mail", "Write their mail address, like joan@skelder.example.")
	}
	for _, p := range a.b.People {
		if strings.EqualFold(p.Mail, o.Mail) {
			if p.Retired {
				return 0, bad("mail", "%s no longer works with the house. Ask somebody else.", p.Name)
			}
			return p.ID, nil
		}
	}
	a.setUp = true
	return a.tx.AddPerson(a, store.Person{Name: o.Name, Initials: Initials(o.Name), Mail: o.Mail, Access: relay.Outside, Hours: "0,0,0,0,0,0,0", Guest: true})
}

// onReviewer carries out an act on one who is asked about a piece, for owner and leads.
func (h *House) onReviewer(ctx context.Context, by, piece, id int64, f func(*act, store.Row, store.Reviewer) (what string, err error)) error {
	return h.act(ctx, by, func(a *act) error {
		was, err := a.load(order{act: relay.ActPlan, piece: piece})
		if err != nil {
			return err
		}
		r, err := store.ReviewerAt(a, a.tx, id)
		if errors.Is(err, store.ErrNone) || err == nil && (r.PieceID != piece || r.RevokedAt != 0) {
			return ErrNotFound
		} else if err != nil {
			return err
		}
		what, err := f(a, was, r)
		if err != nil {
			return err
		}
		a.put.pieces[piece] = was.Piece
		return a.log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "invited", What: what, Version: was.Version})
	})
}

// Uninvite no longer asks somebody: their links are dead at once, their verdicts stay.
// If what the others said suffices then, the piece goes on.
func (h *House) Uninvite(ctx context.Context, by, piece, id int64) error {
	return h.onReviewer(ctx, by, piece, id, func(a *act, was store.Row, r store.Reviewer) (string, error) {
		if r.RevokedAt = a.now; r.RevokedAt == 0 {
			r.RevokedAt = 1
		}
		if _, err := a.tx.SaveReviewer(a, r); err != nil {
			return "", err
		}
		if err := a.revokeLinks(store.LinkReview, r.ID); err != nil {
			return "", err
		}
		return "no longer asks " + a.b.Person(r.PersonID).Name, nil
	})
}

// Nudge asks somebody once more who has not said anything yet.
func (h *House) Nudge(ctx context.Context, by, piece, id int64) error {
	return h.onReviewer(ctx, by, piece, id, func(a *act, was store.Row, r store.Reviewer) (string, error) {
		l := was.Leg(r.Leg)
		if r.AskedAt == 0 || r.Leg != "" && (l == nil || l.State != relay.Running) {
			return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is not their turn yet; they are asked by themselves when it is."}
		}
		if l != nil {
			vs, err := a.voicesOf(&was.Piece, l)
			if err != nil {
				return "", err
			}
			if slices.ContainsFunc(vs, func(v voice) bool { return v.ID == r.ID && v.Verdict.ID != 0 }) {
				return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "They have given their verdict already."}
			}
		}
		return "reminded " + a.b.Person(r.PersonID).Name, a.tellReviewer(&was.Piece, l, r, false)
	})
}
