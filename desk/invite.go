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
	"greenbaton/store"
)

// Invite is the order to ask somebody about a piece.
type Invite struct {
	Piece      int64
	Leg        string // that waits for their verdict; none only asks them to read
	Person     int64  // somebody of the house or of a partner; 0 is somebody by name and mail address
	Name, Mail string
	May        string
	Note       string
	Ends       day.Date // the last day on which their link opens; none is as long as the leg runs
	Instead    int64    // of whom, who was to give the verdict; 0 is beside all who are
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
		l := was.Leg(o.Leg)
		if o.Instead != 0 {
			if err := a.replace(&was.Piece, l, &o, &r); err != nil {
				return err
			}
		}
		if id, err = a.tx.SaveReviewer(a, r); err != nil {
			return err
		}
		r.ID = id
		a.put.pieces[was.ID] = was.Piece // so that open pages look again
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
		if o.Instead != 0 {
			what += ", in place of " + a.b.Person(o.Instead).Name
		}
		return a.log(store.Entry{DeskID: was.DeskID, PieceID: was.ID, Act: "invited", What: what, Why: o.Note, Version: was.Version})
	})
	return id, err
}

// replace lets a reviewer give the verdict that somebody else was asked for in a leg, and
// tells who was.
func (a *act) replace(p *relay.Piece, l *relay.Leg, o *Invite, r *store.Reviewer) error {
	if l == nil {
		return bad("instead", "Choose the verdict that they give in place of somebody.")
	}
	vs, err := a.voicesOf(p, l)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(vs, func(v voice) bool { return v.PersonID == o.Instead })
	if i < 0 || vs[i].Verdict.ID != 0 {
		return bad("instead", "%s is not asked for a verdict in %s, or has given it. Look again at who is.", a.b.Person(o.Instead).Name, l.Name)
	}
	was := vs[i].Reviewer
	r.Instead = was.ID == 0 || was.Instead
	if was.ID != 0 {
		r.Place = was.Place
		if err := a.askNoMore(was); err != nil {
			return err
		}
	}
	return a.tellNoMore(p, l, was, " "+a.b.nameOr(r.PersonID, o.Name)+" gives it in your place.")
}

// askNoMore ends that a reviewer is asked; their links are dead at once.
func (a *act) askNoMore(r store.Reviewer) error {
	if r.RevokedAt = a.now; r.RevokedAt == 0 {
		r.RevokedAt = 1
	}
	if _, err := a.tx.SaveReviewer(a, r); err != nil {
		return err
	}
	return a.revokeLinks(store.LinkReview, r.ID)
}

// tellNoMore tells somebody who was asked about a piece that they no longer are.
func (a *act) tellNoMore(p *relay.Piece, l *relay.Leg, r store.Reviewer, then string) error {
	if r.AskedAt == 0 || r.PersonID == a.by || l != nil && l.State != relay.Running {
		return nil // they have not heard of it, or it does not wait for them
	}
	to := a.b.Person(r.PersonID)
	text := fmt.Sprintf("Your verdict on “%s” is no longer asked for.", p.Title) + then
	if l == nil {
		text = fmt.Sprintf("%s no longer asks you to read “%s”.", a.b.Desk(p.DeskID).Name, p.Title)
	}
	if !to.Guest {
		return a.send(p, note{to: to.ID, kind: "verdict", text: text, mail: true})
	}
	return a.tx.AddMessage(a, store.Message{
		Key: fmt.Sprintf("review %d no more", r.ID), Kind: "mail", PieceID: p.ID, To: address(to), Subject: fmt.Sprintf("Nothing more is asked of you on “%s”", p.Title),
		Body: text + "\n\nThe link that you had opens nothing any more. Thank you.\n", At: a.now,
	})
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
	if l != nil && slices.ContainsFunc(a.b.voices(p, l, asked, nil), func(v voice) bool { return v.ID == 0 && v.PersonID == r.PersonID }) {
		return r, bad("mail", "%s has %s, and gives a verdict by that.", a.b.nameOr(r.PersonID, o.Name), l.Name)
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

// Uninvite no longer asks somebody, and tells them: their links are dead at once, their
// verdicts stay. Where nobody is asked in place of the holder then, the holder is.
func (h *House) Uninvite(ctx context.Context, by, piece, id int64) error {
	return h.onReviewer(ctx, by, piece, id, func(a *act, was store.Row, r store.Reviewer) (string, error) {
		l := was.Leg(r.Leg)
		waited, err := a.holderWaits(&was.Piece, l)
		if err != nil {
			return "", err
		}
		if err := a.askNoMore(r); err != nil {
			return "", err
		}
		if err := a.tellNoMore(&was.Piece, l, r, ""); err != nil {
			return "", err
		}
		waits, err := a.holderWaits(&was.Piece, l)
		if err == nil && waits && !waited && l.Holder != a.by {
			err = a.send(&was.Piece, note{to: l.Holder, kind: "verdict", text: fmt.Sprintf("Your verdict on “%s” is asked for: nobody else gives it now.", was.Title), link: fmt.Sprintf("/pieces/%d/review", was.ID), mail: true})
		}
		return "no longer asks " + a.b.Person(r.PersonID).Name, err
	})
}

// holderWaits reports whether a running leg waits for the verdict of its holder.
func (a *act) holderWaits(p *relay.Piece, l *relay.Leg) (bool, error) {
	if l == nil || l.State != relay.Running {
		return false, nil
	}
	vs, err := a.voicesOf(p, l)
	return slices.ContainsFunc(vs, func(v voice) bool { return v.ID == 0 && v.Verdict.ID == 0 }), err
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
