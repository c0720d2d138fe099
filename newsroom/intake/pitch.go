package intake

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/idea"
	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/newsroom/review"
	"greenbaton/store"
)

// Pitch asks a partner whether a piece is to be made, for leads and staff of the desk. It
// gives the id of the pitch.
func (h Inquiries) Pitch(ctx context.Context, by ref.Person, p store.Pitch) (ref.Pitch, error) {
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		if !planning.MayCreate(a.Who(p.DeskID)) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Leads and staff of the desk pitch to partners."}
		}
		p.Title, p.Text = strings.Join(strings.Fields(p.Title), " "), strings.TrimSpace(strings.ReplaceAll(p.Text, "\r\n", "\n"))
		partner := a.Setup.Person(p.Partner)
		switch {
		case p.Title == "" || len([]rune(p.Title)) > 200:
			return newsroom.Invalid("title", "Give it a title of up to 200 characters.")
		case p.Text == "" || len([]rune(p.Text)) > 1_500:
			return newsroom.Invalid("text", "Say in up to 1,500 characters what it would be, and why with them.")
		case !partner.Access.May(relay.AnswerAsked) || !a.Setup.Available(p.Partner, p.DeskID):
			return newsroom.Invalid("partner", "Choose a partner of the desk.")
		case a.Setup.Format(p.Format).DeskID != p.DeskID || a.Setup.Format(p.Format).Retired:
			return newsroom.Invalid("format", "Choose the format that it would be; it brings the route.")
		}
		if p.IdeaID != 0 {
			if i, err := heldIdea(a, p.IdeaID, idea.ActSee); err != nil {
				return err
			} else if i.State == idea.Used {
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This idea is used already."}
			}
		}
		p.ID, p.State, p.By, p.At, p.PieceID, p.Why = 0, store.Pitched, by, a.Now, 0, ""
		var err error
		if p.ID, err = a.Tx.SavePitch(a, p); err != nil {
			return err
		}
		text := fmt.Sprintf("%s asks whether you want “%s”.", a.Setup.Name(by), p.Title)
		if err := a.Notify(store.Item{PersonID: p.Partner, Kind: "pitch", Text: text, At: a.Now, Link: "/pitches"}, false); err != nil {
			return err
		}
		if err := a.Tx.AddMessage(a, store.Message{
			Key: fmt.Sprintf("pitch %d", p.ID), Kind: "mail", To: fmt.Sprintf("%s <%s>", partner.Name, partner.Mail), Subject: "A piece with you: " + p.Title, At: a.Now,
			Body: fmt.Sprintf("%s\n\n%s\n\nSay yes or no here: %s/pitches\n", p.Title, p.Text, a.Newsroom.Base),
		}); err != nil {
			return err
		}
		return a.Log(store.Entry{DeskID: p.DeskID, Act: "pitched", What: fmt.Sprintf("pitched “%s” to %s", p.Title, partner.Name)})
	})
	return p.ID, err
}

// Pitches gives the pitches of a desk, the newest first: to leads and staff all of them,
// to a partner their own.
func (h Inquiries) Pitches(ctx context.Context, who ref.Person, d ref.Desk) ([]store.Pitch, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return nil, err
	}
	switch w := b.Who(who, d); {
	case planning.MayCreate(w):
		return store.Pitches(ctx, h.DB.View(), "WHERE desk_id = ? ORDER BY state <> 'asked', id DESC LIMIT 200", d)
	case relay.MayHouse(relay.AnswerAsked, w):
		return store.Pitches(ctx, h.DB.View(), "WHERE partner = ? AND desk_id = ? ORDER BY state <> 'asked', id DESC LIMIT 200", who, d)
	}
	return nil, &relay.Refusal{Reason: relay.ErrNotYours, Text: "Pitches are for partners, leads and staff."}
}

// AnswerPitch says yes or no to a pitch: the partner it went to, or a lead who was told
// the answer. A yes makes the piece, on behalf of who pitched it, and passes legs that
// only wait for that yes. It gives the id of the piece, 0 for a no.
func (h Inquiries) AnswerPitch(ctx context.Context, by ref.Person, id ref.Pitch, yes bool, why string) (ref.Piece, error) {
	var piece ref.Piece
	err := h.Do(ctx, by, func(a *newsroom.Command) error {
		all, err := store.Pitches(a, a.Tx, "WHERE id = ?", id)
		if err != nil {
			return err
		}
		p := newsroom.FirstOf(all)
		w := a.Who(p.DeskID)
		if p.ID == 0 || by != p.Partner && !planning.MayCreate(w) {
			return newsroom.ErrNotFound
		}
		if by != p.Partner && !w.Access.May(relay.LeadDesk) && by != p.By {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "The partner answers, or a lead who was told the answer, or who pitched it."}
		}
		if p.State != store.Pitched {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("“%s” was answered already, with %s.", p.Title, p.State)}
		}
		if why = strings.TrimSpace(why); len([]rune(why)) > 1_000 {
			return newsroom.Invalid("why", "Keep it under 1,000 characters.")
		}
		p.State, p.Why, p.AnsweredBy, p.AnsweredAt = store.SaidNo, why, by, a.Now
		if yes {
			p.State = store.SaidYes
			if piece, err = makePitched(a, p); err != nil {
				return err
			}
			p.PieceID = piece
		}
		if _, err := a.Tx.SavePitch(a, p); err != nil {
			return err
		}
		said := fmt.Sprintf("%s says %s to “%s”.", a.Setup.Name(p.Partner), p.State, p.Title)
		if by != p.By {
			if err := a.Notify(store.Item{PersonID: p.By, PieceID: piece, Kind: "pitch", Text: said, Why: why, At: a.Now, Link: "/pitches"}, false); err != nil {
				return err
			}
		}
		what := fmt.Sprintf("said %s to the pitch “%s”", p.State, p.Title)
		if by != p.Partner {
			what = fmt.Sprintf("noted that %s says %s to the pitch “%s”", a.Setup.Person(p.Partner).Name, p.State, p.Title)
		}
		a.Undo, a.Did = newsroom.UndoState{}, nil // an answer is no slip of the hand
		return a.Log(store.Entry{DeskID: p.DeskID, PieceID: piece, Act: "answered", What: what, Why: why})
	})
	return piece, err
}

// makePitched makes the piece of a pitch for who pitched it.
func makePitched(a *newsroom.Command, p store.Pitch) (ref.Piece, error) {
	by := a.Actor
	a.Actor = p.By
	defer func() { a.Actor = by }()
	if !planning.MayCreate(a.Who(p.DeskID)) { // who pitched it has left
		a.Actor = newsroom.FirstOf(a.Setup.Leads(p.DeskID))
	}
	f := a.Setup.Format(p.Format)
	d := planning.Draft{Title: p.Title, Format: p.Format, Brief: p.Text, WordsFrom: f.WordsFrom, WordsTo: f.WordsTo, Idea: p.IdeaID}
	id, err := create(a, d)
	if err != nil {
		return 0, err
	}
	made := a.Put.Pieces[id]
	var waits []string
	for _, l := range made.Running() {
		if l.Holder == p.Partner {
			waits = append(waits, l.Key)
		}
	}
	pitcher := a.Actor
	for _, key := range waits { // they only wait for this yes
		unmet, err := planning.Unmet(a, a.Put.Pieces[id], key)
		if err != nil {
			return 0, err
		}
		if a.Actor = p.Partner; len(unmet) > 0 || a.Setup.Desk(p.DeskID).PassBy == relay.ByOwner {
			a.Actor = pitcher
		}
		err = a.Move(newsroom.Order{Act: relay.ActPass, Piece: id, Leg: key, Version: 0}, func(x relay.Piece, s relay.Scene) (relay.Move, error) {
			if len(unmet) > 0 { // somebody of the house sees to the rest
				return relay.Give(x, key, pitcher, s)
			}
			return relay.Pass(x, key, nil, nil, "", s)
		})
		if err != nil {
			return 0, err
		}
	}
	return id, nil
}

// AnswerPitchByLink says yes or no to a pitch for who has the private link of the partner
// it went to. It gives the id of the piece, 0 for a no.
func (h Inquiries) AnswerPitchByLink(ctx context.Context, k review.Key, id ref.Pitch, yes bool, why string) (ref.Piece, error) {
	b, err := h.Setup(ctx)
	if err != nil {
		return 0, err
	}
	p, err := review.At(h.Newsroom).PartnerOf(ctx, b, k)
	if err != nil {
		return 0, err
	}
	all, err := store.Pitches(ctx, h.DB.View(), "WHERE id = ?", id)
	if err != nil {
		return 0, err
	}
	x := newsroom.FirstOf(all)
	if x.ID == 0 || b.Person(x.Partner).PartnerID != p.ID {
		return 0, fmt.Errorf("pitch %d of partner %d: %w", id, p.ID, newsroom.ErrNotFound)
	}
	return h.AnswerPitch(ctx, x.Partner, id, yes, why)
}
