package desk

import (
	"context"
	"fmt"
	"strings"

	"greenbaton/core/idea"
	"greenbaton/core/relay"
	"greenbaton/store"
)

// Pitch asks a partner whether a piece is to be made, for leads and staff of the desk. It
// gives the id of the pitch.
func (h *House) Pitch(ctx context.Context, by int64, p store.Pitch) (int64, error) {
	err := h.act(ctx, by, func(a *act) error {
		if !MayCreate(a.who(p.DeskID)) {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "Leads and staff of the desk pitch to partners."}
		}
		p.Title, p.Text = strings.Join(strings.Fields(p.Title), " "), strings.TrimSpace(strings.ReplaceAll(p.Text, "\r\n", "\n"))
		partner := a.b.Person(p.Partner)
		switch {
		case p.Title == "" || len([]rune(p.Title)) > 200:
			return bad("title", "Give it a title of up to 200 characters.")
		case p.Text == "" || len([]rune(p.Text)) > 1_500:
			return bad("text", "Say in up to 1,500 characters what it would be, and why with them.")
		case !partner.Access.May(relay.AnswerAsked) || !a.b.available(p.Partner, p.DeskID):
			return bad("partner", "Choose a partner of the desk.")
		case a.b.Format(p.Format).DeskID != p.DeskID || a.b.Format(p.Format).Retired:
			return bad("format", "Choose the format that it would be; it brings the route.")
		}
		if p.IdeaID != 0 {
			if i, err := a.idea(p.IdeaID, idea.ActSee); err != nil {
				return err
			} else if i.State == idea.Used {
				return &relay.Refusal{Reason: relay.ErrNotNow, Text: "This idea is used already."}
			}
		}
		p.ID, p.State, p.By, p.At, p.PieceID, p.Why = 0, store.Pitched, by, a.now, 0, ""
		var err error
		if p.ID, err = a.tx.SavePitch(a, p); err != nil {
			return err
		}
		text := fmt.Sprintf("%s asks whether you want “%s”.", a.b.Name(by), p.Title)
		if err := a.item(store.Item{PersonID: p.Partner, Kind: "pitch", Text: text, At: a.now, Link: "/pitches"}, false); err != nil {
			return err
		}
		if err := a.tx.AddMessage(a, store.Message{
			Key: fmt.Sprintf("pitch %d", p.ID), Kind: "mail", To: fmt.Sprintf("%s <%s>", partner.Name, partner.Mail), Subject: "A piece with you: " + p.Title, At: a.now,
			Body: fmt.Sprintf("%s\n\n%s\n\nSay yes or no here: %s/pitches\n", p.Title, p.Text, a.h.Base),
		}); err != nil {
			return err
		}
		return a.log(store.Entry{DeskID: p.DeskID, Act: "pitched", What: fmt.Sprintf("pitched “%s” to %s", p.Title, partner.Name)})
	})
	return p.ID, err
}

// Pitches gives the pitches of a desk, the newest first: to leads and staff all of them,
// to a partner their own.
func (h *House) Pitches(ctx context.Context, who, d int64) ([]store.Pitch, error) {
	b, err := h.Books(ctx)
	if err != nil {
		return nil, err
	}
	switch w := b.Who(who, d); {
	case MayCreate(w):
		return store.Pitches(ctx, h.DB.View(), "WHERE desk_id = ? ORDER BY state <> 'asked', id DESC LIMIT 200", d)
	case relay.MayHouse(relay.AnswerAsked, w):
		return store.Pitches(ctx, h.DB.View(), "WHERE partner = ? AND desk_id = ? ORDER BY state <> 'asked', id DESC LIMIT 200", who, d)
	}
	return nil, &relay.Refusal{Reason: relay.ErrNotYours, Text: "Pitches are for partners, leads and staff."}
}

// AnswerPitch says yes or no to a pitch: the partner it went to, or a lead who was told
// the answer. A yes makes the piece, on behalf of who pitched it, and passes legs that
// only wait for that yes. It gives the id of the piece, 0 for a no.
func (h *House) AnswerPitch(ctx context.Context, by, id int64, yes bool, why string) (int64, error) {
	var piece int64
	err := h.act(ctx, by, func(a *act) error {
		all, err := store.Pitches(a, a.tx, "WHERE id = ?", id)
		if err != nil {
			return err
		}
		p := first(all)
		w := a.who(p.DeskID)
		if p.ID == 0 || by != p.Partner && !MayCreate(w) {
			return ErrNotFound
		}
		if by != p.Partner && !w.Access.May(relay.LeadDesk) && by != p.By {
			return &relay.Refusal{Reason: relay.ErrNotYours, Text: "The partner answers, or a lead who was told the answer, or who pitched it."}
		}
		if p.State != store.Pitched {
			return &relay.Refusal{Reason: relay.ErrNotNow, Text: fmt.Sprintf("“%s” was answered already, with %s.", p.Title, p.State)}
		}
		if why = strings.TrimSpace(why); len([]rune(why)) > 1_000 {
			return bad("why", "Keep it under 1,000 characters.")
		}
		p.State, p.Why, p.AnsweredBy, p.AnsweredAt = store.SaidNo, why, by, a.now
		if yes {
			p.State = store.SaidYes
			if piece, err = a.makePitched(p); err != nil {
				return err
			}
			p.PieceID = piece
		}
		if _, err := a.tx.SavePitch(a, p); err != nil {
			return err
		}
		said := fmt.Sprintf("%s says %s to “%s”.", a.b.Name(p.Partner), p.State, p.Title)
		if by != p.By {
			if err := a.item(store.Item{PersonID: p.By, PieceID: piece, Kind: "pitch", Text: said, Why: why, At: a.now, Link: "/pitches"}, false); err != nil {
				return err
			}
		}
		what := fmt.Sprintf("said %s to the pitch “%s”", p.State, p.Title)
		if by != p.Partner {
			what = fmt.Sprintf("noted that %s says %s to the pitch “%s”", a.b.Person(p.Partner).Name, p.State, p.Title)
		}
		a.undo, a.did = undoState{}, nil // an answer is no slip of the hand
		return a.log(store.Entry{DeskID: p.DeskID, PieceID: piece, Act: "answered", What: what, Why: why})
	})
	return piece, err
}

// makePitched makes the piece of a pitch for who pitched it.
func (a *act) makePitched(p store.Pitch) (int64, error) {
	by := a.by
	a.by = p.By
	defer func() { a.by = by }()
	if !MayCreate(a.who(p.DeskID)) { // who pitched it has left
		a.by = first(a.b.Leads(p.DeskID))
	}
	f := a.b.Format(p.Format)
	d := Draft{Title: p.Title, Format: p.Format, Owner: a.by, Brief: p.Text, WordsFrom: f.WordsFrom, WordsTo: f.WordsTo, Idea: p.IdeaID}
	id, err := a.create(d)
	if err != nil {
		return 0, err
	}
	made := a.put.pieces[id]
	var waits []string
	for _, l := range made.Running() {
		if l.Holder == p.Partner {
			waits = append(waits, l.Key)
		}
	}
	pitcher := a.by
	for _, key := range waits { // they only wait for this yes
		unmet, err := a.unmet(a.put.pieces[id], key)
		if err != nil {
			return 0, err
		}
		if a.by = p.Partner; len(unmet) > 0 || a.b.Desk(p.DeskID).PassBy == relay.ByOwner {
			a.by = pitcher
		}
		err = a.move(order{relay.ActPass, id, key, 0}, func(x relay.Piece, s relay.Scene) (relay.Move, error) {
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
