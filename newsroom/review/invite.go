package review

import (
	"context"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"

	"greenbaton/core/day"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/account"
	"greenbaton/store"
)

// Invite is the order to ask somebody about a piece.
type Invite struct {
	Piece      ref.Piece
	Leg        string     // that waits for their verdict; none only asks them to read
	Person     ref.Person // somebody of the house or of a partner; 0 is somebody by name and mail address
	Name, Mail string
	May        string
	Note       string
	Ends       day.Date   // the last day on which their link opens; none is as long as the leg runs
	Instead    ref.Person // of whom, who was to give the verdict; 0 is beside all who are
}

// Invite asks somebody about a piece, for its owner and leads. Whoever has no account gets
// a private link by mail. It gives the number under which they are asked.
func (h Room) Invite(ctx context.Context, by ref.Person, o Invite) (ref.Reviewer, error) {
	var id ref.Reviewer
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: o.Piece})
		if err != nil {
			return err
		}
		r, err := checkInvite(a, &was.Piece, &o)
		if err != nil {
			return err
		}
		l := was.Leg(o.Leg)
		if o.Instead != 0 {
			if err := replace(a, &was.Piece, l, &o, &r); err != nil {
				return err
			}
		}
		if id, err = a.Tx.SaveReviewer(a, r); err != nil {
			return err
		}
		r.ID = id
		a.Put.Pieces[was.ID] = was.Piece // so that open pages look again
		switch {
		case o.Leg == "":
			err = askReviewer(a, &was.Piece, nil, r)
		case l.State == relay.Running:
			err = askTurns(a, &was.Piece, l)
		}
		if err != nil {
			return err
		}
		what := "asked " + nameOr(a.Setup, r.PersonID, o.Name) + " to read it"
		if l != nil {
			what = "asked " + nameOr(a.Setup, r.PersonID, o.Name) + " for a verdict in " + l.Name
		}
		if o.Instead != 0 {
			what += ", in place of " + a.Setup.Person(o.Instead).Name
		}
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: was.ID, Act: "invited", What: what, Why: o.Note, Version: was.Version})
	})
	return id, err
}

// replace lets a reviewer give the verdict that somebody else was asked for in a leg, and
// tells who was.
func replace(a *newsroom.Command, p *relay.Piece, l *relay.Leg, o *Invite, r *store.Reviewer) error {
	if l == nil {
		return newsroom.Invalid("instead", "Choose the verdict that they give in place of somebody.")
	}
	vs, err := voicesOf(a, p, l)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(vs, func(v voice) bool { return v.PersonID == o.Instead })
	if i < 0 || vs[i].Verdict.ID != 0 {
		return newsroom.Invalid("instead", "%s is not asked for a verdict in %s, or has given it. Look again at who is.", a.Setup.Person(o.Instead).Name, l.Name)
	}
	was := vs[i].Reviewer
	r.Instead = was.ID == 0 || was.Instead
	if was.ID != 0 {
		r.Place = was.Place
		if err := askNoMore(a, was); err != nil {
			return err
		}
	}
	return tellNoMore(a, p, l, was, " "+nameOr(a.Setup, r.PersonID, o.Name)+" gives it in your place.")
}

// askNoMore ends that a reviewer is asked; their links are dead at once.
func askNoMore(a *newsroom.Command, r store.Reviewer) error {
	if r.RevokedAt = a.Now; r.RevokedAt == 0 {
		r.RevokedAt = 1
	}
	if _, err := a.Tx.SaveReviewer(a, r); err != nil {
		return err
	}
	return account.RevokeLinks(a, store.LinkReview, int64(r.ID))
}

// tellNoMore tells somebody who was asked about a piece that they no longer are.
func tellNoMore(a *newsroom.Command, p *relay.Piece, l *relay.Leg, r store.Reviewer, then string) error {
	if r.AskedAt == 0 || r.PersonID == a.Actor || l != nil && l.State != relay.Running {
		return nil // they have not heard of it, or it does not wait for them
	}
	to := a.Setup.Person(r.PersonID)
	text := fmt.Sprintf("Your verdict on “%s” is no longer asked for.", p.Title) + then
	if l == nil {
		text = fmt.Sprintf("%s no longer asks you to read “%s”.", a.Setup.Desk(p.DeskID).Name, p.Title)
	}
	if !to.Guest {
		return a.Send(p, newsroom.Note{To: to.ID, Kind: "verdict", Text: text, Mail: true})
	}
	return a.Tx.AddMessage(a, store.Message{
		Key: fmt.Sprintf("review %d no more", r.ID), Kind: "mail", PieceID: p.ID, To: newsroom.Address(to), Subject: fmt.Sprintf("Nothing more is asked of you on “%s”", p.Title),
		Body: text + "\n\nThe link that you had opens nothing any more. Thank you.\n", At: a.Now,
	})
}

// nameOr names somebody whom the set-up may not know yet.
func nameOr(b *newsroom.Setup, id ref.Person, name string) string {
	if n := b.Person(id).Name; n != "" {
		return n
	}
	return name
}

func checkInvite(a *newsroom.Command, p *relay.Piece, o *Invite) (store.Reviewer, error) {
	o.Name, o.Mail, o.Note = strings.Join(strings.Fields(o.Name), " "), strings.ToLower(strings.TrimSpace(o.Mail)), strings.TrimSpace(strings.ReplaceAll(o.Note, "\r\n", "\n"))
	r := store.Reviewer{PieceID: p.ID, Leg: o.Leg, PersonID: o.Person, May: o.May, Note: o.Note, AskedBy: a.Actor}
	l := p.Leg(o.Leg)
	switch {
	case p.Stage != relay.UnderWay:
		return r, &relay.Refusal{Reason: relay.ErrNotNow, Text: "The piece is " + string(p.Stage) + "; nobody is asked about it any more."}
	case o.Leg != "" && (l == nil || !l.SignOff || l.Done()):
		return r, newsroom.Invalid("leg", "Choose a leg that signs the copy off and is not over, or ask them only to read.")
	case r.May != store.MayRead && r.May != store.MayComment:
		return r, newsroom.Invalid("may", "Say whether they may read, or read and comment.")
	case len([]rune(o.Note)) > 1_000:
		return r, newsroom.Invalid("note", "Keep the note under 1,000 characters.")
	}
	zone := a.Setup.Zones[p.DeskID]
	if o.Ends != 0 {
		if o.Ends < a.Now.Date(zone) {
			return r, newsroom.Invalid("ends", "This day is past. Choose a later one, or leave it open.")
		}
		r.Ends = day.Wall(o.Ends+1, 0, zone)
	}
	if r.PersonID == 0 {
		var err error
		if r.PersonID, err = guest(a, o); err != nil {
			return r, err
		}
	} else if x := a.Setup.Person(r.PersonID); !x.Guest && !a.Setup.Available(r.PersonID, p.DeskID) {
		return r, newsroom.Invalid("person", "This person does not belong to the desk. Choose somebody else, or ask them by their mail address.")
	}
	asked, err := store.ReviewersOf(a, a.Tx, p.ID)
	if err != nil {
		return r, err
	}
	if l != nil && slices.ContainsFunc(voices(a.Setup, p, l, asked, nil), func(v voice) bool { return v.ID == 0 && v.PersonID == r.PersonID }) {
		return r, newsroom.Invalid("mail", "%s has %s, and gives a verdict by that.", nameOr(a.Setup, r.PersonID, o.Name), l.Name)
	}
	for _, x := range asked {
		if x.PersonID == r.PersonID && x.Leg == r.Leg && x.RevokedAt == 0 {
			return r, newsroom.Invalid("mail", "%s is asked about this already.", nameOr(a.Setup, r.PersonID, o.Name))
		}
		r.Place = max(r.Place, x.Place+1)
	}
	return r, nil
}

// guest gives the person with a mail address, who is made as one without an account where
// there is none.
func guest(a *newsroom.Command, o *Invite) (ref.Person, error) {
	if o.Name == "" || len([]rune(o.Name)) > 80 {
		return 0, newsroom.Invalid("name", "Say who they are, in up to 80 characters.")
	}
	x, err := mail.ParseAddress(o.Mail)
	if err != nil || x.Address != o.Mail || len(o.Mail) > 200 {
		return 0, newsroom.Invalid("mail", "Write their mail address, like joan@skelder.example.")
	}
	for _, p := range a.Setup.People {
		if strings.EqualFold(p.Mail, o.Mail) {
			if p.Retired {
				return 0, newsroom.Invalid("mail", "%s no longer works with the house. Ask somebody else.", p.Name)
			}
			return p.ID, nil
		}
	}
	a.SetUp = true
	return a.Tx.AddPerson(a, store.Person{Name: o.Name, Initials: newsroom.Initials(o.Name), Mail: o.Mail, Access: relay.Outside, Hours: "0,0,0,0,0,0,0", Guest: true})
}

// onReviewer carries out a command on one who is asked about a piece, for owner and leads.
func (h Room) onReviewer(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Reviewer, f func(*newsroom.Command, store.Row, store.Reviewer) (what string, err error)) error {
	return h.Do(ctx, by, func(a *newsroom.Command) error {
		was, err := a.Load(newsroom.Order{Act: relay.ActPlan, Piece: piece})
		if err != nil {
			return err
		}
		r, err := store.ReviewerAt(a, a.Tx, id)
		if errors.Is(err, store.ErrNone) || err == nil && (r.PieceID != piece || r.RevokedAt != 0) {
			return newsroom.ErrNotFound
		} else if err != nil {
			return err
		}
		what, err := f(a, was, r)
		if err != nil {
			return err
		}
		a.Put.Pieces[piece] = was.Piece
		return a.Log(store.Entry{DeskID: was.DeskID, PieceID: piece, Act: "invited", What: what, Version: was.Version})
	})
}

// Uninvite no longer asks somebody, and tells them: their links are dead at once, their
// verdicts stay. Where nobody is asked in place of the holder then, the holder is.
func (h Room) Uninvite(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Reviewer) error {
	return h.onReviewer(ctx, by, piece, id, func(a *newsroom.Command, was store.Row, r store.Reviewer) (string, error) {
		l := was.Leg(r.Leg)
		waited, err := holderWaits(a, &was.Piece, l)
		if err != nil {
			return "", err
		}
		if err := askNoMore(a, r); err != nil {
			return "", err
		}
		if err := tellNoMore(a, &was.Piece, l, r, ""); err != nil {
			return "", err
		}
		waits, err := holderWaits(a, &was.Piece, l)
		if err == nil && waits && !waited && l.Holder != a.Actor {
			err = a.Send(&was.Piece, newsroom.Note{To: l.Holder, Kind: "verdict", Text: fmt.Sprintf("Your verdict on “%s” is asked for: nobody else gives it now.", was.Title), Link: fmt.Sprintf("/pieces/%d/review", was.ID), Mail: true})
		}
		return "no longer asks " + a.Setup.Person(r.PersonID).Name, err
	})
}

// holderWaits reports whether a running leg waits for the verdict of its holder.
func holderWaits(a *newsroom.Command, p *relay.Piece, l *relay.Leg) (bool, error) {
	if l == nil || l.State != relay.Running {
		return false, nil
	}
	vs, err := voicesOf(a, p, l)
	return slices.ContainsFunc(vs, func(v voice) bool { return v.ID == 0 && v.Verdict.ID == 0 }), err
}

// Nudge asks somebody once more who has not said anything yet.
func (h Room) Nudge(ctx context.Context, by ref.Person, piece ref.Piece, id ref.Reviewer) error {
	return h.onReviewer(ctx, by, piece, id, func(a *newsroom.Command, was store.Row, r store.Reviewer) (string, error) {
		l := was.Leg(r.Leg)
		if r.AskedAt == 0 || r.Leg != "" && (l == nil || l.State != relay.Running) {
			return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "It is not their turn yet; they are asked by themselves when it is."}
		}
		if l != nil {
			vs, err := voicesOf(a, &was.Piece, l)
			if err != nil {
				return "", err
			}
			if slices.ContainsFunc(vs, func(v voice) bool { return v.ID == r.ID && v.Verdict.ID != 0 }) {
				return "", &relay.Refusal{Reason: relay.ErrNotNow, Text: "They have given their verdict already."}
			}
		}
		return "reminded " + a.Setup.Person(r.PersonID).Name, tellReviewer(a, &was.Piece, l, r, false)
	})
}
